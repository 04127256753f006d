import { writeFile } from "node:fs/promises";
import path from "node:path";
import { Worker } from "node:worker_threads";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { bodyOf, Chance, formOf, often, type Pooler, startPooler, testCluster } from "@loyal-quill/testing";
import { createPages } from "./index.js";
import {
  type Answer,
  type Asked,
  actors,
  ask,
  contents,
  type Fresh,
  type FreshData,
  optionsOver,
} from "./testing/fresh-server.js";
import { type Served, serve } from "./testing/served.js";
import { makeTrips, type Trips } from "./testing/trips.js";

/*
 * One server that goes on, over many pages, people, publications and changes of tables, held against a fresh one at every step: the same request to
 * both, the fresh one's in a transaction that is rolled back. What they answer is the same, and so is what is in the tables and in the log.
 */

const tag = (columns: string, fields: string): string => `format: loyal-quill/page@1
title: Tag {id}
plural: Tags
path: /tags/{id}
record: { table: proof.tag, key: id }
access: { open: "true", new: "true", delete: "true", history: true }
list: { columns: [${columns}], edit: [label], filter: [weight], search: [label] }
fields: [${fields}]
`;
const secret = (sensitive: string): string => `format: loyal-quill/page@1
title: Door {name}
plural: Doors
path: /doors/{name}
record: { table: proof.door, key: name }
access: { open: "true", new: "true" }
list: { columns: [name, note, opens] }
fields:
  - name
  - note: { sensitive: ${sensitive} }
  - opens
`;

let trips: Trips;
let pooler: Pooler;
let fresh: FreshServers;
beforeAll(async () => {
  trips = await makeTrips({
    sql: [
      "CREATE SCHEMA proof",
      `CREATE TABLE proof.tag (id integer PRIMARY KEY, label text NOT NULL, weight numeric(6,2), kind text NOT NULL DEFAULT 'plain',
        checked date, old text DEFAULT 'kept')`,
      "INSERT INTO proof.tag SELECT n, 'Label ' || n, n * 1.5, 'plain', date '2026-01-01' + n FROM generate_series(1, 70) AS n",
      "CREATE TABLE proof.door (name text PRIMARY KEY, note text, opens time)",
      "INSERT INTO proof.door VALUES ('north', 'combination 1234', '07:00'), ('south', '=1+1', NULL)",
      "ANALYZE proof.tag, proof.door",
      // Numbers that a sequence gives are known by their length: no transaction gives them back.
      ...["network.river", "network.region", "field.visit", "field.calibration", "field.reading_note"].map(
        (table) => `SELECT setval(pg_get_serial_sequence('${table}', 'id'), 1000)`,
      ),
      "GRANT USAGE ON SCHEMA proof TO quill_pages",
      "GRANT SELECT, INSERT, UPDATE, DELETE ON ALL TABLES IN SCHEMA proof TO quill_pages",
    ],
  });
  await trips.reloadWith({ tag: tag("id, label, weight", "label, weight, checked"), door: secret("true") });
  const { port, passwords } = testCluster();
  pooler = await startPooler(port, { quill_pages: passwords.pages }, 3);
  fresh = new FreshServers({ url: trips.pool.options.connectionString ?? "", directory: trips.directory });
});
afterAll(async () => {
  await fresh.stop();
  await pooler.stop();
  await trips.close();
});

