import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { type Actor, Parameters, parseCondition, predicate, type Row, type Table, truthOf } from "@loyal-quill/core";
import { often } from "@loyal-quill/testing";
import fc from "fast-check";
import { makeTrips, type Trips } from "../../testing/trips.js";

/** A table with the types that conditions know, each of them nullable. */
const sql = [
  "CREATE SCHEMA proof",
  "CREATE TYPE proof.mood AS ENUM ('zeal', 'calm', 'awe')",
  `CREATE TABLE proof.fact (
    id integer PRIMARY KEY, i integer, big bigint, n numeric, m numeric(6,2), t text, v varchar(20), c char(6), b boolean,
    d date, ts timestamp, tz timestamptz, u uuid, e proof.mood, f double precision
  )`,
  "GRANT USAGE ON SCHEMA proof TO quill_pages",
  "GRANT SELECT ON proof.fact TO quill_pages",
];
const page = `format: loyal-quill/page@1\ntitle: "{id}"\npath: /facts/{id}\nrecord: { table: proof.fact, key: id }\nfields: [id]\n`;

let trips: Trips;
let table: Table;
beforeAll(async () => {
  trips = await makeTrips({ sql, files: { fact: page } });
  const found = trips.site().catalog.tables.find((each) => each.name === "fact");
  if (!found) throw new Error("no table");
  table = found;
});
afterAll(() => trips.close());

const integers = fc.constantFrom("0", "-1", "2", "7", "2147483647", "-2147483648");
const numbers = fc.constantFrom(
  "0",
  "0.10",
  "-0.1",
  "0.3",
  "2",
  "2.00",
  "7.5",
  "1234.56",
  "NaN",
  "99999999999999999999.5",
);
const texts = fc.constantFrom("", "a", "A", "ab", "b", "é", "🌊", "z", "Z ", "%", "_", "it's", 'quo"te', "ﬀ");
const dates = fc.constantFrom("2024-02-29", "1970-01-01", "0044-03-15 BC", "infinity", "-infinity", "12345-06-07");
const stamps = fc.constantFrom(
  "2024-02-29 12:00:00",
  "2024-02-29 12:00:00.000001",
  "infinity",
  "0001-01-01 00:00:00 BC",
);
const moments = fc.constantFrom(
  "2024-02-29 12:00:00+00",
  "2024-02-29 13:00:00+01",
  "2026-05-04 10:00:00+00",
  "-infinity",
);
const uuids = fc.constantFrom("6f0e8f5e-0d3b-4b53-9d5c-3f6d6f2d3c11", "00000000-0000-0000-0000-000000000000");
const moods = fc.constantFrom("zeal", "calm", "awe");
const floats = fc.constantFrom("0", "0.1", "1e20", "NaN", "-Infinity");

const columns: Readonly<Record<string, fc.Arbitrary<string>>> = {
  i: integers,
  big: fc.oneof(integers, fc.constant("9223372036854775807")),
  n: numbers,
  m: fc.constantFrom("0.00", "0.10", "2.00", "1234.56", "NaN"),
  t: texts,
  v: texts,
  c: fc.constantFrom("a", "ab", "z", "é"),
  b: fc.constantFrom("true", "false"),
  d: dates,
  ts: stamps,
  tz: moments,
  u: uuids,
  e: moods,
  f: floats,
};
const rows = fc.record(
  Object.fromEntries(Object.entries(columns).map(([name, values]) => [name, fc.option(values, { freq: 5 })])),
);

const people = fc.record({
  number: fc.constantFrom<string | number | null>(2, "7", "2.0", "two", null),
  word: fc.constantFrom<string | null>("a", "calm", "", null),
  words: fc.constantFrom(["a", "b"], [], ["calm", "zeal"]),
  numbers: fc.constantFrom(["2", "7"], ["x"], []),
  yes: fc.constantFrom<boolean | null>(true, false, null),
});

const literal = (text: string): string => JSON.stringify(text).replaceAll("\\u", "\\u");
const column = (...names: string[]): fc.Arbitrary<string> => fc.constantFrom(...names.map((name) => `row.${name}`));

