import { execFileSync } from "node:child_process";
import { mkdtemp, readdir, readFile, rm, writeFile } from "node:fs/promises";
import os from "node:os";
import path from "node:path";
import { afterEach, describe, expect, test } from "@jest/globals";
import { bodyOf, Client, formOf, type OddSchema, type OddTable, oddSchema, often } from "@loyal-quill/testing";
import pg from "pg";
import { parse, parseDocument } from "yaml";
import { checkFiles } from "../index.js";
import { type DraftedDatabase, drafted } from "../testing/drafted.js";
import { rehearseFiles } from "./rehearse.js";

/*
 * Schemas that nobody designed, made of seeds: everything is drafted, each record is opened and sent as it is, each field is changed alone, lists are
 * read in all their forms, and every page is rehearsed. More of them: QUILL_ODD_SCHEMAS=200 npm run test:database -- --testPathPatterns odd-schemas
 */

const [first, number] = [
  Number(process.env.QUILL_ODD_FIRST ?? 1),
  Number(process.env.QUILL_ODD_SCHEMAS ?? often(4, 40)),
];
const seeds = Array.from({ length: number }, (_, index) => first + index);

const after: (() => Promise<unknown>)[] = [];
afterEach(async () => {
  for (const step of after.splice(0).toReversed()) await step();
});

interface Odd extends Omit<DraftedDatabase, "said" | "address"> {
  readonly odd: OddSchema;
  readonly user: pg.Client;
  readonly client: Client;
}

async function make(odd: OddSchema): Promise<Odd> {
  const { address, ...served } = await drafted(["SET timezone TO 'UTC'", ...odd.sql], after);
  const user = new pg.Client(served.made.pages);
  await user.connect();
  after.push(() => user.end());
  return { ...served, odd, user, client: new Client(address) };
}

const quoted = (name: string): string => `"${name.replaceAll('"', '""')}"`;

interface Drafted {
  readonly name: string;
  readonly table: OddTable;
  readonly list: string;
  readonly full: string;
  readonly columns: readonly string[];
}

/** The drafts of the schema's tables, with the columns that are there. */
async function draftsOf({ odd, directory, owner }: Odd): Promise<readonly Drafted[]> {
  const files = (await readdir(directory)).filter((name) => name.endsWith(".page.yaml"));
  const drafts: Drafted[] = [];
  for (const name of files) {
    const file = parse(await readFile(path.join(directory, name), "utf8")) as {
      path: string;
      record: { table: string };
    };
    const table = odd.tables.find((each) => `${odd.schema}.${each.name}` === file.record.table);
    if (!table) continue;
    const full = `${quoted(odd.schema)}.${quoted(table.name)}`;
    const { rows } = await owner.query<{ name: string }>(
      "SELECT attname AS name FROM pg_attribute WHERE attrelid = $1::regclass AND attnum > 0 AND NOT attisdropped ORDER BY attnum",
      [full],
    );
    const list = file.path.replace(/\/\{.*$/, "");
    drafts.push({ name, table, list, full, columns: rows.map((each) => each.name) });
  }
  return drafts;
}

type Rows = ReadonlyMap<string, ReadonlyMap<string, string | null>>;

/** All rows as PostgreSQL prints them, by their keys as texts. */
async function rowsOf({ owner }: Odd, { full, columns, table }: Drafted): Promise<Rows> {
  const text = `SELECT ${columns.map((name) => `${quoted(name)}::text`).join(", ")} FROM ${full}`;
  const { rows } = await owner.query<(string | null)[]>({ text, rowMode: "array" });
  return new Map(
    rows.map((values) => {
      const row = new Map(columns.map((name, index) => [name, values[index] ?? null]));
      return [JSON.stringify(table.key.map((name) => row.get(name))), row];
    }),
  );
}

const entries = async ({ owner }: Odd): Promise<number> =>
  Number((await owner.query<{ count: string }>("SELECT count(*) FROM quill_log.change")).rows[0]?.count);

const unescaped = (text: string): string =>
  text
    .replaceAll("&quot;", '"')
    .replaceAll("&#39;", "'")
    .replaceAll("&lt;", "<")
    .replaceAll("&gt;", ">")
    .replaceAll("&amp;", "&");

/** The addresses of the records in a list, by what they lead to. */
const recordsIn = (html: string): readonly string[] => [
  ...new Set(
    [...html.matchAll(/<td[^>]* class="quill-way"><a href="([^"?]+)/g)].map(([, href]) => unescaped(href ?? "")),
  ),
];

