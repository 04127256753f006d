import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import type { OutcomeKind } from "@loyal-quill/core";
import { often } from "@loyal-quill/testing";
import fc from "fast-check";
import { hollis, makeTrips, type Trips } from "../../testing/trips.js";

/** Values of a type: what is typed into the control, and what PostgreSQL prints for it. */
type Value = readonly [typed: string, stored: string | null];

const textValue = fc
  .string({
    unit: fc.constantFrom("a", "B", " ", "\n", "<", "&", "'", '"', "é", "🌊", "\\", "%"),
    minLength: 1,
    maxLength: 8,
  })
  .map((text): Value => [text, text]);
const digits = (scale: number) => (number: number) => (number / 10 ** scale).toFixed(scale);

const kinds = {
  text: { type: "text", values: fc.oneof(textValue, fc.constant<Value>(["", null])) },
  integer: {
    type: "integer",
    values: fc.integer({ min: -2147483648, max: 2147483647 }).map((number): Value => [`${number}`, `${number}`]),
  },
  decimal: {
    type: "numeric(6,2)",
    values: fc
      .integer({ min: -999_999, max: 999_999 })
      .map(digits(2))
      .map((text): Value => [text.replace(/0$/, ""), text.replace(/^-(0\.00)$/, "$1")]),
  },
  truth: { type: "boolean NOT NULL", values: fc.boolean().map((truth): Value => [`${truth}`, `${truth}`]) },
  day: {
    type: "date",
    values: fc
      .date({ min: new Date("1900-01-01"), max: new Date("2100-01-01"), noInvalidDate: true })
      .map((date): Value => [date.toISOString().slice(0, 10), date.toISOString().slice(0, 10)]),
  },
  moment: {
    type: "timestamptz",
    values: fc
      .date({ min: new Date("1971-01-01"), max: new Date("2100-01-01"), noInvalidDate: true })
      .map(
        (date): Value => [
          `${date.toISOString().slice(0, 19)}Z`,
          `${date.toISOString().slice(0, 19).replace("T", " ")}+00`,
        ],
      ),
  },
  json: {
    type: "jsonb",
    values: fc
      .jsonValue({ depthSize: "small" })
      .filter((json) => !JSON.stringify(json).includes("\\u0000"))
      .map((json): Value => [JSON.stringify(json), "any"]),
  },
  bits: {
    type: "int[]",
    values: fc
      .array(fc.integer({ min: -9, max: 9 }), { maxLength: 3 })
      .map((list): Value => [`{${list.join(", ")}}`, `{${list.join(",")}}`]),
  },
} as const;
type KindName = keyof typeof kinds;
const kindNames = Object.keys(kinds) as KindName[];

const columnName = fc.constantFrom(
  "plain",
  "Camel Case",
  "order",
  'quo"te',
  "dot.ted",
  "ünï",
  "per%cent",
  "_x",
  "select",
  "naïve name",
);

interface Shape {
  readonly columns: readonly { readonly name: string; readonly kind: KindName }[];
  readonly rows: readonly (readonly Value[])[];
}

const shape: fc.Arbitrary<Shape> = fc
  .uniqueArray(fc.record({ name: columnName, kind: fc.constantFrom(...kindNames) }), {
    selector: ({ name }) => name,
    minLength: 2,
    maxLength: 6,
  })
  .chain((columns) =>
    fc.record({
      columns: fc.constant(columns),
      rows: fc.array(fc.tuple(...columns.map(({ kind }) => kinds[kind].values)), { minLength: 2, maxLength: 3 }),
    }),
  );

/** One thing that somebody does: opens a record, or sends the form that was opened last, with some fields edited. */
type Deed = { readonly person: number; readonly row: number } & (
  | { readonly does: "open" }
  | { readonly does: "save"; readonly edits: readonly (readonly [column: number, seed: Value])[] }
);

const deeds = (of: Shape): fc.Arbitrary<Deed[]> => {
  const who = { person: fc.nat(2), row: fc.nat(of.rows.length - 1) };
  const edit = fc
    .nat(of.columns.length - 1)
    .chain((column) => fc.tuple(fc.constant(column), kinds[of.columns[column]?.kind ?? "text"].values));
  return fc.array(
    fc.oneof(
      fc.record({ ...who, does: fc.constant("open" as const) }),
      fc.record({
        ...who,
        does: fc.constant("save" as const),
        edits: fc.uniqueArray(edit, { selector: ([column]) => column, minLength: 1, maxLength: 3 }),
      }),
    ),
    { minLength: 4, maxLength: 14 },
  );
};

const quoted = (name: string): string => `"${name.replaceAll('"', '""')}"`;

