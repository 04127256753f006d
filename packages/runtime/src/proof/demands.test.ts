import { afterAll, beforeAll, expect, test } from "@jest/globals";
import { columnOf, kindOf, type Rule, readCatalog, type Table } from "@loyal-quill/core";
import { tableRules } from "@loyal-quill/core/rules/read";
import { Chance, freshDatabase, type TestDatabase } from "@loyal-quill/testing";
import pg from "pg";
import { connect, databaseOver } from "../index.js";

/*
 * What is understood of a CHECK against PostgreSQL itself: no rule refuses a value that the table takes, and where it says so, none takes one
 * that the table refuses.
 */

let made: TestDatabase;
let pool: pg.Pool;
let owner: pg.Client;
beforeAll(async () => {
  made = await freshDatabase("template0");
  owner = new pg.Client(made.owner);
  await owner.connect();
  await owner.query(`CREATE EXTENSION citext; CREATE SCHEMA proof; GRANT USAGE ON SCHEMA proof TO quill_pages;
    CREATE COLLATION proof.folded (provider = icu, locale = 'und-u-ks-level2', deterministic = false)`);
  pool = connect(made.pages, 2);
});
afterAll(async () => {
  await owner.end();
  await pool.end();
  await made.drop();
});

const letters = [
  ..."aAbiIzZkKſ09٣_-.@ \t\n'\\/%é",
  "\u0130",
  "\u0131",
  "\u212a",
  "ß",
  "Ⓐ",
  "一",
  "\u0301",
  "😀",
  "\u00a0",
];
const known = [
  "MV-001",
  "MV-01",
  "mv-001",
  "MV-001\n",
  "x MV-001",
  "AB",
  "ab",
  "Ab",
  "",
  " ",
  "   ",
  "12345",
  "1234",
  "DE-12345",
  "a@b.cd",
  "a@b",
  "a b@c.de",
  "+44 20 7946 0000",
  "#ff00aa",
  "#FF00AA",
  "https://a.example/x",
  "ftp://a",
  "new",
  "used",
  "it's used",
  "a\\d",
  "50%",
  "x_y",
  "-",
  "]",
  "a-b",
];
/** Texts by chance, more of them short than long. */
function texts(): readonly string[] {
  const chance = new Chance(20_261_202);
  const random = Array.from({ length: 1_500 }, () =>
    Array.from({ length: chance.whole(7) }, () => chance.one(letters)).join(""),
  );
  return [...new Set([...known, ...random])];
}

/** The rules of a column with a CHECK, empty texts being values. */
async function rulesOver(type: string, check: string, control: string) {
  await owner.query(
    `DROP TABLE IF EXISTS proof.checked; CREATE TABLE proof.checked (id integer PRIMARY KEY, v ${type} CHECK (${check})); GRANT SELECT ON proof.checked TO quill_pages`,
  );
  const { tables } = await readCatalog(databaseOver(pool));
  const table = tables.find(({ name }) => name === "checked") as Table;
  const column = columnOf(table, "v");
  if (!column) throw new Error("no column");
  return { column, rules: tableRules(table, column, control, "text") };
}

/** What PostgreSQL takes of the texts, and what our rules take. */
async function judged(type: string, check: string) {
  const { column, rules } = await rulesOver(type, check, "text");
  const all = texts();
  const { rows } = await owner.query<{ v: string }>(
    `SELECT given AS v FROM (SELECT given, given::${type} AS v FROM unnest($1::text[]) AS given) AS each WHERE (${check}) IS NOT FALSE`,
    [all],
  );
  const taken = new Set(rows.map(({ v }) => v));
  const isBroken = ({ rule, demand }: Rule, value: string): boolean =>
    kindOf({ rule }).broken?.(demand, { column, value, text: value }) != null;
  const passes = (value: string): boolean => rules.every((rule) => !isBroken(rule, value));
  return {
    rules: rules.map(({ rule }) => rule),
    refusedWrongly: all.filter((each) => taken.has(each) && !passes(each)),
    takenWrongly: all.filter((each) => !taken.has(each) && passes(each)),
    // What a consumer of the API's description is told, in ECMAScript's words (JSON Schema, 6.3.3).
    toldOtherwise: rules.flatMap((rule) => {
      const { pattern } = kindOf(rule).schema?.(rule.demand) ?? {};
      const told = typeof pattern === "string" ? new RegExp(pattern, "u") : undefined;
      return told ? all.filter((each) => told.test(each) === isBroken(rule, each)) : [];
    }),
    taken: taken.size,
    refused: all.length - taken.size,
  };
}

