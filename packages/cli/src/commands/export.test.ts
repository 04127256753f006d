import { execFile } from "node:child_process";
import { hash } from "node:crypto";
import { cp, mkdir, readdir, readFile, writeFile } from "node:fs/promises";
import path from "node:path";
import process from "node:process";
import { fileURLToPath } from "node:url";
import { promisify } from "node:util";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import {
  type Answered,
  ask,
  bodyOf,
  both,
  byChance,
  compared,
  dara,
  ended,
  hollis,
  type Person,
  type Side,
  type Stored,
  side,
  tamsin,
} from "../testing/beside.js";
import {
  complaints,
  directoryWithin,
  exported,
  personHeader,
  removed,
  startExported,
  startServed,
} from "../testing/exported.js";
import { seen } from "../testing/seen.js";
import { exportFiles } from "./export.js";
import { verify } from "./log-verify.js";
import { rehearseFiles } from "./rehearse.js";

/*
 * Pages as plain code, held against the same pages as they are served: the same requests go to both, each over a database of its own that began
 * the same, and what is answered, stored and logged is compared.
 */

const demoPages = fileURLToPath(new URL("../../../../demo/pages", import.meta.url));
const names = [
  "station",
  "sensor",
  "reading-note",
  "river",
  "region",
  "bulletin",
  "loan",
  "calibration",
  "visit",
  "kinds-of-all",
  "own-note",
];

/** A table and a page with what those of the demo do not have. */
const kindsTable = `CREATE SCHEMA "odd ones";
CREATE TABLE "odd ones"."order" (
  "Number" bigint PRIMARY KEY, "user" varchar(20), "two words" text NOT NULL DEFAULT '', e_mail text UNIQUE, site text, size text CHECK (size IN ('small', 'large')),
  "select" text CHECK ("select" !~ '[;/ ]'), weight double precision, ratio numeric, exact numeric(8,3) CHECK (exact >= 0), share smallint CHECK (share BETWEEN 0 AND 100), total bigint, wanted boolean,
  mark uuid, begins timestamp, ends timestamptz, seen date CHECK (seen >= '2000-01-01'), "row" jsonb, kept char(4), changed_by text, changed_at timestamptz, note text, secret_word text, reason text,
  CONSTRAINT wanted_small CHECK (NOT wanted OR size = 'small' OR share IS NOT NULL), CONSTRAINT near CHECK (ratio <= exact + 2),
  CONSTRAINT sited CHECK ((size = 'small') = (site IS NOT NULL)), CONSTRAINT shared CHECK (share >= exact),
  CONSTRAINT lowered CHECK (lower(e_mail) = e_mail), CONSTRAINT unlucky CHECK (share <> 13 AND (total < 5 OR total > 9)),
  CONSTRAINT cased CHECK (CASE WHEN wanted THEN length(note) < 40 ELSE ratio IS DISTINCT FROM 7 END), CONSTRAINT tidy CHECK (note = btrim(note) AND note !~ '[<>]')
);
INSERT INTO "odd ones"."order" VALUES
  (1, 'first', 'a b', 'one@example.org', 'https://example.org', 'small', 'x', 1.5, 2.50, 3.125, 10, 9007199254740993, true, '6f0e8f5e-0d3b-4b53-9d5c-3f6d6f2d3c11', '2026-03-01 10:00', '2026-07-01 12:30:15.25+00', '2026-01-01', '{"a": 1}', 'ab', NULL, NULL, E'one\ntwo'),
  (2, NULL, '', NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL),
  (3, 'third', 'c', 'three@example.org', NULL, 'large', 'y', -0.5, 0, 0, 0, 0, false, NULL, '2026-03-01 10:00:00.123456', '2026-10-25 00:30+00', '2001-12-31', '[]', 'abcd', 'x', '2026-01-01 00:00+00', '');
CREATE FUNCTION "odd ones".word() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN NEW.secret_word := coalesce(NEW.note, ''); RETURN NEW; END $$;
CREATE TRIGGER word BEFORE UPDATE ON "odd ones"."order" FOR EACH ROW EXECUTE FUNCTION "odd ones".word();
GRANT USAGE ON SCHEMA "odd ones" TO quill_pages;
GRANT SELECT, UPDATE ON "odd ones"."order" TO quill_pages;`;
const kindsPage = `format: loyal-quill/page@1
title: "Order {Number} of {user}, {ends}"
plural: Orders & more
path: /orders/{Number}
record: { table: odd ones.order, key: Number }
time-zone: Europe/London
access:
  open: actor.name.startsWith("T") || "hydrologist" in actor.roles
  rows: row["two words"] != "gone" && (row.share == null || row.share < 90 || actor.region_id == "3")
  edit: '!(row.share > 80) || row.note == null'
save: { reason: 'form.share != null && form.share > 50' }
set: { changed_by: actor.name }
fields:
  - user: { tidy: [trim, lower], rules: [{ min-length: 3 }, { pattern: "[a-z]+( [a-z]+)*", message: 'Small letters only: \\d \`\${x}\`.' }], help: 'Who "ordered" <it>.' }
  - two words: { tidy: [single-spaces], empty: text, group: Texts, help: Two of them. }
  - e_mail: { rules: [e-mail, { unique: ignoring-case }], group: Texts }
  - site: { rules: [web-address, { required: true, when: 'form.e_mail == null && actor.region_id != null' }], group: Texts }
  - size: { control: radio }
  - select: { hint: 'like "x"', when: 'row.size == "small" || actor.region_id == "3"' }
  - weight
  - ratio: { rules: [{ step: 0.5 }] }
  - exact: { unit: kg, rules: [{ max: 500 }, { step: 0.5, message: "In halves.", when: 'form.size == "large" || form.wanted == true' }] }
  - share
  - total
  - wanted
  - mark: { when: row.wanted != false, group: Marks }
  - begins
  - ends
  - seen: { rules: [{ max: "2030-12-31" }] }
  - row
  - kept
  - note: { control: multi-line, rules: [{ max-length: 50 }] }
  - changed_by: { read-only: true }
  - changed_at: { read-only: true, when: row.changed_at != null }
  - secret_word: { read-only: true }
  - reason: { help: Why it was ordered. }
checks:
  - { expect: 'form.ends > form.seen', at: ends, message: It ends after it was seen. }
  - { expect: 'size(form.note) < 40 || form.share in [1, 2, 3]', message: "A long note needs a share of 1, 2 or 3." }
  - { expect: 'form.total >= form.share || row.share == null', at: total, message: No less than the share. }
  - { expect: 'form.begins < now && form.exact * 1 != 7', at: begins, message: Begun. }
constraints:
  near: { message: Too far apart., at: weight }
  shared: "The share is no less than what is exact."
  order_size_check: Small or large.
answer: { saved: page }
`;

