import {
  type Actor,
  type Database,
  type Dependencies,
  handle,
  type MatchedRoute,
  type Page,
  type PageRequest,
  type PageResponse,
  route,
  type Statement,
  tokenName,
} from "@loyal-quill/core";

/** Faults for a rehearsal to find: a small table with its page, sound, and one thing at a time that is not. */

export const schema = `DROP SCHEMA IF EXISTS proof CASCADE;
CREATE SCHEMA proof;
CREATE TABLE proof.kind (id integer PRIMARY KEY, label text NOT NULL);
INSERT INTO proof.kind VALUES (1, 'Float'), (2, 'Radar'), (3, 'Pressure');
CREATE TABLE proof.gauge (
  code varchar(8) PRIMARY KEY,
  name varchar(40) NOT NULL,
  kind_id integer NOT NULL CONSTRAINT gauge_kind REFERENCES proof.kind,
  low numeric(6,2) NOT NULL CONSTRAINT gauge_low CHECK (low >= 0),
  high numeric(6,2),
  serial text CONSTRAINT gauge_serial UNIQUE,
  active boolean NOT NULL DEFAULT true,
  checked_on date,
  checked_at timestamptz,
  notes text,
  status text NOT NULL DEFAULT 'open' CHECK (status IN ('open', 'closed')),
  origin text NOT NULL DEFAULT 'field',
  region integer NOT NULL,
  pin text,
  changed_by text,
  badge integer NOT NULL UNIQUE DEFAULT (random() * 1e9)::integer
);
INSERT INTO proof.gauge
  SELECT 'G-' || lpad(n::text, 3, '0'), 'Gauge ' || n, n % 3 + 1, n / 10.0, n / 10.0 + 5, 'S' || n || 'K', n % 2 = 0,
    date '2026-01-01' + n, timestamptz '2026-01-01 10:00:00+00' + n * interval '1 day', CASE WHEN n % 3 = 0 THEN 'Seen ' || n END,
    CASE WHEN n % 6 = 5 THEN 'closed' ELSE 'open' END, 'field', n % 2 + 1, 'pin-' || n || '-secret', NULL, n
  FROM generate_series(1, 24) AS n;
GRANT USAGE ON SCHEMA proof TO quill_pages;
GRANT SELECT, INSERT, UPDATE, DELETE ON ALL TABLES IN SCHEMA proof TO quill_pages;`;

export const pageText = `format: loyal-quill/page@1
title: "Gauge {code}"
plural: Gauges
path: /gauges/{code}
record: { table: proof.gauge, key: code }
time-zone: Europe/London
access:
  open: '"keeper" in actor.roles'
  rows: row.region == actor.region
  edit: row.status != "closed"
  new: '"founder" in actor.roles'
  delete: row.low > 1.0
list: { columns: [code, name, low, notes], edit: [name, low], together: true, spreadsheet: true }
fields:
  - code
  - name: { rules: [{ min-length: 3 }, { max-length: 30 }] }
  - kind_id
  - low: { rules: [{ max: 50 }] }
  - high: { rules: [{ step: 0.05 }] }
  - serial: { rules: [{ pattern: 'S[0-9]+[A-Z]' }] }
  - active
  - checked_on: { rules: [{ min: 2020-01-01 }] }
  - checked_at
  - notes: { control: multi-line }
  - status
  - region
  - pin: { sensitive: true }
  - origin: { read-only: true }
set: { changed_by: actor.name }
checks:
  - { expect: form.high > form.low, at: high, message: High lies above low. }
answer: { saved: view }
`;

export const people: readonly Actor[] = [
  { id: "ada", name: "Ada Keeper", roles: ["keeper"], attributes: { region: 1 } },
  { id: "finn", name: "Finn Founder", roles: ["keeper", "founder"], attributes: { region: 2 } },
  { id: "guest", name: "A Guest", roles: ["guest"], attributes: { region: 1 } },
];