/** Columns by which two states of the rows differ, with what they hold afterwards. */
function differences(before: Rows, now: Rows): string[] {
  const found: string[] = [];
  for (const [key, row] of before) {
    const other = now.get(key);
    if (!other) found.push(`${key} is gone`);
    else for (const [name, value] of row) if (other.get(name) !== value) found.push(name);
  }
  return found;
}

const typeOf =
  "SELECT format_type(atttypid, atttypmod) AS type FROM pg_attribute WHERE attrelid = $1::regclass AND attname = $2";

/** What is in the way of a value, if PostgreSQL itself is asked; null where it would take it. */
async function refusedByTable(
  { user }: Odd,
  { full, table }: Drafted,
  key: readonly (string | null)[],
  column: string,
  text: string,
): Promise<string | null> {
  await user.query("BEGIN");
  await user.query("SET LOCAL timezone TO 'UTC'");
  try {
    const where = table.key.map((name, index) => `${quoted(name)}::text = $${index + 2}`).join(" AND ");
    const { rows } = await user.query<{ type: string }>(typeOf, [full, column]);
    await user.query(`UPDATE ${full} SET ${quoted(column)} = $1::${rows[0]?.type} WHERE ${where}`, [text, ...key]);
    await user.query("SET CONSTRAINTS ALL IMMEDIATE");
    return null;
  } catch (error) {
    return (error as Error).message;
  } finally {
    await user.query("ROLLBACK");
  }
}

/** Opens each record and sends it untouched, then each field alone with another value; tells what is not as it should be. */
async function roundTrips(world: Odd, page: Drafted): Promise<readonly string[]> {
  const { client } = world;
  const wrong: string[] = [];
  const listed = await client.get(page.list);
  if (listed.status !== 200) return [`${page.list}: ${listed.status}`];
  for (const [number, address] of recordsIn(listed.text).entries()) {
    const opened = await client.get(address);
    if (opened.status !== 200) {
      wrong.push(`${address} opens with ${opened.status}`);
      continue;
    }
    if (!address.endsWith("/edit")) continue;
    const form = formOf(opened.text);
    const before = await rowsOf(world, page);
    const logged = await entries(world);
    const untouched = await client.post(address, bodyOf(form));
    const changed = differences(before, await rowsOf(world, page));
    if (untouched.status !== 303 || changed.length > 0 || (await entries(world)) !== logged)
      wrong.push(`${address} untouched: ${untouched.status}, changed: ${changed.join(", ") || "nothing"}`);
    // Some of them in every way, and the others only opened and sent.
    if (number >= 3) continue;
    for (const column of page.table.columns) wrong.push(...(await changedAlone(world, page, address, column)));
  }
  return wrong;
}