let trips: Trips;
beforeAll(async () => {
  trips = await makeTrips({
    sql: [
      "CREATE SCHEMA proof",
      "GRANT USAGE ON SCHEMA proof TO quill_pages",
      "CREATE TABLE proof.t (id integer PRIMARY KEY)",
      "GRANT SELECT ON proof.t TO quill_pages",
    ],
    files: {
      t: `format: loyal-quill/page@1\ntitle: "{id}"\npath: /t/{id}\nrecord: { table: proof.t, key: id }\nfields: [id]\n`,
    },
    poolSize: 20,
  });
});
afterAll(() => trips.close());

type Texts = Record<string, string | null>;

async function makeTable(of: Shape): Promise<void> {
  await trips.owner.query("DROP TABLE proof.t");
  await trips.owner.query(
    `CREATE TABLE proof.t (id integer PRIMARY KEY, ${of.columns.map(({ name, kind }) => `${quoted(name)} ${kinds[kind].type}`).join(", ")})`,
  );
  await trips.owner.query("GRANT SELECT, UPDATE ON proof.t TO quill_pages");
  for (const [index, row] of of.rows.entries()) {
    const places = row.map((_, place) => `$${place + 2}`).join(", ");
    await trips.owner.query(`INSERT INTO proof.t VALUES ($1, ${places})`, [
      index,
      ...row.map(([typed]) => (typed === "" ? null : typed)),
    ]);
  }
}

async function readTable(of: Shape): Promise<Texts[]> {
  const columns = of.columns.map(({ name }) => `${quoted(name)}::text AS ${quoted(name)}`).join(", ");
  return (await trips.owner.query<Texts>(`SELECT ${columns} FROM proof.t ORDER BY id`)).rows;
}

/** What a text typed into a column's control is stored as, in PostgreSQL's own words. */
async function storedFor(type: string, typed: string): Promise<string | null> {
  if (typed === "") return null;
  const { rows } = await trips.owner.query<{ value: string }>(
    `SELECT ($1::${type.replace(" NOT NULL", "")})::text AS value`,
    [typed],
  );
  return rows[0]?.value ?? null;
}

interface Opened {
  readonly form: Map<string, string>;
  readonly shown: Texts;
}

/** What the rules say of a save: the row afterwards, and the outcome. */
function expected(current: Texts, shown: Texts, edits: Texts): { row: Texts; outcome: OutcomeKind } {
  const touched = Object.entries(edits).filter(([name, value]) => value !== shown[name]);
  const free = touched.filter(([name]) => current[name] === shown[name]);
  const clashing = touched.filter(([name, value]) => current[name] !== shown[name] && current[name] !== value);
  if (clashing.length > 0) return { row: current, outcome: "conflict" };
  if (free.length === 0) return { row: current, outcome: "unchanged" };
  return { row: { ...current, ...Object.fromEntries(free) }, outcome: "saved" };
}

async function play(of: Shape, all: readonly Deed[]): Promise<void> {
  await makeTable(of);
  const page = `format: loyal-quill/page@1\ntitle: "{id}"\npath: /t/{id}\nrecord: { table: proof.t, key: id }\nfields: ${JSON.stringify(["id", ...of.columns.map(({ name }) => name)])}\n`;
  await trips.reloadWith({ t: page });
  const start = await trips.one<{ id: string }>("SELECT coalesce(max(id), 0)::text AS id FROM quill_log.change");
  const first = await readTable(of);
  const opened = new Map<string, Opened>();
  for (const deed of all) {
    const address = `/t/${deed.row}/edit`;
    const slot = `${deed.person} ${deed.row}`;
    const before = await readTable(of);
    if (deed.does === "open" || !opened.has(slot))
      opened.set(slot, {
        form: await trips.open(address, { ...hollis, id: `p${deed.person}` }),
        shown: before[deed.row] ?? {},
      });
    if (deed.does === "open") continue;
    const { form, shown } = opened.get(slot) ?? { form: new Map(), shown: {} };
    const typed: Record<string, string | null> = {};
    const edits: Texts = {};
    for (const [index, [text]] of deed.edits) {
      const { name = "", kind = "text" } = of.columns[index] ?? {};
      typed[name] = kind === "truth" && text === "false" ? null : text.replaceAll("\n", "\r\n");
      edits[name] = await storedFor(kinds[kind].type, text);
    }
    const wanted = expected(before[deed.row] ?? {}, shown, edits);
    const { recorded } = await trips.save(address, { ...hollis, id: `p${deed.person}` }, form, typed);
    expect(recorded?.outcome).toBe(wanted.outcome);
    const after = await readTable(of);
    expect(after).toEqual(before.map((row, index) => (index === deed.row ? wanted.row : row)));
  }
  await replay(of, first, start.id);
}