interface Planted {
  readonly name: string;
  /** The case that notices it. */
  readonly by: string;
}

/** In the page file: what stood there before, and what stands there instead. */
interface PageFault extends Planted {
  readonly from: string;
  readonly to: string;
}

export const pageFaults: readonly PageFault[] = [
  {
    name: "a maximum length that is looser",
    by: "check.max-length.outside:name",
    from: "max-length: 30",
    to: "max-length: 40",
  },
  { name: "a minimum length that is gone", by: "check.min-length.outside:name", from: "{ min-length: 3 }, ", to: "" },
  { name: "a maximum that is looser", by: "check.max.outside:low", from: "max: 50", to: "max: 500" },
  { name: "a maximum that is stricter than meant", by: "check.max.inside:low", from: "max: 50", to: "max: 5" },
  { name: "a step that is another one", by: "check.step.outside:high", from: "step: 0.05", to: "step: 0.01" },
  { name: "a pattern that lets through more", by: "check.pattern.outside:serial", from: "'S[0-9]+[A-Z]'", to: "'.*'" },
  {
    name: "an earliest day that is gone",
    by: "check.min.outside:checked_on",
    from: "{ rules: [{ min: 2020-01-01 }] }",
    to: "{ help: When. }",
  },
  {
    name: "a check that is turned round",
    by: "check.step.inside:high",
    from: "form.high > form.low",
    to: "form.high < form.low",
  },
  {
    name: "a check that compares the wrong way at its bound",
    by: "check.across.false:1",
    from: "form.high > form.low,",
    to: "form.high >= form.low - 100.0,",
  },
  {
    name: "a check that is gone",
    by: "check.across.false:1",
    from: "checks:\n  - { expect: form.high > form.low, at: high, message: High lies above low. }\n",
    to: "",
  },
  {
    name: "a condition on the state turned round",
    by: "key.encoded",
    from: 'row.status != "closed"',
    to: 'row.status == "closed"',
  },
  {
    name: "a condition on the state that is gone",
    by: "access.wrong-state.becoming",
    from: '  edit: row.status != "closed"\n',
    to: "",
  },
  {
    name: "a condition on the records that is gone",
    by: "access.other-record.open:record",
    from: "  rows: row.region == actor.region\n",
    to: "",
  },
  {
    name: "a condition on the records that is always true",
    by: "access.other-record.open:record",
    from: "row.region == actor.region",
    to: "row.region == actor.region || row.low >= 0.0",
  },
  {
    name: "a page that is open to more",
    by: "access.wrong-role.open",
    from: '"keeper" in actor.roles',
    to: 'actor.roles.exists(r, r in ["keeper", "guest"])',
  },
  { name: "new records by everybody", by: "new.not-allowed", from: "'\"founder\" in actor.roles'", to: "true" },
  { name: "deletions whatever the state", by: "delete.wrong-state", from: "delete: row.low > 1.0", to: "delete: true" },
  { name: "a field that is missing", by: "load.as-stored", from: "  - notes: { control: multi-line }\n", to: "" },
  {
    name: "a field that was to be typed and is shown only",
    by: "load.as-stored",
    from: "  - active\n",
    to: "  - active: { read-only: true }\n",
  },
  {
    name: "a field that was to be shown only and is typed",
    by: "prefill.controls",
    from: "  - origin: { read-only: true }\n",
    to: "  - origin\n",
  },
  {
    name: "another key",
    by: "route.head",
    from: "path: /gauges/{code}\nrecord: { table: proof.gauge, key: code }",
    to: "path: /gauges/{badge}\nrecord: { table: proof.gauge, key: badge }",
  },
  { name: "another time zone", by: "load.as-stored", from: "Europe/London", to: "Asia/Tokyo" },
  { name: "an answer that leads elsewhere", by: "answer.redirect", from: "saved: view", to: "saved: list" },
  {
    name: "a tidying that changes what is typed",
    by: "check.unique.outside:serial",
    from: "  - serial: { ",
    to: "  - serial: { tidy: [lower], ",
  },
];