/** What both databases have besides the demo. */
const besides = [
  kindsTable,
  `INSERT INTO field.reading_note (station_code, noted_at, level_m, note) VALUES ('MV-014', '2026-03-29 00:59:59.5+00', 1.25, 'First'), ('MV-020', '2026-10-25 00:30:00+00', NULL, 'Twice'), ('MV-014', '2026-10-25 01:30:00.123456+00', 3, E'Lines\nof it')`,
  `INSERT INTO field.visit (id, station_code, visitor_id, visited_at, level_read_m, findings, photo)
SELECT ('00000000-0000-4000-8000-00000000000' || number)::uuid, station, (SELECT id FROM office.person ORDER BY active, id OFFSET number LIMIT 1), '2026-05-01 10:00Z', number, 'Found.', photo
FROM (VALUES (1, 'MV-014', '\\x00ff10'::bytea), (2, 'MV-020', NULL), (3, 'MV-031', decode(repeat('ab', 12345), 'hex'))) AS of (number, station, photo)`,
];

/** Bulletins as they are before each form: what is saved may change their key. */
const noticesAnew = `DELETE FROM office.bulletin WHERE body LIKE 'Of a test.%' OR slug LIKE 'notice-%';
INSERT INTO office.bulletin (slug, headline, body, state, publish_at, author_id, team)
SELECT 'notice-' || name, 'High water expected: ' || name, 'Of a test.', state::office.bulletin_state, '2099-06-01 12:00Z', '5e0c7a10-4b1d-4c55-9d0e-000000000002', 'hydrology'
FROM (VALUES ('one', 'planned'), ('two', 'planned'), ('read', 'published')) AS of (name, state)`;

/** The demo's pages, and the page above; what isn't exported of what comes after a save is left out of them. */
async function pagesIn(to: string): Promise<string> {
  const directory = path.join(to, "page-files");
  await mkdir(directory);
  for (const file of (await readdir(demoPages)).filter((name) => name.endsWith(".yaml")))
    await writeFile(
      path.join(directory, file),
      (await readFile(path.join(demoPages, file), "utf8"))
        .replace(/saved: (next|view)/, "saved: page")
        .replace(", form: beside", ""),
    );
  await writeFile(path.join(directory, "kinds-of-all.page.yaml"), kindsPage);
  const notes = await readFile(path.join(directory, "reading-note.page.yaml"), "utf8");
  const ownStations = notes
    .replace("path: /notes", "path: /own-notes")
    .replace("{ label: Station }", "{ label: Station, choices: { where: row.region_id == actor.region_id } }");
  await writeFile(path.join(directory, "own-note.page.yaml"), ownStations);
  return directory;
}

let directory: string;
let pages: string;
let told: readonly string[];
let served: Side;
let plain: Side;
let sides: readonly Side[] = [];

beforeAll(async () => {
  directory = await directoryWithin();
  pages = await pagesIn(directory);
  served = await side((database) => startServed(pages, database), besides);
  told = await exported(served.made.pages, [pages], directory);
  const missing = names.filter((name) => !told.some((line) => line.startsWith(`${name}: `) && line.includes(" lines")));
  if (missing.length > 0) throw new Error(`Not exported: ${told.join("\n")}`);
  plain = await side((database) => startExported(directory, names, database), besides);
  sides = [served, plain];
}, 120_000);
afterAll(async () => {
  for (const each of sides) await ended(each);
  await removed(directory);
});

const station = (code = "MV-014"): Stored => ({ table: "network.station", key: { code } });
const mv014 = "/stations/MV-014/edit";
const visit = (number: number): string => `00000000-0000-4000-8000-00000000000${number}`;

test("the command says where the code is, what it needs, what isn't taken along, and which pages it can't export", () => {
  const [said, needs, left] = told.join("\n").split("\n\n");
  expect(said?.split("\n").map((line) => line.replaceAll(directory, "src"))).toEqual([
    expect.stringMatching(/^bulletin: /),
    expect.stringMatching(/^calibration: /),
    expect.stringMatching(/^kinds-of-all: src\/kinds-of-all, \d+ lines\.$/),
    expect.stringMatching(/^loan: /),
    expect.stringMatching(/^own-note: /),
    expect.stringMatching(/^reading-note: /),
    expect.stringMatching(/^region: /),
    expect.stringMatching(/^river: /),
    expect.stringMatching(/^sensor: /),
    expect.stringMatching(/^station: src\/station, 6\d\d lines\.$/),
    expect.stringMatching(/^visit: src\/visit, \d+ lines\.$/),
  ]);
  expect(needs).toBe(
    "It needs:\n  npm install @sindresorhus/transliterate big.js busboy express jsonc-parser pg re2js temporal-polyfill\n  npm install --save-dev @types/big.js @types/busboy @types/express @types/node @types/pg tsx typescript",
  );
  expect(left).toMatch(/^Differences from the served page:\n- The list with its search/);
});