/** Beyond letters the two are the same; of these they are the same for every text. */
const exact: readonly (readonly [type: string, check: string, rules: readonly string[]])[] = [
  ["text", "v ~ '^MV-[0-9]{3}$'", ["pattern"]],
  ["text", "v ~ 'MV-[0-9]{3}'", ["pattern"]],
  ["text", "v ~ '^[A-Z]{2}'", ["pattern"]],
  ["text", "v ~ '[A-Z]{2}$'", ["pattern"]],
  ["text", "v ~ '^(DE|AT)-[1-9]\\d{3,4}$' OR v IS NULL", ["pattern"]],
  ["text", "v ~ '^a|b$'", ["pattern"]],
  ["text", "v ~ '^(?:a|b)*?c?$'", ["pattern"]],
  ["text", "v ~ '^[^@ ]+@[^@ ]+\\.[^@ ]+$'", ["pattern"]],
  ["text", "v ~ '^[]a-]+$'", ["pattern"]],
  ["text", "v ~ '^[^]a]*$'", ["pattern"]],
  ["text", "v ~ '^.{3}$'", ["pattern"]],
  ["text", "v ~ '^[''\\\\/%.]+$'", ["pattern"]],
  ["text", "v ~ '^\\t|\\n$'", ["pattern"]],
  ["text", "v ~ '^a{0,2}b{1,}$'", ["pattern"]],
  ["text", "v ~* '^#[0-9a-f]{6}$'", ["pattern"]],
  ["text", "v ~* '^mv'", ["pattern"]],
  ["text", "v ~ ''", ["pattern"]],
  ["varchar(40)", "v ~ '^[a-z]+$'", ["max-length", "pattern"]],
  ["text", "v LIKE 'MV-%'", ["pattern"]],
  ["text", "v LIKE '_\\_y' OR v IS NULL", ["pattern"]],
  ["text", "v LIKE '%\\%'", ["pattern"]],
  ["text", "length(v) <= 3", ["max-length"]],
  ["text", "char_length(v) BETWEEN 2 AND 4", ["min-length", "max-length"]],
  ["text", "character_length(v) = 2", ["min-length", "max-length"]],
  ["text", "4 > length(v)", ["max-length"]],
  ["varchar(9)", "length(v) < 5", ["max-length"]],
  ["text", "v <> ''", ["min-length"]],
  ["text", "length(v) > 0", ["min-length"]],
  ["text", "btrim(v) <> ''", ["pattern"]],
  ["text", "length(trim(v)) > 0", ["pattern"]],
  ["text", "length(trim(both from v)) >= 1", ["pattern"]],
  ["text", "v IN ('new', 'it''s used')", ["one-of"]],
  ["text", "v = 'new' OR v = 'used' OR v IS NULL", ["one-of"]],
  ["text", "v IN ('new', 'used') OR v = 'AB'", ["one-of"]],
  ["text", "v IS NULL OR (v ~ '^[a-z]+$' AND length(v) < 4)", ["max-length", "pattern"]],
  ["text", "v ~ '^a' COLLATE \"C\"", ["pattern"]],
  ["text", "btrim(v) = v", ["pattern"]],
  ["varchar(40)", "v = trim(both from v)", ["max-length", "pattern"]],
  ["text", "v !~ 'a'", ["pattern"]],
  ["text", "v !~ '^[0-9@]+'", ["pattern"]],
  ["text", "v !~ '[^A-Za-z]'", ["pattern"]],
  ["text", "v !~ '^ | $'", ["pattern"]],
  ["text", "v !~ '^[ .]|-|\\n$' AND length(v) < 3", ["max-length", "pattern"]],
  ["text", "v !~ '^a|^b|é'", ["pattern"]],
  ["text", "v NOT LIKE '%@%'", ["pattern"]],
  ["text", "v NOT LIKE 'a%'", ["pattern"]],
  ["text", "v NOT LIKE '%\\%'", ["pattern"]],
  ["text", "v ^@ 'a'", ["pattern"]],
  ["text", "starts_with(v, 'MV-')", ["pattern"]],
  ["text", "strpos(v, '@') > 0", ["pattern"]],
  ["text", "position('a' in v) >= 1", ["pattern"]],
];