/** In the table: statements of its owner. `bound` faults are there before the page is published. */
interface TableFault extends Planted {
  readonly sql: readonly string[];
}

const trigger = (body: string, when = "BEFORE UPDATE", level = "ROW"): readonly string[] => [
  `CREATE FUNCTION proof.meddle() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN ${body} END $$`,
  `CREATE TRIGGER meddle ${when} ON proof.gauge FOR EACH ${level} EXECUTE FUNCTION proof.meddle()`,
];

export const tableFaults: readonly TableFault[] = [
  {
    name: "a CHECK that was dropped",
    by: "check.min.outside:low",
    sql: ["ALTER TABLE proof.gauge DROP CONSTRAINT gauge_low"],
  },
  {
    name: "a unique constraint that was dropped",
    by: "check.unique.outside:serial",
    sql: ["ALTER TABLE proof.gauge DROP CONSTRAINT gauge_serial"],
  },
  {
    name: "a foreign key that was dropped",
    by: "check.exists.outside:kind_id",
    sql: ["ALTER TABLE proof.gauge DROP CONSTRAINT gauge_kind"],
  },
  {
    name: "a NOT NULL that was dropped",
    by: "check.required.outside:name",
    sql: ["ALTER TABLE proof.gauge ALTER name DROP NOT NULL"],
  },
  {
    name: "a trigger that changes what is sent",
    by: "write.one-field:name",
    sql: trigger("NEW.name := upper(NEW.name); RETURN NEW;"),
  },
  { name: "a trigger that rounds", by: "read.missing", sql: trigger("NEW.low := round(NEW.low); RETURN NEW;") },
  { name: "a trigger that eats the change", by: "check.exists.outside:kind_id", sql: trigger("RETURN NULL;") },
  { name: "a trigger that puts back what was there", by: "access.nobody.save", sql: trigger("RETURN OLD;") },
  {
    name: "a trigger that writes a field that was not sent",
    by: "write.one-field:name",
    sql: trigger("NEW.notes := 'meddled'; RETURN NEW;"),
  },
  {
    name: "a trigger that refuses every change",
    by: "check.exists.outside:kind_id",
    sql: trigger("RAISE EXCEPTION 'no changes'; RETURN NEW;"),
  },
  {
    name: "a trigger that changes other rows of the table",
    by: "compare.other-field",
    sql: trigger(
      "IF pg_trigger_depth() = 1 THEN UPDATE proof.gauge SET low = low WHERE code <> NEW.code; END IF; RETURN NULL;",
      "AFTER UPDATE",
    ),
  },
  { name: "a trigger that eats new rows", by: "new.not-allowed", sql: trigger("RETURN NULL;", "BEFORE INSERT") },
  {
    name: "a trigger that changes new rows",
    by: "new.made",
    sql: trigger("NEW.name := 'New'; RETURN NEW;", "BEFORE INSERT"),
  },
  { name: "a trigger that keeps what is deleted", by: "delete.done", sql: trigger("RETURN NULL;", "BEFORE DELETE") },
  {
    name: "a constraint trigger that refuses at the end",
    by: "write.some-field",
    sql: [
      "CREATE FUNCTION proof.meddle() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN RAISE EXCEPTION 'not at the end'; END $$",
      "CREATE CONSTRAINT TRIGGER meddle AFTER UPDATE ON proof.gauge DEFERRABLE INITIALLY DEFERRED FOR EACH ROW EXECUTE FUNCTION proof.meddle()",
    ],
  },
  { name: "a wrong default", by: "new.defaults", sql: ["ALTER TABLE proof.gauge ALTER origin SET DEFAULT 'office'"] },
  {
    name: "a right that was taken away",
    by: "load.as-stored",
    sql: [
      "REVOKE UPDATE ON proof.gauge FROM quill_pages",
      "GRANT UPDATE (code, name, kind_id, low, high, active, checked_on, checked_at, notes, status, region, pin, origin, changed_by) ON proof.gauge TO quill_pages",
    ],
  },
  {
    name: "row level security that hides rows",
    by: "check.exists.outside:kind_id",
    sql: [
      "ALTER TABLE proof.gauge ENABLE ROW LEVEL SECURITY",
      "CREATE POLICY seen ON proof.gauge FOR SELECT TO quill_pages USING (true)",
      "CREATE POLICY changed ON proof.gauge FOR UPDATE TO quill_pages USING (false)",
    ],
  },
  {
    name: "a column that became shorter",
    by: "check.max-length.inside:name",
    sql: ["ALTER TABLE proof.gauge ALTER name TYPE varchar(20)"],
  },
];

