import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import type { RecordedRequest } from "@loyal-quill/core";
import { makeTrips, type Trips, tamsin } from "../../testing/trips.js";

/** A table that is too large for one: a hundred partitions by hash of the key, and one of months by its time. */
const sql = `CREATE SCHEMA wide;
CREATE TABLE wide.gauge (id bigint PRIMARY KEY, name text NOT NULL, level numeric(6, 2)) PARTITION BY HASH (id);
DO $$ BEGIN FOR n IN 0 .. 99 LOOP
  EXECUTE format('CREATE TABLE wide.gauge_%s PARTITION OF wide.gauge FOR VALUES WITH (MODULUS 100, REMAINDER %s)', n, n);
END LOOP; END $$;
INSERT INTO wide.gauge SELECT n, 'Gauge ' || n, n % 100 FROM generate_series(1, 5000) AS n;
CREATE TABLE wide.reading (taken date, gauge integer, level numeric(6, 2), note text, PRIMARY KEY (taken, gauge)) PARTITION BY RANGE (taken);
DO $$ BEGIN FOR n IN 0 .. 99 LOOP
  EXECUTE format('CREATE TABLE wide.reading_%s PARTITION OF wide.reading FOR VALUES FROM (%L) TO (%L)', n, date '2020-01-01' + n * 31, date '2020-01-01' + (n + 1) * 31);
END LOOP; END $$;
INSERT INTO wide.reading SELECT date '2020-01-01' + n % 3100, n, n % 50, 'Note' FROM generate_series(1, 6200) AS n;
ANALYZE wide.gauge, wide.reading;
GRANT USAGE ON SCHEMA wide TO quill_pages;
GRANT SELECT, INSERT, UPDATE, DELETE ON wide.gauge, wide.reading TO quill_pages`;

const files = {
  gauge: `format: loyal-quill/page@1
title: "Gauge {id}"
path: /gauges/{id}
record: { table: wide.gauge, key: id }
access: { open: "true", delete: "true" }
fields: [name, level]
`,
  reading: `format: loyal-quill/page@1
title: "Reading {taken} {gauge}"
path: /readings/{taken}/{gauge}
record: { table: wide.reading, key: [taken, gauge] }
access: { open: "true", delete: "true" }
fields: [level, note]
`,
};

let trips: Trips;
beforeAll(async () => {
  trips = await makeTrips({ sql: [sql], files });
});
afterAll(() => trips.close());

interface Plan {
  readonly "Node Type": string;
  readonly "Relation Name"?: string;
  readonly "Actual Loops"?: number;
  readonly Plans?: readonly Plan[];
}

/** The partitions that a plan has touched when it was run. */
function* touched(plan: Plan): Generator<string> {
  const name = plan["Relation Name"];
  if (name !== undefined && /^(gauge|reading)_\d+$/.test(name) && (plan["Actual Loops"] ?? 0) > 0) yield name;
  for (const each of plan.Plans ?? []) yield* touched(each);
}

/** The version of a record, as it is now: it was saved since. */
async function versionNow(text: string, key: readonly string[]): Promise<string | null> {
  const [, table = ""] = /FROM ("wide"\."\w+") AS t/.exec(text) ?? [];
  const where = table.includes("gauge") ? "id = $1" : "taken = $1 AND gauge = $2";
  return (await trips.one<{ xmin: string }>(`SELECT xmin::text FROM ${table} WHERE ${where}`, key)).xmin;
}

/** What the statements of a request touch, planned once for any values, as they are after some requests; all of it is taken back. */
async function partitionsOf({ steps, key }: RecordedRequest): Promise<readonly string[]> {
  const found = new Set<string>();
  for (const { text, values } of steps.flatMap(({ statements }) => statements)) {
    await trips.owner.query("BEGIN");
    try {
      await trips.owner.query("SET LOCAL plan_cache_mode = force_generic_plan");
      await trips.owner.query(`PREPARE looked AS ${text}`);
      const version = Number(/t\.xmin::text = \$(\d+)/.exec(text)?.[1] ?? 0) - 1;
      const now = version < 0 ? null : await versionNow(text, key ?? []);
      const given = values
        .map((value, index) => (index === version ? now : value))
        .map((value) => (value === null ? "NULL" : `'${value.replaceAll("'", "''")}'`))
        .join(", ");
      const { rows } = await trips.owner.query(
        `EXPLAIN (ANALYZE, FORMAT JSON) EXECUTE looked${given === "" ? "" : `(${given})`}`,
      );
      for (const name of touched(rows[0]["QUERY PLAN"][0].Plan)) found.add(name);
    } finally {
      await trips.owner.query("ROLLBACK");
      await trips.owner.query("DEALLOCATE ALL");
    }
  }
  return [...found];
}

describe.each([
  ["by hash of the key", "/gauges/4711"],
  ["by time", "/readings/2024-05-05/1586"],
])("a table of a hundred partitions, %s", (_how, address) => {
  test("opening and saving a record touch one of them", async () => {
    const opened = await trips.send("GET", `${address}/edit`, tamsin);
    expect(opened.response.status).toBe(200);
    const form = await trips.open(`${address}/edit`, tamsin);
    const open = await partitionsOf(opened.recorded);
    expect(open).toHaveLength(1);
    const saved = await trips.save(`${address}/edit`, tamsin, form, { level: "7.5" });
    expect(saved.response.status).toBe(303);
    const write = await partitionsOf(saved.recorded);
    expect(write).toEqual(open);
    const removed = await trips.save(`${address}/delete`, tamsin, await trips.open(`${address}/delete`, tamsin));
    expect(removed.response.status).toBe(303);
  });

  test("its list is put in order, searched and read on", async () => {
    const list = address.split("/").slice(0, 2).join("/");
    const { response } = await trips.send("GET", list, tamsin);
    expect(response.status).toBe(200);
    expect(response.body).toContain("<table");
  });
});