test.each(exact)("%s CHECK (%s) means the same to its rules", async (type, check, rules) => {
  const all = await judged(type, check);
  expect(all).toMatchObject({ rules, refusedWrongly: [], takenWrongly: [], toldOtherwise: [] });
  expect(all.taken).toBeGreaterThan(0);
});

/** Of these the rules take more. */
const looser: readonly (readonly [type: string, check: string, rules: readonly string[]])[] = [
  ["text", "v ~ '^\\w+$'", ["pattern"]],
  ["text", "v ~ '^\\d+$'", ["pattern"]],
  ["text", "v ~ '\\s'", ["pattern"]],
  ["text", "v ~ '^\\S+$'", ["pattern"]],
  ["text", "v ~ '^\\W\\D$'", ["pattern"]],
  ["text", "v ~ '^[^\\s@]+@[^\\s@]+$'", ["pattern"]],
  ["text", "v ~ '^[[:alpha:]]+$'", ["pattern"]],
  ["text", "v ~ '^[[:upper:]][[:lower:]]*$'", ["pattern"]],
  ["text", "v ~ '^[^[:digit:]_]+$'", ["pattern"]],
  ["text", "v ~* '^[[:upper:]]+$'", ["pattern"]],
  ["text", "v ~* '^[a-k]+$'", ["pattern"]],
  ["text", "v ~* '^[^0-9]+$'", ["pattern"]],
  ["text", "v ~* 'ik'", ["pattern"]],
  ["text", "octet_length(v) <= 4", ["max-length"]],
  ["text", "length(btrim(v)) > 2", ["pattern"]],
  ["text", "v ILIKE 'mv-%'", ["pattern"]],
  ["text", "v ILIKE '%k'", ["pattern"]],
  ["text", "upper(v) = v", ["pattern"]],
  ["varchar(40)", "v = lower(v)", ["max-length", "pattern"]],
  ["text", 'upper(v) = v COLLATE "C"', ["pattern"]],
  ["text", "v !~ '\\s'", ["pattern"]],
  ["text", "v !~ '^\\s|\\s$'", ["pattern"]],
  ["text", "v !~ '[[:digit:]]'", ["pattern"]],
  ["text", "v !~ '\\W'", ["pattern"]],
  ["text", "v !~ '^[^[:alpha:]]'", ["pattern"]],
];

test.each(looser)("%s CHECK (%s) takes nothing that its rules refuse", async (type, check, rules) => {
  const all = await judged(type, check);
  expect(all).toMatchObject({ rules, refusedWrongly: [], toldOtherwise: [] });
  expect(all.taken).toBeGreaterThan(0);
  expect(all.takenWrongly.length).toBeLessThan(all.refused);
});