type Handle = typeof handle;
type Engine = { readonly route: typeof route; readonly handle: Handle };

/** In the engine: what is done otherwise than it should be. */
interface EngineFault extends Planted {
  readonly engine: Engine;
}

const withHandle = (own: Handle): Engine => ({ route, handle: own });

/** Statements of a purpose are sent otherwise. */
function sending(purpose: RegExp, change: (statement: Statement) => Statement): Engine {
  const over = (database: Database): Database => ({
    run: (statement) => database.run(purpose.test(statement.purpose) ? change(statement) : statement),
    transaction: (run, why) => database.transaction((inside) => run(over(inside)), why),
  });
  return withHandle((matched, request, dependencies) =>
    handle(matched, request, { ...dependencies, database: over(dependencies.database) }),
  );
}

const text =
  (from: RegExp | string, to: string) =>
  (statement: Statement): Statement => ({
    ...statement,
    text: statement.text.replaceAll(typeof from === "string" ? from : new RegExp(from, "g"), to),
  });

const answering = (change: (response: PageResponse, request: PageRequest) => PageResponse): Engine =>
  withHandle(async (...asked) => {
    const handled = await handle(...asked);
    return { ...handled, response: change(handled.response, asked[1]) };
  });

const inHtml = (from: RegExp | string, to: string): Engine =>
  answering((response) => ({
    ...response,
    body: response.body.replaceAll(typeof from === "string" ? from : new RegExp(from, "g"), to),
  }));

const withHeader = (name: string, value: string | null): Engine =>
  answering(({ headers, ...rest }) => {
    const { [name]: _, ...others } = headers;
    return { ...rest, headers: value === null ? others : name in headers ? { ...others, [name]: value } : others };
  });

const withStatus = (from: number, to: number): Engine =>
  answering((response) => (response.status === from ? { ...response, status: to } : response));

const asked = (change: (request: PageRequest, dependencies: Dependencies) => PageRequest): Engine =>
  withHandle((matched, request, dependencies) => handle(matched, change(request, dependencies), dependencies));

const ofPage = (change: (page: Page) => Page, operations?: readonly string[]): Engine =>
  withHandle((matched: MatchedRoute, request, dependencies) =>
    handle(
      matched.kind === "page" && (!operations || operations.includes(matched.operation))
        ? { ...matched, page: changedPage(matched.page, change) }
        : matched,
      request,
      dependencies,
    ),
  );

const changedPages = new WeakMap<(page: Page) => Page, WeakMap<Page, Page>>();
function changedPage(page: Page, change: (page: Page) => Page): Page {
  const known = changedPages.get(change) ?? new WeakMap<Page, Page>();
  changedPages.set(change, known);
  const made = known.get(page) ?? change(page);
  known.set(page, made);
  return made;
}