async function changedAlone(
  world: Odd,
  page: Drafted,
  address: string,
  { name, typed }: OddTable["columns"][number],
): Promise<readonly string[]> {
  const { client, owner } = world;
  if (!typed) return [];
  const opened = await client.get(address);
  if (opened.status !== 200) return [`${address} opens with ${opened.status}`];
  const form = formOf(opened.text);
  // Sensitive columns, read-only ones and those of controls of another kind are not typed into.
  const control = /^quill\.|^r\d+:|[[\]]|^__proto__$/.test(name)
    ? `column.${name.replaceAll(/[[\]]/g, encodeURIComponent)}`
    : name;
  if (!form.has(control)) return [];
  const before = await rowsOf(world, page);
  const logged = await entries(world);
  const sent = await client.post(address, bodyOf(form, { [control]: typed[0] }));
  const now = await rowsOf(world, page);
  const changed = differences(before, now).filter((each) => !page.table.stamped.includes(each));
  const told = `${address}, ${name} = ${typed[0]}: ${sent.status}`;
  if (sent.status === 303) {
    const { rows: types } = await owner.query<{ type: string }>(typeOf, [page.full, name]);
    const wanted = await owner.query<{ text: string }>(`SELECT $1::${types[0]?.type}::text AS text`, [typed[0]]);
    const same = [...now.values()].some((row) => row.get(name) === wanted.rows[0]?.text);
    const isExact = changed.every((each) => each === name);
    const { rows } = await owner.query<{ fields: { field: string }[] }>(
      "SELECT fields FROM quill_log.change ORDER BY id DESC LIMIT 1",
    );
    const more = (await entries(world)) - logged;
    const fields = (rows[0]?.fields ?? [])
      .map(({ field }) => field)
      .filter((each) => !page.table.stamped.includes(each));
    if (
      !isExact ||
      (!same && !page.table.stamped.includes(name)) ||
      more > 1 ||
      (more === 1 && fields.some((each) => each !== name))
    )
      return [`${told}, changed ${changed.join(", ")}, ${more} entries of ${fields.join(", ")}`];
    return [];
  }
  if (changed.length > 0 || (await entries(world)) !== logged)
    return [`${told}, and yet changed ${changed.join(", ")}`];
  if (sent.status !== 422) return [told];
  const key = JSON.parse([...before.keys()].find((each) => addressedBy(address, each)) ?? "[]") as string[];
  const refused = key.length === 0 ? "unknown" : await refusedByTable(world, page, key, name, typed[0]);
  const said = [...sent.text.matchAll(/class="quill-problem"[^>]*>(.*?)<\/p>/g)].map(([, text]) => text).join(" ");
  return refused === null ? [`${told}, though the table takes it: ${said}`] : [];
}

/** Whether a record's address is that of a key. */
const addressedBy = (address: string, key: string): boolean => {
  const parts = (JSON.parse(key) as string[]).map((part) => (part === "" ? "~" : part));
  const segments = address.split("/").slice(0, -1).slice(-parts.length).map(decodeURIComponent);
  return segments.every((segment, index) => segment.replace(/^~(?=.)/, "") === parts[index]?.replace(/^~(?=.)/, ""));
};

/** Lists in all their forms: each answers, and has as many records as the table. */
async function lists(world: Odd, page: Drafted): Promise<readonly string[]> {
  const { client } = world;
  const wrong: string[] = [];
  const rows = await rowsOf(world, page);
  const csv = await client.get(`${page.list}/~csv`);
  // A record may hold line breaks: what is counted are the quoted ones' ends.
  const records = csv.text.replaceAll(/"(?:[^"]|"")*"/g, "x").split("\r\n").length - 2;
  if (csv.status !== 200 || records !== rows.size)
    wrong.push(`${page.list}/~csv: ${csv.status}, ${records} of ${rows.size}`);
  const json = await client.send(page.list, { headers: { accept: "application/json" } });
  const items = json.status === 200 ? (JSON.parse(json.text) as { items: { address: string }[] }).items : [];
  if (items.length !== Math.min(50, rows.size))
    wrong.push(`${page.list} as JSON: ${json.status}, ${items.length} of ${rows.size}`);
  for (const { address } of items) {
    const one = await client.send(address, { headers: { accept: "application/json" } });
    if (one.status !== 200) wrong.push(`${address} as JSON: ${one.status}`);
  }
  const search = await client.get(`${page.list}?q=a`);
  if (search.status !== 200) wrong.push(`${page.list}?q=a: ${search.status}`);
  const sorted = [...(await client.get(page.list)).text.matchAll(/<th[^>]*><a href="([^"]+sort[^"]+)"/g)];
  for (const [, href] of sorted) {
    const { status } = await client.get(unescaped(href ?? ""));
    if (status !== 200) wrong.push(`${href}: ${status}`);
  }
  return wrong;
}

/** Writes into each draft that its list is for spreadsheets, and waits until the server has seen that. */
async function forSpreadsheets({ directory, client }: Odd, drafts: readonly Drafted[]): Promise<void> {
  for (const { name } of drafts) {
    const file = path.join(directory, name);
    const document = parseDocument(await readFile(file, "utf8"));
    document.setIn(["list", "spreadsheet"], true);
    await writeFile(file, document.toString());
  }
  for (const { list } of drafts)
    while ((await client.get(`${list}/~upload`)).status !== 200)
      await new Promise((resolve) => setTimeout(resolve, 50));
}

