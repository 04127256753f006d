import { afterAll, beforeAll, expect, test } from "@jest/globals";
import { parseCondition, type Row, readCatalog, type Table, truthOf } from "@loyal-quill/core";
import { demandedIn } from "@loyal-quill/core/catalog/check-expression";
import { Chance, freshDatabase, type TestDatabase } from "@loyal-quill/testing";
import pg from "pg";
import { connect, databaseOver } from "../index.js";

/*
 * CHECKs over several columns against PostgreSQL itself: what is read of one is true, false or unknown for the same rows.
 */

const columns: Readonly<Record<string, readonly [type: string, values: readonly string[]]>> = {
  starts_on: ["date", ["2026-03-01", "2026-03-02", "2025-12-31", "0044-03-15 BC", "infinity", "-infinity"]],
  "Ends On": ["date", ["2026-03-01", "2026-03-02", "2027-01-01", "10000-01-01", "infinity"]],
  opens: ["time", ["09:00", "09:00:00.5", "24:00", "00:00", "17:30"]],
  closes: ["time", ["09:00", "09:00:00.25", "24:00", "00:00", "17:30"]],
  began: ["timestamptz", ["2026-03-29 01:30+01", "2026-03-29 00:30+00", "2026-03-29 02:30+00", "infinity"]],
  ended: ["timestamptz", ["2026-03-29 01:30+01", "2026-03-29 03:30+02", "2026-03-29 02:30:00.000001+00"]],
  low: ["numeric(8,3)", ["1", "2.500", "-0.001", "99999.999", "NaN"]],
  high: ["numeric", ["1.0", "2.5", "0", "1e20", "NaN", "Infinity"]],
  few: ["smallint", ["0", "1", "2", "-1", "100"]],
  many: ["bigint", ["0", "1", "2", "-1", "9007199254740993", "100"]],
  status: ["text", ["new", "open", "it's", ""]],
  former: ["character varying(9)", ["new", "open", "closed"]],
  stage: ["proof.stage", ["planned", "live", "retired"]],
  is_live: ["boolean", ["true", "false"]],
  is_old: ["boolean", ["true", "false"]],
};

let made: TestDatabase;
let pool: pg.Pool;
let owner: pg.Client;
let rows: readonly Row[];
beforeAll(async () => {
  made = await freshDatabase("template0");
  owner = new pg.Client(made.owner);
  await owner.connect();
  const defined = Object.entries(columns).map(([name, [type]]) => `"${name}" ${type}`);
  await owner.query(
    `CREATE SCHEMA proof; GRANT USAGE ON SCHEMA proof TO quill_pages; CREATE TYPE proof.stage AS ENUM ('planned', 'live', 'retired');
    CREATE TABLE proof.checked (place integer PRIMARY KEY, ${defined.join(", ")}); GRANT SELECT ON proof.checked TO quill_pages;
    SET DateStyle = ISO; SET TimeZone = 'UTC'`,
  );
  pool = connect(made.pages, 2);
  const chance = new Chance(20_261_203);
  const names = Object.keys(columns).map((name) => `"${name}"`);
  const given = Array.from({ length: 600 }, (_, place) => [
    place,
    ...Object.values(columns).map(([, values]) => (chance.whole(5) === 0 ? null : chance.one(values))),
  ]);
  for (const each of given)
    await owner.query(
      `INSERT INTO proof.checked VALUES (${each.map((_, index) => `$${index + 1}`).join(", ")})`,
      each as (string | number | null)[],
    );
  const texts = names.map((name) => `${name}::text AS ${name}`).join(", ");
  rows = (await owner.query<Record<string, string | null>>(`SELECT ${texts} FROM proof.checked ORDER BY place`)).rows;
});
afterAll(async () => {
  await owner.end();
  await pool.end();
  await made.drop();
});

/** A CHECK as PostgreSQL prints it. */
async function asked(check: string) {
  await owner.query(
    `ALTER TABLE proof.checked DROP CONSTRAINT IF EXISTS tried; ALTER TABLE proof.checked ADD CONSTRAINT tried CHECK (${check}) NOT VALID`,
  );
  const { tables } = await readCatalog(databaseOver(pool));
  const table = tables.find(({ name }) => name === "checked") as Table;
  const definition = (table.constraints.find(({ constraint }) => constraint === "tried")?.definition ?? "").replace(
    / NOT VALID$/,
    "",
  );
  return { table, definition };
}

async function truths(check: string): Promise<(boolean | null)[]> {
  const { rows: told } = await owner.query<{ truth: boolean | null }>(
    `SELECT (${check}) AS truth FROM proof.checked ORDER BY place`,
  );
  return told.map(({ truth }) => truth);
}