/** Written anew by QUILL_WRITE_EXAMPLE=1 npm run test:database -- --testPathPatterns commands/export.test -t example */
test("the example is what is exported now", async () => {
  const example = fileURLToPath(new URL("../../../../examples/plain-code/pages", import.meta.url));
  const at = process.env.QUILL_WRITE_EXAMPLE ? example : path.join(directory, "example");
  const files = ["station", "river", "visit"].map((name) => path.join(demoPages, `${name}.page.yaml`));
  await exportFiles({ database: served.made.pages, files, to: at, force: true }, () => {});
  const names = (await readdir(at, { recursive: true })).filter((name) => name.endsWith(".ts"));
  expect(names.length).toBeGreaterThan(15);
  for (const name of names)
    expect([name, await readFile(path.join(example, name), "utf8")]).toEqual([
      name,
      await readFile(path.join(at, name), "utf8"),
    ]);
});

test("a page may be called like something in the code", async () => {
  const to = path.join(directory, "called-alike");
  await mkdir(to);
  for (const [name, of] of [
    ["look", "calibration"],
    ["wanted", "calibration"],
    ["client", "loan"],
    ["before", "loan"],
    ["row", "loan"],
  ]) {
    const text = await readFile(path.join(pages, `${of}.page.yaml`), "utf8");
    await writeFile(path.join(to, `${name}.page.yaml`), text.replace("path: /", `path: /${name}/`));
  }
  expect((await exported(served.made.pages, [to], path.join(to, "code"))).join("\n")).not.toContain("not exported");
  expect(await complaints(path.join(to, "code"))).toBe("");
}, 60_000);

test("a page of pages/ is exported by its name", async () => {
  const to = path.join(directory, "by-name");
  await cp(pages, path.join(to, "pages"), { recursive: true });
  const program = fileURLToPath(new URL("../../bin/quill.js", import.meta.url));
  const quill = (name: string) =>
    promisify(execFile)(process.execPath, [program, "export", name, "--to", "src/pages"], {
      cwd: to,
      env: { PATH: process.env.PATH, DATABASE_URL: served.made.pages },
    });
  expect((await quill("station")).stdout).toMatch(/^station: src\/pages\/station, 6\d\d lines\./);
  await expect(quill("stations")).rejects.toThrow(
    "There is no file or directory stations, and no page file pages/stations.page.yaml.",
  );
});

test("a file that was changed is not written over unless one says so", async () => {
  const to = path.join(directory, "again");
  const options = { database: served.made.pages, files: [path.join(pages, "river.page.yaml")], to };
  const quiet = (): void => {};
  expect(await exportFiles({ ...options, force: false }, quiet)).toBe(0);
  expect(await exportFiles({ ...options, force: false }, quiet)).toBe(0);
  const file = path.join(to, "river", "view.ts");
  await writeFile(file, "// Mine.\n");
  await expect(exportFiles({ ...options, force: false }, quiet)).rejects.toThrow("river/view.ts");
  expect(await readFile(file, "utf8")).toBe("// Mine.\n");
  expect(await exportFiles({ ...options, force: true }, quiet)).toBe(0);
  expect(await readFile(file, "utf8")).not.toBe("// Mine.\n");
});

test("the code is strict TypeScript", async () => {
  expect(await complaints(directory)).toBe("");
}, 60_000);