const office = "/usr/bin/soffice";

/** A workbook as LibreOffice saves it, by way of its own format. */
async function throughOffice(bytes: Uint8Array, to: "csv" | "xlsx"): Promise<Uint8Array> {
  const directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-office-"));
  try {
    await writeFile(path.join(directory, "a.xlsx"), bytes);
    const profile = `-env:UserInstallation=file://${os.tmpdir()}/loyal-quill-office-profile`;
    for (const [from, format] of [
      ["a.xlsx", "ods"],
      ["a.ods", to === "csv" ? "csv:Text - txt - csv (StarCalc):44,34,76,1" : "xlsx:Calc MS Excel 2007 XML"],
    ] as const)
      execFileSync(
        office,
        [profile, "--headless", "--convert-to", format, "--outdir", directory, `${directory}/${from}`],
        {
          stdio: "ignore",
        },
      );
    return await readFile(path.join(directory, `a.${to}`));
  } finally {
    await rm(directory, { recursive: true });
  }
}

/** A list's files come back untouched: nothing of them is a change, or refused. With QUILL_ODD_OFFICE set, LibreOffice opens and saves them in between. */
async function spreadsheets({ client }: Odd, { list }: Drafted): Promise<readonly string[]> {
  const wrong: string[] = [];
  const ways = process.env.QUILL_ODD_OFFICE
    ? (["csv", "xlsx", "office csv", "office xlsx"] as const)
    : (["csv", "xlsx"] as const);
  for (const format of ways) {
    const headers = { cookie: client.cookieHeader };
    const download = await fetch(`${client.base}${list}/~spreadsheet?format=${format === "csv" ? "csv" : "xlsx"}`, {
      headers,
    });
    const bytes = new Uint8Array(await download.arrayBuffer());
    const saved = format.startsWith("office")
      ? await throughOffice(bytes, format === "office csv" ? "csv" : "xlsx")
      : bytes;
    const form = new FormData();
    form.set("quill.file", new Blob([new Uint8Array(saved)]), `rows.${format}`);
    const init = { method: "POST", body: form, headers: { accept: "application/json" } };
    const looked = await client.send(`${list}/~upload`, init);
    const said = looked.status === 200 ? (JSON.parse(looked.text) as Record<string, unknown[]>) : {};
    const states = ["changed", "added", "ignored", "conflicts", "refused"];
    if (download.status !== 200 || states.some((state) => said[state]?.length !== 0))
      wrong.push(
        `${list} as ${format}: ${download.status}, ${looked.status} ${JSON.stringify(states.map((state) => said[state])).slice(0, 600)}`,
      );
  }
  return wrong;
}

const told = process.env.QUILL_ODD_TOLD === "1";
const sums = { cases: 0, otherwise: 0, notJudged: 0 };

/** Tables whose pages a rehearsal once called wrong, though they were not. */
const once: OddSchema = {
  schema: "once",
  tables: [],
  sql: [
    "CREATE SCHEMA once",
    "CREATE TYPE once.lines AS ENUM (E'one\\ntwo', E'three\\r\\nfour', 'plain')",
    "CREATE TABLE once.small (id smallint PRIMARY KEY, name text NOT NULL)",
    "INSERT INTO once.small VALUES (1, 'first'), (2, 'second')",
    "CREATE TABLE once.padded (code char(8) PRIMARY KEY, name char(8) NOT NULL)",
    "INSERT INTO once.padded VALUES ('a', 'b'), ('c', 'd')",
    `CREATE TABLE once.r (id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY, r text NOT NULL DEFAULT '', small smallint REFERENCES once.small,
      padded char(8) REFERENCES once.padded, lines once.lines NOT NULL, kind text CHECK (kind IN (E'a\\nb', 'c')), title text NOT NULL, slug text NOT NULL UNIQUE)`,
    `INSERT INTO once.r (small, padded, lines, kind, title, slug) VALUES (1, 'a', E'one\\ntwo', E'a\\nb', 'First one', 'first-one'), (NULL, NULL, 'plain', NULL, 'Second', 'second')`,
    "CREATE TABLE once.only_keys (a integer REFERENCES once.r, b smallint REFERENCES once.small, PRIMARY KEY (a, b))",
    "INSERT INTO once.only_keys VALUES (1, 1), (2, 2)",
    "CREATE TABLE once.words (id integer PRIMARY KEY, word text NOT NULL, note text)",
    "INSERT INTO once.words VALUES (1, '', ''), (2, E'line\\r\\nend', E'lone\\rcr')",
    "CREATE TABLE once.sluices (id integer PRIMARY KEY, is_open boolean NOT NULL DEFAULT true)",
    "INSERT INTO once.sluices VALUES (1, true), (2, false)",
    "GRANT USAGE ON SCHEMA once TO quill_pages",
    "GRANT SELECT, INSERT, UPDATE, DELETE ON ALL TABLES IN SCHEMA once TO quill_pages",
  ],
};