/** What we say of each row: of all parts together. */
function said(table: Table, definition: string): (boolean | null)[] {
  const conditions = demandedIn(definition, table).map(({ cel }) => {
    const parsed = parseCondition(cel, table, table);
    if (!parsed.ok) throw new Error(`${cel}: ${parsed.problem.message}`);
    return parsed.condition;
  });
  const facts = { actor: { id: "a", name: "A", roles: [], attributes: {} }, now: new Date(0), row: {} };
  return rows.map((form) => {
    const truths = conditions.map(({ expression }) => truthOf(expression, { ...facts, form }));
    return truths.includes(false) ? false : truths.includes(null) ? null : true;
  });
}

test.each([
  `"Ends On" >= starts_on`,
  `starts_on < "Ends On" OR "Ends On" IS NULL`,
  "closes > opens",
  "opens <> closes",
  "ended >= began",
  "low <= high",
  "high > low AND few <= many",
  "few + 1 <= many",
  "low * 2 - few < high",
  "many - few >= 0 AND low IS NOT NULL OR high IS NULL",
  "few BETWEEN 0 AND many OR low IS NULL",
  "COALESCE(low, 0) <= COALESCE(high, 100)",
  "status <> 'open' OR starts_on IS NOT NULL",
  "(status = 'open') = (starts_on IS NOT NULL)",
  '(starts_on IS NULL) = ("Ends On" IS NULL)',
  "(starts_on IS NULL) <> (opens IS NULL)",
  "num_nonnulls(starts_on, opens, began) = 1",
  "num_nulls(low, high) <= 1",
  "NOT (is_live AND is_old)",
  "is_live = is_old",
  "is_live OR NOT is_old OR few > 1",
  "stage <> 'retired' OR NOT is_live",
  "stage IN ('planned', 'live') OR \"Ends On\" < '2026-12-31'",
  "status IN ('new', 'it''s') OR former <> 'closed'",
  "former NOT IN ('new', 'open') OR few = -1",
  "status = former",
  "former = 'open' AND few > 0 OR former <> 'open'",
  "few::numeric * 0.5 < low",
  "starts_on IS NOT NULL OR began IS NOT NULL",
  // Of one column, what no rule says.
  "few <> 2",
  "status <> 'open'",
  "status NOT IN ('new', 'it''s')",
  "few < 1 OR few > 2",
  "low IS NULL OR (low > 0 AND low <> 2.5)",
  "NOT (few BETWEEN 1 AND 2)",
  "stage <> 'retired'",
  "high IS NOT NULL",
  "length(status) < 3 OR status = 'open'",
  // Beyond comparisons.
  "length(status) <= few",
  "few + char_length(former) > 4",
  "low IS DISTINCT FROM high",
  "former IS NOT DISTINCT FROM status",
  "few IS NOT DISTINCT FROM 2",
  "is_live IS TRUE OR few > 0",
  "(few > many) IS NOT TRUE",
  "(is_live AND is_old) IS FALSE",
  "(low > high) IS NOT FALSE",
  "CASE WHEN is_live THEN few > 0 WHEN stage = 'planned' THEN few <= 0 ELSE many > 0 END",
  "CASE WHEN status = 'open' THEN starts_on IS NOT NULL ELSE true END",
])("CHECK (%s) is read as it means", async (check) => {
  const { table, definition } = await asked(check);
  const told = await truths(check);
  const ours = said(table, definition);
  const differing = told.flatMap((truth, place) => {
    const row = rows[place] ?? {};
    // Of days before Christ and beyond all others ours may say nothing.
    const isBeyond = ["starts_on", "Ends On", "began"].some((name) => /infinity|BC/.test(row[name] ?? ""));
    return truth === ours[place] || (isBeyond && ours[place] === null) ? [] : [{ ...row, truth, ours: ours[place] }];
  });
  expect(differing).toEqual([]);
  expect(new Set(ours).has(true)).toBe(true);
  expect(new Set(ours).has(false)).toBe(true);
});

test.each([
  ["functions", "octet_length(status) < few"],
  ["what is rounded", "starts_on < began"],
  ["patterns", "status ~ former"],
  ["order of texts", "status < former"],
  ["division", "many / 2 < few"],
  ["casts that round", "low::integer < few"],
  ["CASE without ELSE", "CASE WHEN is_live THEN few > 0 END"],
  ["CASE for values", "CASE WHEN is_live THEN few ELSE many END > 0"],
  ["times of a zone", "began::date = starts_on"],
  ["arithmetic with days", '"Ends On" - starts_on < few'],
  ["what is a rule of one column", "few > 0 AND status IN ('new', 'open') AND (low IS NULL OR (low > 0 AND low < 9))"],
])("%s are left to the table: CHECK (%s)", async (_, check) => {
  const { table, definition } = await asked(check);
  expect(definition).not.toBe("");
  expect(demandedIn(definition, table)).toEqual([]);
});

test("of parts joined by AND those that are understood are read by themselves", async () => {
  const { table, definition } = await asked("octet_length(status) < few AND low < high AND many > few");
  expect(demandedIn(definition, table).map(({ columns: names, says }) => ({ names, says }))).toEqual([
    { names: ["low", "high"], says: { order: "<", left: "low", right: "high" } },
    { names: ["many", "few"], says: { order: ">", left: "many", right: "few" } },
  ]);
});