/** The log replayed from the beginning: every old value fits, and the end is the table. */
async function replay(of: Shape, first: readonly Texts[], after: string): Promise<void> {
  const rows = first.map((row) => ({ ...row }));
  const { rows: entries } = await trips.owner.query<{
    key: { id: string };
    fields: { field: string; old: string | null; new: string | null }[];
  }>("SELECT record_key AS key, fields FROM quill_log.change WHERE id > $1 ORDER BY id", [after]);
  for (const { key, fields } of entries) {
    const row = rows[Number(key.id)] ?? {};
    for (const change of fields) {
      expect(row[change.field]).toBe(change.old);
      row[change.field] = change.new;
    }
  }
  expect(rows).toEqual(await readTable(of));
}

describe("many people", () => {
  test("any tables, rows, edits and interleavings: the rows afterwards are what the rules say, and the log replayed gives the table", async () => {
    await fc.assert(
      fc.asyncProperty(
        shape.chain((of) => fc.tuple(fc.constant(of), deeds(of))),
        ([of, all]) => play(of, all),
      ),
      {
        numRuns: Number(process.env.QUILL_RUNS ?? often(30, 300)),
        seed: Number(process.env.QUILL_SEED ?? 19),
        endOnFailure: true,
      },
    );
  }, 300_000);

  test("fifty at twenty records, saving all the time: nothing lost, nothing doubled, no 5xx", async () => {
    const saves = often(1000, 5000);
    await trips.owner.query("DROP TABLE proof.t");
    await trips.owner.query(
      "CREATE TABLE proof.t (id integer PRIMARY KEY, a integer NOT NULL, b integer NOT NULL, c text)",
    );
    await trips.owner.query("INSERT INTO proof.t SELECT i, 0, 0, 'x' FROM generate_series(1, 20) AS i");
    await trips.owner.query("GRANT SELECT, UPDATE ON proof.t TO quill_pages");
    await trips.reloadWith({
      t: `format: loyal-quill/page@1\ntitle: "{id}"\npath: /t/{id}\nrecord: { table: proof.t, key: id }\nfields: [id, a, b, c]\n`,
    });
    const start = await trips.one<{ id: string }>("SELECT coalesce(max(id), 0)::text AS id FROM quill_log.change");
    const counts: Partial<Record<OutcomeKind, number>> = {};
    const savedIds = new Set<string>();
    let next = 0;
    const client = async (number: number): Promise<void> => {
      const actor = { ...hollis, id: `client ${number}` };
      while (next < saves) {
        const turn = next++;
        const address = `/t/${((turn * 7 + number) % 20) + 1}/edit`;
        const form = await trips.open(address, actor);
        const field = turn % 2 ? "a" : "b";
        const { recorded, response } = await trips.save(address, actor, form, {
          [field]: String(turn + 1),
        });
        if (response.status >= 500 || !recorded)
          throw new Error(
            `status ${response.status}: ${JSON.stringify(recorded?.steps.map((step) => [step.step, step.stopped, step.statements.map((each) => each.purpose)]))}`,
          );
        counts[recorded.outcome] = (counts[recorded.outcome] ?? 0) + 1;
        if (recorded.outcome === "saved") savedIds.add(recorded.id);
      }
    };
    await Promise.all(Array.from({ length: 50 }, (_, number) => client(number)));
    const { rows: entries } = await trips.owner.query<{
      request_id: string;
      key: { id: string };
      fields: { field: string; old: string; new: string }[];
    }>("SELECT request_id, record_key AS key, fields FROM quill_log.change WHERE id > $1 ORDER BY id", [start.id]);
    // Each stored save stands in the log once, and nothing else does.
    expect(entries.map((entry) => entry.request_id).sort()).toEqual([...savedIds].sort());
    expect((counts.saved ?? 0) + (counts.conflict ?? 0) + (counts.unchanged ?? 0)).toBe(saves);
    expect(counts.conflict).toBeGreaterThan(0);
    // Every entry begins where the one before it ended, and the last one is what is stored: no update was lost.
    const values = new Map<string, string>();
    for (const { key, fields } of entries) {
      expect(fields).toHaveLength(1);
      for (const change of fields) {
        expect(change.old).toBe(values.get(`${key.id} ${change.field}`) ?? "0");
        values.set(`${key.id} ${change.field}`, change.new);
      }
    }
    const { rows } = await trips.owner.query<{ id: number; a: number; b: number }>("SELECT id, a, b FROM proof.t");
    for (const { id, a, b } of rows)
      expect([String(a), String(b)]).toEqual([values.get(`${id} a`) ?? "0", values.get(`${id} b`) ?? "0"]);
    process.stdout.write(`${saves} saves by 50 clients at 20 records: ${JSON.stringify(counts)}\n`);
  }, 600_000);
});