test("what a rehearsal once called wrong: a column r, line ends, padded texts, keys alone, empty texts, numbers out of range, slugs, a box that is told by yes or no", async () => {
  const world = await make(once);
  const file = path.join(world.directory, "r.page.yaml");
  const text = await readFile(file, "utf8");
  const slugged = text.replace(/^( *)- slug\b.*$/m, "$1- slug: { tidy: [{ slug: title }] }");
  const open = slugged.replace(/^access: .*$/m, "access: { new: true, delete: true }");
  expect([slugged === text, open === slugged]).toEqual([false, false]);
  await writeFile(file, open);
  const rehearsed = await rehearseFiles({ database: world.made.pages, files: [world.directory], quick: false });
  expect(
    rehearsed.flatMap(({ rehearsal, because }) => [
      ...(because === null ? [] : [because]),
      ...(rehearsal?.cases ?? []).flatMap((each) =>
        each.verdict === "otherwise" ? [`${rehearsal?.page} ${each.id}: ${each.because.join(" ")}`] : [],
      ),
    ]),
  ).toEqual([]);
});

describe("a schema that nobody designed", () => {
  test.each(seeds)(
    "number %i: drafted without an error, opened and sent as it is, changed field by field, listed, sent as files and back, and rehearsed without an alarm",
    async (seed) => {
      const world = await make(oddSchema(seed));
      // Of a schema whose tables all have a column that no page can have, nothing is drafted.
      if ((await readdir(world.directory)).length === 0) return;
      const checked = await checkFiles({ database: world.made.pages, files: [world.directory], rows: true });
      const errors = checked.flatMap(({ file, findings }) =>
        findings
          .filter(({ severity }) => severity === "error")
          .map(({ message }) => `${path.basename(file)}: ${message}`),
      );
      const wrong: string[] = [];
      const drafts = await draftsOf(world);
      await forSpreadsheets(world, drafts);
      for (const page of drafts) {
        wrong.push(...(await spreadsheets(world, page)));
        wrong.push(...(await lists(world, page)));
        wrong.push(...(await roundTrips(world, page)));
      }
      const alarms: string[] = [];
      for (const { file, rehearsal, because } of await rehearseFiles({
        database: world.made.pages,
        files: [world.directory],
        quick: false,
      })) {
        if (because !== null) alarms.push(`${path.basename(file)}: ${because}`);
        for (const { id, verdict, because: why } of rehearsal?.cases ?? []) {
          sums.cases += 1;
          if (verdict === "otherwise") sums.otherwise += 1;
          if (verdict === "otherwise") alarms.push(`${path.basename(file)} ${id}: ${why.join(" ")}`);
          if (verdict !== "not judged") continue;
          sums.notJudged += 1;
          if (told) process.stderr.write(`NOT JUDGED ${seed} ${path.basename(file)} ${id}: ${why.join(" ")}\n`);
        }
      }
      if (told) for (const line of [...errors, ...wrong, ...alarms]) process.stderr.write(`WRONG ${seed} ${line}\n`);
      if (told) process.stderr.write(`SUMS ${JSON.stringify(sums)}\n`);
      expect({ errors, wrong, alarms }).toEqual({ errors: [], wrong: [], alarms: [] });
    },
    120_000,
  );
});