/** Without what is another with every request: tokens, places, numbers that a sequence gave, and the moment of the save itself. */
const plain = ({ status, location, text }: Answer): Answer => ({
  status,
  location: location?.replaceAll(/\d{3,}/g, "n") ?? null,
  text: text
    .replaceAll(/name="((?:r\d+:)?quill\.token)" value=(?:"[^"]*"|'[^']*')/g, 'name="$1"')
    .replaceAll(/(after|before)=[^"&\s]*/g, "$1=")
    .replaceAll(/<code>[0-9a-f-]{36}<\/code>/g, "<code>")
    .replaceAll("><", ">\n<")
    .replaceAll(/"entry":"?\d+"?/g, '"entry":')
    .replaceAll(/20\d\d-\d\d-\d\dT\d\d:\d\d:\d\d\.\d+Z/g, "moment"),
});

const now = (text: string) => trips.owner.query<Record<string, string | null>>(text).then(({ rows }) => rows);

/** Servers of which each answers once; those that are next are started while another one is asked. */
class FreshServers {
  private readonly next: Worker[];

  constructor(private readonly data: FreshData) {
    this.next = [this.start(), this.start(), this.start()];
  }

  private start(): Worker {
    return new Worker(new URL("../dist/testing/fresh-server.js", import.meta.url), { workerData: this.data });
  }

  async ask(asked: Asked): Promise<Fresh> {
    const server = this.next.shift() ?? this.start();
    this.next.push(this.start());
    try {
      return await new Promise<Fresh>((resolve, reject) => {
        server.once("message", resolve).once("error", reject).postMessage(asked);
      });
    } finally {
      await server.terminate();
    }
  }

  async stop(): Promise<void> {
    await Promise.all(this.next.map((each) => each.terminate()));
  }
}

const json = { accept: "application/json" };
const posted = { "content-type": "application/x-www-form-urlencoded" };
const links = (html: string, pattern: RegExp): string[] =>
  [...html.matchAll(pattern)].map(([, href = ""]) =>
    href.replaceAll("&amp;", "&").replaceAll("&quot;", '"').replaceAll("&#39;", "'"),
  );

/** Looks at the long-lived server as a person does, and says what they send next; null where there is nothing to do. */
class Person {
  constructor(
    private readonly chance: Chance,
    private readonly get: (as: string, to: string) => Promise<Answer>,
  ) {}

  private readonly lists = [
    "/stations",
    "/rivers",
    "/regions",
    "/visits",
    "/calibrations",
    "/sensors",
    "/bulletins",
    "/reading-notes",
    "/tags",
    "/doors",
  ];

  async next(): Promise<Asked | null> {
    const { chance } = this;
    const as = chance.one(Object.keys(actors));
    const list = chance.one(this.lists);
    const of = { as, method: "GET", to: list } as const;
    const kind = chance.one([
      ...[
        "list",
        "sort",
        "filter",
        "search",
        "part",
        "csv",
        "csv",
        "json",
        "open",
        "view",
        "history",
        "record as JSON",
      ],
      ...["save", "save", "save", "new", "delete", "rows", "together", "patch", "put back", "wrong filter"],
    ]);
    switch (kind) {
      case "list":
        return { ...of, what: kind };
      case "json":
        return { ...of, what: kind, headers: json };
      case "csv":
        return { ...of, what: kind, to: `${list}/~csv` };
      case "search":
        return { ...of, what: kind, to: `${list}?q=${chance.one(["a", "weir", "1", "er br"])}` };
      case "wrong filter":
        return { ...of, what: kind, to: `${list}?is.nothing=1&sort=none`, headers: chance.is(0.5) ? json : {} };
      case "sort":
      case "filter":
      case "part": {
        const { text } = await this.get(as, list);
        const found =
          kind === "sort"
            ? links(text, /<th[^>]*><a href="([^"]+)"/g)
            : kind === "part"
              ? links(text, /<nav class="quill-parts".*?rel="next" href="([^"]+)"/gs)
              : links(text, /<select[^>]*name="(is\.[^"]+)"/g).map(
                  (name) => `${list}?${name}=${chance.one(["true", "live", "1", "~empty"])}`,
                );
        return found.length === 0 ? null : { ...of, what: kind, to: chance.one(found) };
      }
      default:
        return this.atRecord(kind, as, list);
    }
  }

  private async atRecord(kind: string, as: string, list: string): Promise<Asked | null> {
    const { chance } = this;
    const { text } = await this.get(as, list);
    const ways = links(text, /class="quill-way"[^>]*>(?:<button.*?<\/button>)?<a href="([^"?]+)/g);
    if (ways.length === 0) return null;
    const way = chance.one(ways);
    const record = way.replace(/\/edit$/, "");
    switch (kind) {
      case "open":
        return { as, what: kind, method: "GET", to: way };
      case "view":
        return { as, what: kind, method: "GET", to: record };
      case "record as JSON":
        return { as, what: kind, method: "GET", to: record, headers: json };
      case "history":
        return { as, what: kind, method: "GET", to: `${record}/history` };
      case "patch":
        return this.patch(as, record);
      case "rows":
      case "together":
        return this.rows(as, list, text);
      case "delete":
        return this.form(kind, as, `${record}/delete`);
      case "new":
        return this.form(kind, as, `${list}/new`);
      case "put back":
        return this.putBack(as);
      default:
        return way.endsWith("/edit") ? this.form(kind, as, way) : null;
    }
  }

  /** Opens a form, types something into one of its fields, and sends it. */
  private async form(what: string, as: string, to: string): Promise<Asked | null> {
    const opened = await this.get(as, to);
    if (opened.status !== 200 || !opened.text.includes("quill.token")) return null;
    const form = formOf(opened.text);
    const names = [...form.keys()].filter((name) => !name.startsWith("quill."));
    const edits: Record<string, string> = {};
    const typed = what === "new" ? names : names.length > 0 ? [this.chance.one(names)] : [];
    for (const name of typed) {
      const value = form.get(name) ?? "";
      const other = /^-?\d+(\.\d+)?$/.test(value) ? String(Number(value) + 1) : `${value}x`;
      const chosen = links(opened.text, new RegExp(`<select[^>]*name="${name}".*?</select>`, "gs"));
      if (chosen.length === 0)
        edits[name] = value === "" ? this.chance.one(["7", "Something new", "2026-05-06", ""]) : other;
    }
    if (what === "new" && names.includes("id")) edits.id = String(500 + this.chance.whole(400));
    return { as, what, method: "POST", to, headers: posted, body: bodyOf(form, edits) };
  }

  private rows(as: string, list: string, text: string): Asked | null {
    if (!text.includes("quill-rows")) return null;
    const form = formOf(text);
    const places = [...form.keys()].filter((name) => /^r\d+:(name|label|length_km|duty_telephone)$/.test(name));
    if (places.length === 0) return null;
    const chosen = this.chance.some(places, list === "/regions" ? 2 : 1);
    const edits = Object.fromEntries(
      chosen.map((name) => [name, `${form.get(name) ?? ""}${name.endsWith("km") ? "1" : "x"}`]),
    );
    const button = list === "/regions" ? "quill.together=" : `quill.row=${/\d+/.exec(chosen[0] ?? "")?.[0]}`;
    return { as, what: "rows", method: "POST", to: list, headers: posted, body: `${bodyOf(form, edits)}&${button}` };
  }

  private async patch(as: string, record: string): Promise<Asked | null> {
    const { status, text } = await this.get(as, `${record}?json`);
    if (status !== 200) return null;
    const { values, fields } = JSON.parse(text) as {
      values: Record<string, unknown>;
      fields: Record<string, { readOnly: boolean }>;
    };
    const names = Object.keys(values).filter(
      (name) => fields[name]?.readOnly === false && typeof values[name] === "string",
    );
    if (names.length === 0) return null;
    const name = this.chance.one(names);
    const body = JSON.stringify({ [name]: `${String(values[name])}1`.slice(0, 40) });
    return {
      as,
      what: "patch",
      method: "PATCH",
      to: record,
      headers: { ...json, "content-type": "application/json", "if-match": "*" },
      body,
    };
  }

  private async putBack(as: string): Promise<Asked | null> {
    const [entry] = await now(
      "SELECT id::text, record_key->>'id' AS key, fields->0->>'field' AS field, fields->0->>'old' AS old FROM quill_log.change WHERE table_name = 'proof.tag' AND operation = 'update' ORDER BY id DESC LIMIT 1",
    );
    if (!entry?.field) return null;
    const { id, key: record, field, old } = entry;
    return {
      as,
      what: "put back",
      method: "PATCH",
      to: `/tags/${record}`,
      asIs: { json: { [field]: old ?? null }, entry: id ?? "" },
    };
  }
}