/** Conditions as a person would write them, of every part that the language has. */
const { condition } = fc.letrec<{ condition: string; number: string; text: string }>((tie) => ({
  number: fc.oneof(
    { maxDepth: 3, withCrossShrink: true },
    column("i", "big", "n", "m"),
    fc.constantFrom("0", "2", "7", "0.1", "0.30", "2.00", "1234.56", "-1", "actor.number"),
    fc.tuple(tie("number"), fc.constantFrom("+", "-", "*"), tie("number")).map(([a, by, b]) => `(${a} ${by} ${b})`),
    tie("text").map((text) => `size(${text})`),
    fc.tuple(tie("condition"), tie("number"), tie("number")).map(([when, a, b]) => `(${when} ? ${a} : ${b})`),
  ),
  text: fc.oneof({ maxDepth: 2 }, column("t", "v", "c", "t"), texts.map(literal), fc.constant("actor.word")),
  condition: fc.oneof(
    { maxDepth: 4, withCrossShrink: true },
    fc.constantFrom("row.b", "true", "false", "actor.yes", '"a" in actor.words'),
    fc
      .tuple(tie("number"), fc.constantFrom("==", "!=", "<", "<=", ">", ">="), tie("number"))
      .map((parts) => `(${parts.join(" ")})`),
    fc
      .tuple(
        column("f"),
        fc.constantFrom("==", "<", ">="),
        fc.oneof(column("f", "n", "i"), fc.constantFrom("0.1", "2")),
      )
      .map((parts) => `(${parts.join(" ")})`),
    fc
      .tuple(tie("text"), fc.constantFrom("==", "!=", "<", "<=", ">", ">="), tie("text"))
      .map((parts) => `(${parts.join(" ")})`),
    fc
      .tuple(tie("text"), fc.constantFrom("startsWith", "endsWith", "contains"), tie("text"))
      .map(([of, test, part]) => `${of}.${test}(${part})`),
    fc
      .tuple(
        column("d", "ts", "tz"),
        fc.constantFrom("==", "!=", "<", ">="),
        fc.oneof(column("d", "ts", "tz"), fc.constantFrom("now", '"2024-02-29"', 'timestamp("2024-02-29T12:00:00Z")')),
      )
      .map((parts) => `(${parts.join(" ")})`),
    fc.tuple(column("e"), fc.constantFrom("==", "!="), moods.map(literal)).map((parts) => `(${parts.join(" ")})`),
    fc
      .tuple(column("u"), fc.constantFrom("==", "<"), fc.oneof(column("u"), uuids.map(literal)))
      .map((parts) => `(${parts.join(" ")})`),
    fc.tuple(column("i", "t", "e", "d", "b", "f"), fc.constantFrom("==", "!=")).map(([of, by]) => `(${of} ${by} null)`),
    fc.tuple(column("b"), fc.constantFrom("==", "!="), tie("condition")).map((parts) => `(${parts.join(" ")})`),
    fc
      .tuple(tie("number"), fc.array(fc.constantFrom("0", "2", "7.5", "0.1"), { minLength: 1, maxLength: 3 }))
      .map(([of, list]) => `(${of} in [${list.join(", ")}])`),
    fc.constantFrom("(row.i in actor.numbers)", "(row.t in actor.words)", '(row.e in ["calm", "awe"])', "has(row.m)"),
    fc.constantFrom(
      "actor.words.exists(w, row.t == w)",
      "actor.words.all(w, w != row.v)",
      "actor.numbers.exists(x, row.i == x)",
      'actor.words.exists(w, w == "a" || row.b)',
    ),
    fc.tuple(tie("condition"), fc.constantFrom("&&", "||"), tie("condition")).map((parts) => `(${parts.join(" ")})`),
    tie("condition").map((of) => `!(${of})`),
  ),
}));

const now = new Date("2026-05-04T10:00:00Z");
let compared = 0;

async function agree(source: string, given: Row, actor: Actor): Promise<void> {
  const read = parseCondition(source, table, null);
  // Some that are put together by chance compare what can't be compared: those are refused when a page is read.
  fc.pre(read.ok);
  if (!read.ok) return;
  await trips.owner.query("TRUNCATE proof.fact");
  const names = Object.keys(columns);
  await trips.owner.query(
    `INSERT INTO proof.fact (id, ${names.join(", ")}) VALUES (1, ${names.map((_, index) => `$${index + 1}`).join(", ")})`,
    names.map((name) => given[name] ?? null),
  );
  const stored = await trips.pool.query<Record<string, string | null>>(
    `SELECT ${names.map((name) => `${name}::text AS ${name}`).join(", ")} FROM proof.fact`,
  );
  const facts = { actor, now, row: stored.rows[0] ?? {}, form: {} };
  const parameters = new Parameters();
  const text = predicate(read.condition, parameters, facts, "t");
  const { rows: answer } = await trips.pool.query<{ truth: string | null }>(
    `SELECT (${text})::text AS truth FROM proof.fact AS t`,
    parameters.values,
  );
  const truth = truthOf(read.condition.expression, facts);
  expect([source, truth === null ? null : String(truth)]).toEqual([source, answer[0]?.truth]);
  compared += 1;
}

describe("a condition", () => {
  test("means the same in JavaScript and in PostgreSQL, for any condition, row and person", async () => {
    const runs = often(500, 5000);
    await fc.assert(
      fc.asyncProperty(condition, rows, people, (source, given, { words, numbers: list, ...rest }) =>
        agree(source, given as Row, { id: "p", name: "P", roles: [], attributes: { ...rest, words, numbers: list } }),
      ),
      { numRuns: runs, seed: Number(process.env.QUILL_SEED ?? 19) },
    );
    expect(compared).toBeGreaterThan(runs / 2);
  }, 300_000);
});