describe("an exported page answers as the served one does", () => {
  test("what is saved: only what was changed, with one entry of the log", async () => {
    const answer = await both(sides, mv014, station(), hollis, { warning_m: "2.9", notes: "High.\nDry." });
    expect([answer.status, answer.location]).toEqual([303, "/stations"]);
    expect(answer.left).toMatch(/is saved\.$/);
  });

  test("what is sent as it was shown is no change", async () => {
    const answer = await both(sides, mv014, station(), hollis, {});
    expect([answer.status, answer.left]).toEqual([303, expect.stringMatching(/^Nothing was changed/)]);
  });

  test("a value that is written another way is no change", async () => {
    await both(sides, mv014, station(), tamsin, { alert_m: "1.5", warning_m: "2.5", notes: "x" });
    const answer = await both(sides, mv014, station(), tamsin, { alert_m: "+1.500", warning_m: "25e-1" });
    expect(answer.left).toMatch(/^Nothing was changed/);
  });

  test("what is refused: the fields' own rules, the checks across them, the table's constraints, what is already used", async () => {
    const problemsAt = async (edits: Readonly<Record<string, string | null>>, of = station(), address = mv014) => {
      const { status, seen: form } = await both(sides, address, of, tamsin, edits);
      return [
        status,
        form.fields
          .filter(({ problem }) => problem !== null)
          .map(({ name }) => name)
          .join(" "),
      ];
    };
    expect(await problemsAt({ name: "  ", alert_m: "high", installed_on: "2026-02-30" })).toEqual([
      422,
      "name alert_m installed_on",
    ]);
    expect(await problemsAt({ alert_m: "3", warning_m: "2" })).toEqual([422, "warning_m"]);
    expect(await problemsAt({ alert_m: "-3" })).toEqual([422, "alert_m"]);
    expect(await problemsAt({ alert_m: "1,5", warning_m: "1,234,567.5" })).toEqual([422, "alert_m warning_m"]);
    expect(await problemsAt({ warning_m: "2.345" })).toEqual([422, "warning_m"]);
    expect(await problemsAt({ name: "n".repeat(61), notes: "n\0n" })).toEqual([422, "name notes"]);
    expect(await problemsAt({ river_id: "987654" })).toEqual([422, "river_id"]);
    expect(await problemsAt({ status: "sunk" })).toEqual([422, "status"]);
    expect(
      await problemsAt({
        grid_reference: (await served.owner.query("SELECT grid_reference FROM network.station WHERE code = 'MV-020'"))
          .rows[0].grid_reference,
      }),
    ).toEqual([422, "grid_reference"]);
    expect(
      await problemsAt(
        { settings: '{ "a": 1,\n "b" }', serial_number: "" },
        { table: "network.sensor", key: { station_code: "MV-014", channel: "1" } },
        "/sensors/MV-014/1/edit",
      ),
    ).toEqual([422, "serial_number settings"]);
  });

  test("other fields are merged, the same field is a conflict with who and when, and theirs can be taken", async () => {
    const change =
      (text: string) =>
      ({ owner }: Side) =>
        owner.query(`UPDATE network.station SET ${text} WHERE code = 'MV-014'`);
    expect((await both(sides, mv014, station(), hollis, { name: "Merged" }, change("notes = 'Theirs.'"))).status).toBe(
      303,
    );
    const answer = await both(
      sides,
      mv014,
      station(),
      hollis,
      { name: "Mine", notes: "Mine, too." },
      change("name = 'Theirs'"),
    );
    expect([answer.status, answer.seen.fields.find(({ name }) => name === "name")?.conflict]).toEqual([
      409,
      expect.stringMatching(/^Stored now.*: Theirs$/),
    ]);
    // What others have stored by the page is told with their name and the moment, which differs by what lies between the two requests.
    const conflict = async (side: Side) => {
      const opened = await ask(side, mv014, hollis);
      await ask(side, mv014, tamsin, bodyOf((await ask(side, mv014, tamsin)).seen, { name: "Tamsin’s" }));
      const refused = await ask(side, mv014, hollis, bodyOf(opened.seen, { name: "Hollis’s", warning_m: "2.75" }));
      const again = await ask(
        side,
        mv014,
        hollis,
        bodyOf(refused.seen, { [side === served ? "quill.take" : "form.take"]: "name" }),
      );
      const saved = await ask(side, mv014, hollis, bodyOf(again.seen, {}));
      return [
        refused.status,
        refused.seen.fields.find(({ name }) => name === "name")?.conflict?.replace(/\d\d:\d\d:\d\d/, "00:00:00"),
        again.seen.fields.find(({ name }) => name === "name")?.text,
        saved.status,
        saved.left,
      ];
    };
    expect(await conflict(plain)).toEqual(await conflict(served));
  });

  test("who may not, and what is not there", async () => {
    const asked = async (
      address: string,
      person: Person | null,
      body?: string,
      more?: RequestInit,
    ): Promise<number> => {
      const [one, other] = await Promise.all(sides.map((each) => ask(each, address, person, body, more)));
      expect(compared(other as Answered)).toEqual(compared(one as Answered));
      return one?.status ?? 0;
    };
    expect(await asked(mv014, null)).toBe(401);
    expect(await asked(mv014, null, "name=x&warning_m=2")).toBe(401);
    expect(await asked(mv014, dara)).toBe(403);
    expect(await asked("/stations/MV-999/edit", tamsin)).toBe(404);
    expect(await asked("/sensors/MV-014/99999/edit", tamsin)).toBe(400);
    expect(await asked("/sensors/MV-014/x/edit", tamsin)).toBe(400);
    expect(await asked(mv014, tamsin, "name=x")).toBe(403);
    expect(await asked(mv014, tamsin, "name=x&name=y")).toBe(400);
    expect(await asked(mv014, tamsin, "{}", { headers: { "content-type": "application/xml" } })).toBe(415);
    expect(await asked(mv014, tamsin, undefined, { method: "PUT" })).toBe(405);
  });

  test("choices that depend on another field follow it by a button, and what is stored keeps its name when it is not offered any more", async () => {
    const address = "/calibrations/5/edit";
    const answers = await Promise.all(
      sides.map(async (each) => {
        const { seen: form } = await ask(each, address, tamsin);
        const look = each === served ? "quill.look" : "form.look";
        return ask(each, address, tamsin, bodyOf(form, { station_code: "MV-002", channel: "", [look]: "channel" }));
      }),
    );
    const [one, other] = answers.map((answer) => compared(answer));
    expect(other).toEqual(one);
    const optionsOf = (name: string) => one?.fields.find((field) => field.name === name)?.options ?? [];
    const { rows } = await served.owner.query(
      "SELECT channel::text, channel || ', ' || kind AS label FROM network.sensor WHERE station_code = 'MV-002' ORDER BY channel",
    );
    const shown = optionsOf("channel").map(([value, label]) => ({ channel: value, label }));
    expect(shown.filter(({ label }) => label.includes(", "))).toEqual(rows);
    // The stored channel is another station's: nothing but its number is known of it here.
    expect(shown.filter(({ label }) => !label.includes(", ")).every(({ label }) => /^(\d+ \(|–$)/.test(label))).toBe(
      true,
    );
    const gone = (
      await Promise.all([1, 2, 3, 4, 5, 6, 7, 8].map((id) => ask(plain, `/calibrations/${id}/edit`, tamsin)))
    )
      .flatMap(({ seen: form }) => form.fields.find(({ name }) => name === "done_by")?.options ?? [])
      .map(([, label]) => label);
    expect(gone).toContain("Piers Wexcombe (no longer offered)");
  });

  test("choices are found by a button and by the enter key, and what was chosen stays", async () => {
    const address = `/visits/${visit(1)}/edit`;
    const field = ({ seen: form }: Answered) => form.fields.find(({ name }) => name === "station_code");
    /** Looks for a text in both, beside what was typed elsewhere. */
    const looked = async (text: string, edits: Readonly<Record<string, string>>, byButton: boolean) => {
      const [one, other] = await Promise.all(
        sides.map(async (each) => {
          const own = each === served ? "quill" : "form";
          const button = byButton ? { [`${own}.look`]: "station_code" } : {};
          const { seen: form } = await ask(each, address, tamsin);
          return ask(each, address, tamsin, bodyOf(form, { ...edits, ...button, [`${own}.find:station_code`]: text }));
        }),
      );
      expect(compared(other as Answered)).toEqual(compared(one as Answered));
      return other as Answered;
    };
    const all = await looked("", {}, true);
    expect(field(all)?.options.length).toBe(20);
    const found = await looked("MV-02", { findings: "Typed." }, true);
    expect([found.status, found.seen.fields.find(({ name }) => name === "findings")?.text]).toEqual([200, "Typed."]);
    const codes = field(found)?.options.map(([value]) => value) ?? [];
    expect(codes).toEqual(["MV-014", ...codes.slice(1)]);
    expect(codes.slice(1).every((code) => code.startsWith("MV-02")) && codes.length > 5).toBe(true);
    expect(field(await looked("%", {}, false))?.options.map(([value]) => value)).toEqual(["MV-014"]);
    expect(field(await looked("mv 021", { station_code: "MV-030" }, false))?.options.map(([value]) => value)).toEqual(
      expect.arrayContaining(["MV-014", "MV-030", "MV-021"]),
    );
    expect((await looked("a\0b", {}, false)).status).toBe(200);
    const chosen = await both(sides, address, { table: "field.visit", key: { id: visit(1) } }, tamsin, {
      station_code: "MV-021",
    });
    expect(chosen.status).toBe(303);
  });

  describe("files", () => {
    const address = (number: number): string => `/visits/${visit(number)}/edit`;
    const image = (bytes: Buffer | string, type = "image/png"): Blob => new Blob([bytes as never], { type });
    /** A form in parts, as a browser sends it. */
    async function parts(at: Side, number: number, photo: Blob | null, edits: Readonly<Record<string, string>> = {}) {
      const { seen: form } = await ask(at, address(number), tamsin);
      const body = new FormData();
      for (const [name, value] of form.sends) if (name !== "photo") body.append(name, value);
      for (const [name, value] of Object.entries(edits))
        body.set(name === "remove" ? `${at === served ? "quill" : "form"}.remove:photo` : name, value);
      body.append("photo", photo ?? new Blob([]), photo ? "a picture.png" : "");
      return body;
    }
    const post = async (at: Side, number: number, body: FormData) => {
      const response = await fetch(`${at.application.origin}${address(number)}`, {
        method: "POST",
        body,
        redirect: "manual",
        headers: { [personHeader]: JSON.stringify(tamsin) },
      });
      return { status: response.status, ...seen(await response.text()), sends: null };
    };
    const stored = async ({ owner }: Side, number: number) => {
      const { rows } = await owner.query(
        "SELECT v.findings, v.photo, (SELECT json_agg(json_build_array(operation, f) ORDER BY c.id) FROM quill_log.change AS c, jsonb_array_elements(fields) AS f WHERE record_key->>'id' = v.id::text AND f->>'field' <> 'recorded_at') AS entries, (SELECT count(*) FROM quill_log.change AS c WHERE record_key->>'id' = v.id::text) AS count FROM field.visit AS v WHERE id = $1",
        [visit(number)],
      );
      return rows[0];
    };
    const saved = async (number: number, photo: Blob | null, edits: Readonly<Record<string, string>> = {}) => {
      const [one, other] = await Promise.all(
        sides.map(async (each) => post(each, number, await parts(each, number, photo, edits))),
      );
      expect(other).toEqual(one);
      const [atPlain, atServed] = [await stored(plain, number), await stored(served, number)];
      // Jest compares bytes one by one, which takes seconds of a photo.
      const withDigest = (row: { photo: Buffer | null }) => ({ ...row, photo: row.photo && hash("sha256", row.photo) });
      expect(withDigest(atPlain)).toEqual(withDigest(atServed));
      return { status: one?.status, problem: one?.fields.find(({ name }) => name === "photo")?.problem };
    };

    test("are shown by their size, downloaded by whoever may see the record, and left alone where none is chosen", async () => {
      const page = await (
        await fetch(`${plain.application.origin}${address(1)}`, { headers: { [personHeader]: JSON.stringify(tamsin) } })
      ).text();
      expect(page).toContain(`href="/visits/${visit(1)}/photo" download>Download (3 byte)`);
      expect(page).not.toContain("00ff10");
      const got = async (path: string, person: Person | null) => {
        const response = await fetch(`${plain.application.origin}${path}`, {
          headers: person ? { [personHeader]: JSON.stringify(person) } : {},
        });
        return { response, bytes: Buffer.from(await response.arrayBuffer()) };
      };
      const { response, bytes } = await got(`/visits/${visit(1)}/photo`, tamsin);
      expect([
        response.status,
        response.headers.get("content-type"),
        response.headers.get("x-content-type-options"),
        response.headers.get("content-disposition"),
      ]).toEqual([200, "application/octet-stream", "nosniff", `attachment; filename=visit-${visit(1)}-photo`]);
      expect(bytes).toEqual(Buffer.from([0, 255, 16]));
      const statuses = await Promise.all(
        [
          [visit(1), "photo", null],
          [visit(1), "photo", dara],
          [visit(1), "findings", tamsin],
          [visit(2), "photo", tamsin],
          [visit(9), "photo", tamsin],
          ["x", "photo", tamsin],
        ].map(
          async ([id, column, person]) =>
            (await got(`/visits/${id}/${column}`, person as Person | null)).response.status,
        ),
      );
      expect(statuses).toEqual([401, 403, 404, 404, 404, 400]);
      expect((await saved(1, null)).status).toBe(303);
      expect((await stored(plain, 1)).photo).toEqual(Buffer.from([0, 255, 16]));
    });

    test("are replaced, are no change where they are the same, and can be taken away", async () => {
      const large = Buffer.from(Array.from({ length: 1_900_000 }, (_, index) => (index * 7) % 251));
      expect((await saved(2, image(large), { findings: "With a picture." })).status).toBe(303);
      expect((await stored(plain, 2)).photo.equals(large)).toBe(true);
      const { count } = await stored(plain, 2);
      expect((await saved(2, image(large))).status).toBe(303);
      expect((await stored(plain, 2)).count).toEqual(count);
      expect((await saved(2, null, { remove: "true" })).status).toBe(303);
      expect((await stored(plain, 2)).photo).toBe(null);
    });

    test("are refused by the rules, and where they are too much; nothing else is lost", async () => {
      expect(await saved(3, image(Buffer.alloc(2_000_001)), { findings: "Typed." })).toEqual({
        status: 422,
        problem: "Photo is too large: at most 2000 kB.",
      });
      expect(await saved(3, image("x", "text/plain"))).toEqual({
        status: 422,
        problem: expect.stringContaining("image/jpeg"),
      });
      expect(
        (await saved(3, image("x", "text/plain"), { level_read_m: "much", follow_up_on: "2026-02-30" })).status,
      ).toBe(422);
      const statusOf = async (body: FormData, person: Person | null = tamsin) =>
        (
          await fetch(`${plain.application.origin}${address(3)}`, {
            method: "POST",
            body,
            headers: person ? { [personHeader]: JSON.stringify(person) } : {},
          })
        ).status;
      expect(await statusOf(await parts(plain, 3, image(Buffer.alloc(17_000_000))))).toBe(413);
      expect(await statusOf(await parts(plain, 3, null, { findings: "x".repeat(1_100_000) }))).toBe(413);
      const many = await parts(plain, 3, null);
      for (let at = 0; at < 5; at++) many.append(`more.${at}`, "x".repeat(250_000));
      expect(await statusOf(many)).toBe(413);
      // Of nobody who isn't known none is read.
      expect(await statusOf(await parts(plain, 3, image(Buffer.alloc(17_000_000))), null)).toBe(401);
      const twice = await parts(plain, 3, null);
      twice.append("findings", "again");
      expect(await statusOf(twice)).toBe(400);
      expect(await statusOf(new FormData())).toBe(403);
    });

    test("what is no form in parts is answered, and no fault", async () => {
      const statuses = await Promise.all(
        sides.flatMap((each) =>
          [
            ["multipart/form-data", "x"],
            ["multipart/form-data; boundary=x", ""],
            ["multipart/form-data; boundary=x", '--x\r\nContent-Disposition: form-data; name="a"\r\n\r\nhalf'],
            ["multipart/mixed; boundary=x", "--x--"],
          ].map(
            async ([type = "", body]) =>
              (await ask(each, address(1), tamsin, body, { headers: { "content-type": type } })).status,
          ),
        ),
      );
      expect(statuses.slice(4)).toEqual(statuses.slice(0, 4));
      expect(statuses.every((status) => status >= 400 && status < 500)).toBe(true);
    });

    test("two people with another file each are a conflict", async () => {
      const conflicts = await Promise.all(
        sides.map(async (each) => {
          const mine = await parts(each, 1, image("mine"));
          await each.owner.query("UPDATE field.visit SET photo = '\\x0102' WHERE id = $1", [visit(1)]);
          return post(each, 1, mine);
        }),
      );
      expect(conflicts[1]).toEqual(conflicts[0]);
      expect([conflicts[1]?.status, conflicts[1]?.fields.find(({ name }) => name === "photo")?.conflict]).toEqual([
        409,
        expect.stringMatching(/2 byte/),
      ]);
      expect((await stored(plain, 1)).photo).toEqual(Buffer.from([1, 2]));
    });
  });

  test("a conflict names a chosen record by what it is called, a day and a moment as people read them", async () => {
    const answer = await both(
      sides,
      `/visits/${visit(3)}/edit`,
      null,
      tamsin,
      { station_code: "MV-001", visited_at: "2026-05-02T10:00", follow_up_on: "2026-06-01" },
      ({ owner }) =>
        owner.query(
          "UPDATE field.visit SET station_code = 'MV-002', visited_at = '2026-05-03 10:00:00.5Z', follow_up_on = '2026-06-02' WHERE id = $1",
          [visit(3)],
        ),
    );
    expect(answer.status).toBe(409);
  });

  const rounds = Number(process.env.QUILL_EXPORT_ROUNDS ?? (process.env.QUILL_TEST_LONG ? 500 : 30));
  const keyed = (address: string, table: string, key: Readonly<Record<string, string>>) =>
    [`${address}/edit`, { table, key }] as const;
  test.each([
    ["station", ["MV-014", "MV-020", "MV-031"].map((code) => keyed(`/stations/${code}`, "network.station", { code }))],
    [
      "sensor",
      ["1", "2"].map((channel) =>
        keyed(`/sensors/MV-014/${channel}`, "network.sensor", { station_code: "MV-014", channel }),
      ),
    ],
    ["reading-note", ["1", "2", "3"].map((id) => keyed(`/notes/${id}`, "field.reading_note", { id }))],
    ["own-note", ["1", "2", "3"].map((id) => keyed(`/own-notes/${id}`, "field.reading_note", { id }))],
    ["river", ["1", "2"].map((id) => keyed(`/rivers/${id}`, "network.river", { id }))],
    ["kinds-of-all", ["1", "2", "3"].map((id) => keyed(`/orders/${id}`, '"odd ones"."order"', { Number: id }))],
    ["region", ["1", "2"].map((id) => keyed(`/regions/${id}`, "network.region", { id }))],
    [
      "bulletin",
      ["notice-one", "notice-two", "notice-read"].map((slug) =>
        keyed(`/bulletins/${slug}`, "office.bulletin", { slug }),
      ),
    ],
    ["calibration", ["1", "2", "3"].map((id) => keyed(`/calibrations/${id}`, "field.calibration", { id }))],
    [
      "loan",
      ["1001", "1002", "1003"].map((LoanNo) => keyed(`/loans/${LoanNo}`, 'legacy."InstrumentLoan"', { LoanNo })),
    ],
    ["visit", [1, 2, 3].map((number) => keyed(`/visits/${visit(number)}`, "field.visit", { id: visit(number) }))],
  ] as const)(
    "%s: forms filled by chance",
    async (page, records) => {
      const statuses = await byChance(sides, page, records, rounds, 7, {
        before: page === "bulletin" ? noticesAnew : undefined,
        // Others depend on it; or whether the record can still be seen.
        alone: ({ calibration: ["station_code"], station: ["region_id"] } as Record<string, string[]>)[page] ?? [],
      });
      // Forms were saved and refused, so that both were compared.
      expect([statuses[303], statuses[422]].map((count = 0) => count > rounds / 20)).toEqual([true, true]);
    },
    600_000,
  );

  const rehearsed = process.env.QUILL_TEST_LONG
    ? names.filter((name) => !["kinds-of-all", "own-note"].includes(name))
    : ["station", "river"];
  test.each(rehearsed)(
    "%s: what the rehearsal sends",
    async (name) => {
      const people = path.join(directory, `people-${name}.yaml`);
      const withAttributes = [tamsin, hollis].map(({ region_id, team, ...person }) => ({
        ...person,
        attributes: { region_id, team },
      }));
      await writeFile(people, JSON.stringify(withAttributes));
      const files = [path.join(pages, `${name}.page.yaml`)];
      const [rehearsed] = await rehearseFiles({ database: served.made.pages, files, quick: false, people });
      const sent = (rehearsed?.rehearsal?.cases ?? []).flatMap(({ id, evidence }) =>
        evidence.flatMap(({ method, path: address, body, actor }) =>
          // What is just too large is so with one side's token only.
          method === "POST" && body !== null && body.length < 1_000_000 && address.endsWith("/edit")
            ? [{ id, address, body, actor }]
            : [],
        ),
      );
      expect(sent.length).toBeGreaterThan(["station", "sensor"].includes(name) ? 60 : 10);
      const statuses = new Set<number>();
      for (const { id, address, body, actor } of sent) {
        const person = [tamsin, hollis].find((each) => each.id === actor?.id);
        const pairs = [...new URLSearchParams(body)];
        if (!person) continue;
        const { seen: opened, status } = await ask(served, address, person);
        // What is about tokens and names sent twice is told apart elsewhere: here each side's own form is sent with the rehearsal's texts.
        if (status !== 200 || new Set(pairs.map(([each]) => each)).size !== pairs.length) continue;
        const typed = new Map(pairs);
        const edits = Object.fromEntries(opened.fields.map((field) => [field.name, typed.get(field.name) ?? null]));
        // What is not offered is told in other words (docs/exporting.md).
        const isOffered = opened.fields.every(
          ({ name: each, options }) =>
            options.length === 0 || ["", null, ...options.map(([value]) => value)].includes(edits[each] ?? null),
        );
        if (!isOffered) continue;
        const answer = await both(sides, address, null, person, edits).catch((error: Error) => {
          throw new Error(`${id}: ${error.message}`);
        });
        statuses.add(answer.status);
      }
      expect([...statuses].sort()).toEqual(expect.arrayContaining([303, 422]));
    },
    600_000,
  );

  test("nothing that a person can send is answered with a fault", async () => {
    const mv040 = "/stations/MV-040/edit";
    const statuses: number[] = [];
    for (const cookie of ["page_said=%", "page_said=%E0%A4%A", "page_said=", "x=y"]) {
      const response = await fetch(`${plain.application.origin}${mv040}`, {
        headers: { cookie, [personHeader]: JSON.stringify(tamsin) },
      });
      await response.text();
      statuses.push(response.status);
    }
    const { seen: form } = await ask(plain, mv040, tamsin);
    const token = form.sends.get("form.token") ?? "";
    for (const body of [
      "",
      "form.token=",
      "form.token=.{}",
      `form.token=${encodeURIComponent(token)}&form.take=constructor`,
      `form.token=${encodeURIComponent(token)}&__proto__=x&name.box=1`,
      `${"a=1&".repeat(5000)}`,
      "%",
      `name=${"x".repeat(1_200_000)}`,
    ])
      statuses.push((await ask(plain, mv040, tamsin, body)).status);
    statuses.push(
      (await ask(plain, "/stations/%00/edit", tamsin)).status,
      (await ask(plain, "/stations/%FF/edit", tamsin)).status,
      (await ask(plain, "/stations/~~/edit", tamsin)).status,
    );
    for (const strange of ["/stations/%00/edit", "/sensors/MV-014/%00/edit", "/stations/~~/edit"]) {
      const [one, other] = await Promise.all(sides.map((each) => ask(each, strange, tamsin)));
      expect(compared(other as Answered)).toEqual(compared(one as Answered));
    }
    expect(statuses.filter((status) => status >= 500)).toEqual([]);
  });

  test("where the database is away, it says so, and nothing that was typed is lost", async () => {
    const away = await startExported(directory, ["station"], "postgresql://nobody@127.0.0.1:1/none");
    try {
      const at = { ...plain, application: away };
      expect((await ask(at, mv014, tamsin)).status).toBe(503);
      const token = (await ask(plain, mv014, tamsin)).seen.sends.get("form.token") ?? "";
      const response = await fetch(`${away.origin}${mv014}`, {
        method: "POST",
        body: new URLSearchParams({ "form.token": token, name: "Typed <here>" }),
        headers: { [personHeader]: JSON.stringify(tamsin) },
      });
      expect([response.status, (await response.text()).includes("<dd>Typed &lt;here&gt;</dd>")]).toEqual([503, true]);
    } finally {
      await away.stop();
    }
  });
});

describe("the tests that are exported with a page", () => {
  /** Runs pages' own tests, as their developer would. @returns how many passed; or that some failed, and which */
  async function ownTests(of: string, pages: readonly string[]): Promise<readonly string[]> {
    const files = pages.map((page) => path.join(of, page, "routes.test.ts"));
    const told = ["--import", "tsx", "--test", "--test-concurrency=1", "--test-reporter=tap", ...files];
    const run = promisify(execFile)(process.execPath, told, {
      cwd: path.dirname(directory),
      env: { PATH: process.env.PATH, DATABASE_URL: plain.made.pages },
    });
    const { stdout, failed } = await run.then(
      ({ stdout }) => ({ stdout, failed: false }),
      (error: { stdout: string }) => ({ stdout: error.stdout, failed: true }),
    );
    const passed = /^# pass (\d+)$/m.exec(stdout)?.[1];
    const notOk = [...stdout.matchAll(/^\s*not ok \d+ - (.*)$/gm)].map((match) => match[1] ?? "");
    return failed ? ["failed", ...notOk] : [`passed: ${passed}`];
  }

  test("pass", async () => {
    const [said, ...others] = await ownTests(directory, names);
    expect(others).toEqual([]);
    expect(Number(/^passed: (\d+)$/.exec(said ?? "")?.[1])).toBeGreaterThan(5 * names.length);
  }, 120_000);

  /** Faults as people make them when they change the code. */
  const faults: readonly (readonly [what: string, file: string, from: string | RegExp, to: string, fails: RegExp])[] = [
    [
      "the row's version is not asked for",
      "station/routes.ts",
      "if (differing.length > 0)",
      "if (differing.length > 99)",
      /conflict/,
    ],
    [
      "the token is not read",
      "station/routes.ts",
      "if (!shownThen)",
      "if (!shownThen && body.name === undefined)",
      /refused/,
    ],
    [
      "a text is not escaped",
      "shared/html.ts",
      /return content\.replaceAll\(.*\n?.*\);/,
      "return content;",
      /shown as text/,
    ],
    [
      "every field is written",
      "station/routes.ts",
      "if (changes[field] === station[field]) delete changes[field];",
      "changes[field] ??= station[field];",
      /changes nothing/,
    ],
    ["the log is not written", "station/sql.ts", "WHERE fields IS NOT NULL", "WHERE fields IS NULL", /one entry/],
    [
      "a rule is left out",
      "station/form.ts",
      "needed(text(typed, label, 60), label)",
      "text(typed, label, 6000)",
      /told at its field/,
    ],
    ["nobody is asked who they are", "shared/answers.ts", "if (!mayOpen(actor))", "if (false)", /refused/],
    [
      "the key is left out of the statement",
      "station/sql.ts",
      "WHERE t.code = b.code",
      "WHERE true",
      /changes nothing|nothing else|one entry/,
    ],
  ];
  test.each(faults)(
    "fail where %s",
    async (_, file, from, to, fails) => {
      const broken = path.join(directory, `broken-${file.replaceAll(/\W/g, "-")}-${to.length}`);
      await cp(path.join(directory, "shared"), path.join(broken, "shared"), { recursive: true });
      await cp(path.join(directory, "station"), path.join(broken, "station"), { recursive: true });
      const text = await readFile(path.join(broken, file), "utf8");
      const changed = text.replace(from, to);
      expect(changed).not.toBe(text);
      await writeFile(path.join(broken, file), changed);
      const [said, ...failed] = await ownTests(broken, ["station"]);
      expect([said, failed.some((name) => fails.test(name)) ? "as it should" : failed]).toEqual([
        "failed",
        "as it should",
      ]);
    },
    60_000,
  );
});

test("an exported page and a served one work beside each other on one table and one log, which verifies", async () => {
  const besides = await startServed(pages, plain.made.pages);
  try {
    const both: readonly Side[] = [plain, { ...plain, application: besides }];
    const wanted = Array.from({ length: 40 }, (_, index) => index);
    const saved = await Promise.all(
      wanted.map(async (index) => {
        const at = both[index % 2] as Side;
        const code = ["MV-001", "MV-002", "MV-003"][index % 3] ?? "";
        const form = (await ask(at, `/stations/${code}/edit`, tamsin)).seen;
        const { status } = await ask(at, `/stations/${code}/edit`, tamsin, bodyOf(form, { notes: `Note ${index}` }));
        return status;
      }),
    );
    expect(saved.filter((status) => status !== 303 && status !== 409)).toEqual([]);
    const { rows } = await plain.owner.query(
      "SELECT count(*)::integer AS count FROM quill_log.change WHERE table_name = 'network.station' AND fields @> '[{\"field\": \"notes\"}]' AND fields->0->>'new' LIKE 'Note %'",
    );
    expect(rows[0].count).toBe(saved.filter((status) => status === 303).length);
    const said: string[] = [];
    const code = await verify(
      { database: plain.made.owner, table: undefined, key: {}, publicKey: undefined, seals: [], json: false },
      (text) => said.push(text),
    );
    expect([code, said.at(-1)]).toEqual([0, "Nothing is wrong with it."]);
  } finally {
    await besides.stop();
  }
});