/** What happens to pages and tables in between: each can be done at any time. */
function* happenings(chance: Chance): Generator<{ what: string; sql?: string; file?: readonly [string, string] }> {
  let [hasMore, isWide] = [false, false];
  for (;;) {
    const next = chance.whole(5);
    if (next === 0)
      yield {
        what: "publish tags",
        file: [
          "tag",
          tag(
            chance.one(["id, label, weight", "id, checked, label", "weight, id, label, kind"]),
            chance.one(["label, weight, checked", "checked, label", "label, kind, weight"]),
          ),
        ],
      };
    else if (next === 1)
      yield { what: "publish doors", file: ["door", secret(chance.one(["true", "false", "shown"]))] };
    else if (next === 2) {
      hasMore = !hasMore;
      yield {
        what: "a column",
        sql: hasMore
          ? "ALTER TABLE proof.tag ADD COLUMN IF NOT EXISTS more text DEFAULT 'more'"
          : "ALTER TABLE proof.tag DROP COLUMN IF EXISTS more",
      };
    } else if (next === 3) {
      isWide = !isWide;
      yield {
        what: "a type",
        sql: `ALTER TABLE proof.tag ALTER COLUMN weight TYPE ${isWide ? "numeric(9,3)" : "numeric(6,2)"}`,
      };
    } else
      yield {
        what: "a river's column",
        sql: "ALTER TABLE network.river ADD COLUMN IF NOT EXISTS basin text; ALTER TABLE network.river ALTER COLUMN basin SET DEFAULT 'vale'",
      };
  }
}