/** The form's token signed anew, whatever it says: as if nobody had asked by whom it was signed. */
function signedAnew(
  body: string,
  change: (claims: Record<string, unknown>) => Record<string, unknown>,
  { signer }: Dependencies,
): string {
  const pairs = new URLSearchParams(body);
  const token = pairs.get(tokenName);
  if (token === null || !token.includes(".")) return body;
  try {
    const json = JSON.stringify(change(JSON.parse(token.slice(token.indexOf(".") + 1))));
    pairs.set(tokenName, `${signer.sign(`token@2 ${json}`)}.${json}`);
  } catch {
    return body;
  }
  return pairs.toString();
}

const withBody = (change: (body: string, request: PageRequest, dependencies: Dependencies) => string): Engine =>
  asked((request, dependencies) =>
    request.body && "text" in request.body
      ? { ...request, body: { ...request.body, text: change(request.body.text, request, dependencies) } }
      : request,
  );

export const engineFaults: readonly EngineFault[] = [
  {
    name: "a file of rows taken from whoever brings it",
    by: "file.of-another",
    engine: asked((request) =>
      request.actor ? { ...request, actor: { ...request.actor, id: request.actor.id.replace(/-2$/, "") } } : request,
    ),
  },
  {
    name: "the signature of a file's rows not asked",
    by: "file.forged",
    engine: withHandle((matched, request, dependencies) =>
      handle(matched, request, { ...dependencies, signer: { ...dependencies.signer, sign: () => "signed" } }),
    ),
  },
  {
    name: "the key left out of a save's WHERE",
    by: "check.exists.outside:kind_id",
    engine: sending(/^save$/, text(/t\."code" = (\$\d+::[\w". ]+)/, "$1 IS NOT NULL")),
  },
  {
    name: "the row's version not asked",
    by: "compare.same-field",
    engine: sending(/^save$/, text(/t\.xmin::text = (\$\d+::text)/, "$1 IS NOT NULL")),
  },
  {
    name: "the log entry left out",
    by: "access.nobody.save",
    engine: sending(/^(save|create|delete)$/, text('\n  WHERE "fields" IS NOT NULL', "\n  WHERE false")),
  },
  {
    name: "a field missing in the log",
    by: "compare.other-field",
    engine: sending(
      /^save$/,
      text('f."old" IS DISTINCT FROM f."new"', `f."old" IS DISTINCT FROM f."new" AND f."field" <> 'name'`),
    ),
  },
  {
    name: "old and new changed round in the log",
    by: "compare.other-field",
    engine: sending(/^save$/, text(`'old', f."old", 'new', f."new"`, `'old', f."new", 'new', f."old"`)),
  },
  {
    name: "somebody else named in the log",
    by: "compare.other-field",
    engine: sending(/^save$/, (statement) => ({
      ...statement,
      values: statement.values.map((value) => (value === "ada" || value === "finn" ? "nobody" : value)),
    })),
  },
  {
    name: "a field written that was not touched",
    by: "compare.other-field",
    engine: sending(/^save$/, text(/SET (?!.*"notes")/, `SET "notes" = 'written', `)),
  },
  {
    name: "a value changed on its way",
    by: "compare.other-field",
    engine: sending(/^save$/, text(/"name" = (\$\d+)::([\w". ]+)/, `"name" = upper($1::text)::$2`)),
  },
  {
    name: "the new record's log entry left out",
    by: "new.made",
    engine: sending(/^create$/, text(/AS "id", "record_key"\n {2}FROM "after"/, "$& WHERE false")),
  },
  {
    name: "the access condition left out of the statements",
    by: "access.other-record.open:record",
    engine: ofPage((page) => ({ ...page, access: { ...page.access, rows: null } })),
  },
  {
    name: "the list shows everybody's records",
    by: "access.other-record.list",
    engine: ofPage((page) => ({ ...page, access: { ...page.access, rows: null } }), ["list"]),
  },
  {
    name: "the state not asked at a save",
    by: "access.wrong-state.becoming",
    engine: ofPage((page) => ({ ...page, access: { ...page.access, edit: null } }), ["save"]),
  },
  {
    name: "who may open the page not asked",
    by: "access.wrong-role.open",
    engine: asked((request) => ({
      ...request,
      actor: request.actor && { ...request.actor, roles: [...request.actor.roles, "keeper"] },
    })),
  },
  {
    name: "who may make a record not asked",
    by: "new.not-allowed",
    engine: asked((request) => ({
      ...request,
      actor: request.actor && { ...request.actor, roles: [...request.actor.roles, "founder"] },
    })),
  },
  {
    name: "the state not asked at a deletion",
    by: "delete.wrong-state",
    engine: ofPage(
      (page) => ({ ...page, access: { ...page.access, edit: null, delete: page.access.open } }),
      ["delete", "confirm"],
    ),
  },
  {
    name: "the token's signature not checked",
    by: "read.forged-token",
    engine: withBody((body, _, dependencies) => signedAnew(body, (claims) => claims, dependencies)),
  },
  {
    name: "the token's person not checked",
    by: "access.other-person",
    engine: withBody((body, request, dependencies) =>
      signedAnew(body, (claims) => ({ ...claims, actor: request.actor?.id }), dependencies),
    ),
  },
  {
    name: "the token's record not checked",
    by: "key.forged",
    engine: withBody((body, request, dependencies) =>
      signedAnew(
        body,
        (claims) => ({ ...claims, key: [decodeURIComponent(request.path.split("/")[2] ?? "")] }),
        dependencies,
      ),
    ),
  },
  {
    name: "the form's age not asked",
    by: "read.forged-token",
    engine: withBody((body, request, dependencies) =>
      signedAnew(body, (claims) => ({ ...claims, at: request.at.toISOString() }), dependencies),
    ),
  },
  { name: "markup not escaped", by: "load.markup", engine: inHtml("&lt;", "<") },
  { name: "quotes not escaped", by: "load.markup", engine: inHtml("&quot;", '"') },
  { name: "ampersands escaped twice", by: "load.markup", engine: inHtml("&amp;", "&amp;amp;") },
  {
    name: "the first line break of a text lost",
    by: "load.line-breaks",
    engine: inHtml(/(<textarea[^>]*>)\n\n/, "$1\n"),
  },
  { name: "what is stored not chosen in lists", by: "load.as-stored", engine: inHtml(" selected", "") },
  { name: "boxes never ticked", by: "load.nulls", engine: inHtml(" checked", "") },
  { name: "no message at the field", by: "check.type:low", engine: inHtml(' aria-invalid="true"', "") },
  { name: "labels left out", by: "prefill.controls", engine: inHtml(/<label for="[^"]*"/, "<label") },
  { name: "a control left out", by: "load.as-stored", engine: inHtml(/<select[^>]*name="kind_id".*?<\/select>/s, "") },
  {
    name: "what was typed lost in a form that is refused",
    by: "check.type:low",
    engine: answering((response) =>
      response.status === 422
        ? {
            ...response,
            body: response.body
              .replaceAll(/(<input[^>]*type="text"[^>]*value=")[^"]*"/g, '$1"')
              .replaceAll(/(<input id="[^>]*value=")[^"]*"/g, '$1"'),
          }
        : response,
    ),
  },
  {
    name: "a sensitive value told",
    by: "key.broken-encoding",
    engine: withHandle(async (matched, request, dependencies) => {
      const handled = await handle(matched, request, dependencies);
      const [row] =
        request.method === "GET" && request.path.endsWith("/edit")
          ? await dependencies.database.run({
              purpose: "pin",
              text: "SELECT pin FROM proof.gauge WHERE code = $1",
              values: [decodeURIComponent(request.path.split("/")[2] ?? "")],
            })
          : [];
      return {
        ...handled,
        response: { ...handled.response, body: `${handled.response.body}<!-- ${row?.pin ?? ""} -->` },
      };
    }),
  },
  { name: "answers that may be kept", by: "answer.no-cache", engine: withHeader("cache-control", "private") },
  { name: "a redirect that leads elsewhere", by: "route.slash-at-the-end", engine: withHeader("location", "/") },
  { name: "no Allow", by: "route.wrong-method", engine: withHeader("allow", null) },
  { name: "302 instead of 303", by: "load.nulls", engine: withStatus(303, 302) },
  { name: "200 for a form that is refused", by: "read.another-session", engine: withStatus(422, 200) },
  { name: "500 where the database is away", by: "write.deadlock", engine: withStatus(503, 500) },
  { name: "200 for a record that is not there", by: "route.missing-segment", engine: withStatus(404, 200) },
  {
    name: "PUT taken for POST",
    by: "route.wrong-method",
    engine: {
      route: (site, method, path, speaks) => route(site, method === "PUT" ? "POST" : method, path, speaks),
      handle,
    },
  },
  {
    name: "no rule judged",
    by: "check.min-length.outside:name",
    engine: ofPage(
      (page) => ({ ...page, fields: page.fields.map((field) => ({ ...field, rules: [] })) }),
      ["save", "create", "rows"],
    ),
  },
  {
    name: "no check across fields judged",
    by: "check.across.false:1",
    engine: ofPage((page) => ({ ...page, checks: [] }), ["save"]),
  },
  {
    name: "a length counted wrong by one",
    by: "check.max-length.outside:name",
    engine: ofPage(
      (page) => ({
        ...page,
        fields: page.fields.map((field) => ({
          ...field,
          rules: field.rules.map((rule) =>
            rule.rule === "max-length" ? { ...rule, demand: (rule.demand as number) + 1 } : rule,
          ),
        })),
      }),
      ["save"],
    ),
  },
  {
    name: "a bound that is not taken itself",
    by: "check.max.inside:low",
    engine: ofPage(
      (page) => ({
        ...page,
        fields: page.fields.map((field) => ({
          ...field,
          rules: field.rules.map((rule) =>
            rule.rule === "max" && rule.from === "page" ? { ...rule, demand: { bound: "49.99" } } : rule,
          ),
        })),
      }),
      ["save"],
    ),
  },
  {
    name: "read-only fields taken",
    by: "prefill.controls",
    engine: ofPage((page) => ({ ...page, fields: page.fields.map((field) => ({ ...field, readOnly: false })) })),
  },
  {
    name: "fields emptied that were not sent",
    by: "read.missing",
    engine: withBody((body, request) =>
      request.path.endsWith("/edit")
        ? ["notes", "serial", "high"]
            .filter((name) => !new URLSearchParams(body).has(name))
            .reduce((before, name) => `${before}&${name}=`, body)
        : body,
    ),
  },
  {
    name: "an error for a NUL character",
    by: "read.nul",
    engine: withHandle((matched, request, dependencies) => {
      if (request.body && "text" in request.body && request.body.text.includes("%00"))
        throw new Error("invalid byte sequence");
      return handle(matched, request, dependencies);
    }),
  },
  {
    name: "a search that finds nothing",
    by: "list.search",
    engine: asked((request) =>
      request.query.q ? { ...request, query: { ...request.query, q: `${request.query.q}~~` } } : request,
    ),
  },
  {
    name: "a refusal told as a success",
    by: "read.another-session",
    engine: answering((response) =>
      response.status === 422 ? { status: 303, headers: { location: "/gauges" }, body: "" } : response,
    ),
  },
  {
    name: "a deletion without the key",
    by: "delete.done",
    engine: sending(/^delete$/, text(/t\."code" = (\$\d+::[\w". ]+)/, "$1 IS NOT NULL")),
  },
  {
    name: "the double submission of a new record not noticed",
    by: "new.twice",
    engine: withBody((body, request, dependencies) =>
      request.path.endsWith("/new")
        ? signedAnew(body, (claims) => ({ ...claims, id: crypto.randomUUID() }), dependencies)
        : body,
    ),
  },
];