test.each([
  ["integer", "v % 5 = 0", "step 5"],
  ["numeric(6,2)", "mod(v, 0.25) = 0", "step 0.25"],
  ["numeric(6,2)", "v IN (1, 2.5)", "one of 1.00, 2.50"],
  ["integer", "v IN (1, 2)", "one of 1, 2"],
  ["integer", "v = 1 OR v = 2 OR v IS NULL", "one of 1, 2"],
  ["integer", "v IS NULL OR v > 3", "minimum 4"],
  ["bytea", "octet_length(v) <= 1000", "at most 1000 bytes"],
  ["bytea", "length(v) < 1000", "at most 999 bytes"],
  ["text", "btrim(v) <> ''", "not blank"],
  ["text", "v ~ '^a'", "pattern ^a"],
])("%s CHECK (%s) is told as: %s", async (type, check, words) => {
  const { rules } = await rulesOver(type, check, "file");
  expect(rules.map((rule) => kindOf(rule).words(rule.demand))).toContain(words);
});

/** Their values are not in the order of their texts. */
test.each([
  ["interval", "v <= '08:00:00'"],
  ["interval", "v > '0'"],
  ["money", "v > 0::money"],
  ["inet", "v >= '10.0.0.0'"],
  ["time with time zone", "v < '18:00+00'"],
  ["int4range", "v <> 'empty'"],
])("%s CHECK (%s) is left to the table", async (type, check) => {
  const { rules } = await rulesOver(type, check, "text");
  expect(rules.map(({ rule }) => rule)).toEqual([]);
});

test("a list of numbers that can be written in several ways is left to the table", async () => {
  for (const type of ["numeric", "real", "citext"]) {
    const { rules } = await rulesOver(type, type === "citext" ? "v IN ('a', 'b')" : "v IN (1, 2.5)", "text");
    expect([type, rules.map(({ rule }) => rule)]).toEqual([type, []]);
  }
});

test.each([
  ["text", "v ~ '(a)\\1'"],
  ["text", "v ~ '^(?=a)'"],
  ["text", "v ~ '\\ma'"],
  ["text", "v ~ '***=a.b'"],
  ["text", "v ~ '(?i)a'"],
  ["text", "v ~ '[[=e=]]'"],
  ["text", "v ~ '(^a|b)'"],
  ["text", "v ~* '^[^a]$'"],
  ["text", "v ~* 'é'"],
  ["text", "v !~ 'ab'"],
  ["text", "v !~ 'a*'"],
  ["text", "v !~ '^a$'"],
  ["text", "v !~ '[^a]|b'"],
  ["text", "v !~* 'a'"],
  ["text", "v NOT LIKE '%ab%'"],
  ["text", "v NOT LIKE '_a'"],
  ["text", "v NOT ILIKE 'a%'"],
  ["text", "v ILIKE 'a_'"],
  ["text", "v = initcap(v)"],
  ["text", "v = upper(v || 'a')"],
  ["text", "ltrim(v) = v"],
  ["text", "strpos(v, 'a') > 1"],
  ["citext", "upper(v)::citext = v"],
  ["text COLLATE proof.folded", "upper(v) = v"],
  ["text COLLATE proof.folded", "v IN ('a', 'b')"],
  ["text", "v = 'a' OR length(v) = 2"],
  ["character(9)", "v ~ '^a'"],
  ["text", "v >= 'b'"],
  ["character(9)", "length(v) = 2"],
])("%s CHECK (%s) is left to the table", async (type, check) => {
  const { rules } = await judged(type, check);
  expect(rules.filter((rule) => rule !== "max-length")).toEqual([]);
});

test("of a sensitive column no character is told that may not be there", async () => {
  const { column, rules } = await rulesOver("text", "v !~ '[/;]'", "text");
  const said = (sensitive: boolean) =>
    rules.flatMap(
      ({ rule, demand }) =>
        kindOf({ rule }).broken?.(demand, {
          column: sensitive ? { ...column, sensitive } : column,
          value: "a/b",
          text: "a/b",
        }) ?? [],
    );
  expect(said(false)).toEqual(["must-not-contain", { part: "/" }]);
  expect(said(true)).toEqual(["pattern", {}]);
});