const steps = often(25, 200);
const seeds = (process.env.QUILL_SEEDS ?? "1").split(",").map(Number);

describe.each(["directly", "through a pooler"] as const)("a server that goes on, %s", (way) => {
  test.each(seeds)(
    "answers and does at every step what a fresh one does: seed %i",
    async (seed) => {
      const chance = new Chance(seed);
      const url = new URL(trips.pool.options.connectionString ?? "");
      if (way === "through a pooler") url.port = String(pooler.port);
      const pages = await createPages({ ...optionsOver(url.href, trips.directory), poolSize: 3 });
      const served: Served = await serve(pages);
      const long = { pages, origin: served.origin };
      const person = new Person(chance, (as, to) =>
        ask(long, {
          what: "look",
          as,
          method: "GET",
          to: to.replace("?json", ""),
          headers: to.endsWith("?json") ? json : {},
        }),
      );
      const told: string[] = [];
      const between = happenings(chance);
      try {
        for (let step = 0; step < steps; ) {
          if (chance.is(0.12)) {
            const { what, sql, file } = between.next().value ?? { what: "" };
            told.push(what);
            if (sql) await trips.owner.query(sql);
            if (file) await writeFile(path.join(trips.directory, `${file[0]}.page.yaml`), file[1]);
            await pages.reload();
          }
          const asked = await person.next();
          if (!asked) continue;
          step += 1;
          told.push(`${asked.what}: ${asked.method} ${asked.to} as ${asked.as}`);
          const before = await contents(now);
          const wanted = await fresh.ask(asked);
          const answer = await ask(long, asked);
          const after = await contents(now);
          const where = told.slice(-12).join("\n");
          expect([where, plain(answer)]).toEqual([where, plain(wanted.answer)]);
          expect([where, after]).toEqual([where, wanted.contents]);
          expect([where, answer.status < 500]).toEqual([where, true]);
          // What only looks changes nothing, and what is saved is in the log.
          if (asked.method === "GET") expect([where, after]).toEqual([where, before]);
        }
      } finally {
        await served.stop();
      }
      expect(told.filter((line) => line.startsWith("save")).length).toBeGreaterThan(0);
    },
    often(180_000, 1_800_000),
  );
});
