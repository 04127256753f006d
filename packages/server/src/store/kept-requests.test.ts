import { afterAll, beforeAll, beforeEach, expect, test } from "@jest/globals";
import type { RecordedRequest } from "@loyal-quill/core";
import { freshDatabase, type TestDatabase } from "@loyal-quill/testing";
import pg from "pg";
import { mostRequests, surplusOf } from "./kept-requests.js";
import { Store } from "./store.js";

/** What is kept of requests, and how long. */

let made: TestDatabase;
let client: pg.Client;
let store: Store;
beforeAll(async () => {
  made = await freshDatabase();
  store = await Store.open(made.store, made.reader);
  client = new pg.Client(made.store);
  await client.connect();
});
afterAll(async () => {
  await client.end();
  await store.close();
  await made.drop();
});
beforeEach(() => client.query("TRUNCATE request"));

/** So many requests, the last one the newest. */
const fill = (page: string | null, actor: string | null, count: number, age = "1 hour"): Promise<unknown> =>
  client.query(
    `INSERT INTO request (id, database, at, page, operation, outcome, actor_id, method, path, status, ms, problems, statements, glance, recorded, format)
     SELECT gen_random_uuid(), '', now() - $4::interval, $1, 'open', 'shown', $2, 'GET', '/x', 200, 1, '[]', 1, '[]', '{}', 1 FROM generate_series(1, $3)`,
    [page, actor, count, age],
  );

const counts = async (): Promise<Readonly<Record<string, number>>> => {
  const { rows } = await client.query<{ name: string; count: number }>(
    "SELECT concat_ws(' ', coalesce(page, 'no page'), coalesce(actor_id, 'of nobody')) AS name, count(*)::int AS count FROM request GROUP BY 1 ORDER BY 1",
  );
  return Object.fromEntries(rows.map(({ name, count }) => [name, count]));
};

const plain: RecordedRequest = {
  id: "00000000-0000-4000-8000-000000000001",
  at: "2026-11-26T12:00:00.000Z",
  operation: "open",
  method: "GET",
  path: "/stations/MV-001/edit",
  page: "station",
  actor: null,
  key: ["MV-001"],
  outcome: "shown",
  status: 200,
  ms: 1,
  steps: [],
};

test("of each page the newest are kept: of people who are known, and fewer of nobody", async () => {
  await fill("station", "ines", mostRequests.known + 30);
  await fill("station", null, mostRequests.unknown + 20);
  await fill("visit", "ines", mostRequests.known + 1);
  await fill("sensor", "ines", mostRequests.known + 6000);
  await fill(null, null, mostRequests.unknown + 10);
  const { rows } = await client.query<{ number: string }>("SELECT min(number)::text AS number FROM request");
  await store.requests.forgetSurplus("station");
  expect(await counts()).toEqual({
    "no page of nobody": mostRequests.unknown + 10,
    "sensor ines": mostRequests.known + 6000,
    "station ines": mostRequests.known,
    "station of nobody": mostRequests.unknown,
    "visit ines": mostRequests.known + 1,
  });
  // The oldest went.
  const oldest = await client.query("SELECT FROM request WHERE number < $1::bigint + 30", [rows[0]?.number]);
  expect(oldest.rowCount).toBe(0);
  await store.requests.forgetSurplus("sensor");
  await store.requests.forgetSurplus(null);
  expect(await counts()).toMatchObject({
    "no page of nobody": mostRequests.unknown,
    "sensor ines": mostRequests.known,
    "visit ines": mostRequests.known + 1,
  });
});

test("what is older than ninety days goes", async () => {
  // More than one statement removes.
  await fill("station", "ines", 12_000, "91 days");
  await fill("station", "ines", 2, "89 days");
  await store.requests.forgetAged();
  expect(await counts()).toEqual({ "station ines": 2 });
});

test("to look after one page, the requests of others are not read", async () => {
  await fill("station", "ines", 20_000);
  await fill("visit", "ines", 5);
  await client.query("ANALYZE request");
  for (const page of ["visit", null])
    for (const { text, values } of surplusOf("", page)) {
      let place = 0;
      const { rows } = await client.query<{ "QUERY PLAN": string }>(
        `EXPLAIN ${text.replaceAll("?", () => `$${++place}`)}`,
        values,
      );
      const plan = rows.map((row) => row["QUERY PLAN"]).join("\n");
      expect(plan).toMatch(/Index Scan using request_(page|actor)/);
      expect(plan).not.toContain("Seq Scan");
    }
});

test("what can't be removed is told of, and what came in is kept all the same", async () => {
  await fill("station", "ines", 1, "91 days");
  await client.query(
    `CREATE FUNCTION refuse() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN RAISE 'not now'; END $$;
     CREATE TRIGGER refuse BEFORE DELETE ON request EXECUTE FUNCTION refuse()`,
  );
  const told: unknown[] = [];
  const { requests } = store;
  requests.onForgetFailure = (error) => told.push(error);
  try {
    await requests.keep(plain);
    await requests.settled();
    expect(told).toEqual([expect.objectContaining({ message: expect.stringContaining("not now") })]);
    expect(await requests.one(plain.id)).toMatchObject({ path: "/stations/MV-001/edit" });
  } finally {
    await client.query("DROP FUNCTION refuse CASCADE");
  }
});

test("whatever was sent is kept as it was, and told with U+FFFD where a column can't hold it", async () => {
  const odd = "a\0b\uD800c 😀";
  const sent: RecordedRequest = {
    ...plain,
    actor: { id: odd, name: odd },
    path: `/stations/${odd}`,
    key: [odd],
    outcome: "invalid",
    steps: [
      { step: "read", ms: 1, stopped: null, statements: [], values: [{ name: "name", value: odd }] },
      { step: "check", ms: 1, stopped: odd, statements: [], values: [{ name: odd, value: odd, note: "required" }] },
    ],
    wire: { query: {}, headers: {}, body: odd, answer: { headers: {}, body: odd } },
  };
  await store.requests.keep(sent);
  const { wire: _, ...rest } = sent;
  expect(await store.requests.one(sent.id)).toEqual(sent);
  expect(await store.requests.newest({ limit: 5 })).toEqual([rest]);
  expect(await store.requests.byIds([sent.id])).toEqual([rest]);
  const shown = "a\uFFFDb\uFFFDc 😀";
  expect(await store.requests.told({}, 5)).toEqual([
    expect.objectContaining({
      actor: { id: shown, name: shown },
      path: `/stations/${shown}`,
      record: shown,
      reason: shown,
      problems: [{ field: shown, by: "required" }],
      steps: [expect.anything(), expect.objectContaining({ stopped: shown })],
    }),
  ]);
});

test("what was kept in the older format is read on; a newer one is left alone", async () => {
  const { id, ...rest } = plain;
  const of = (format: number) => ({ ...rest, id: id.replace(/1$/, String(format)) });
  for (const format of [1, 2, 3])
    await client.query(
      `INSERT INTO request (id, database, at, page, operation, outcome, ${format === 1 ? "recorded" : "kept"}, format)
       VALUES ($1, '', now(), 'station', 'open', 'shown', $2, $3)`,
      [of(format).id, JSON.stringify(of(format)), format],
    );
  expect(await store.requests.newest({ limit: 5 })).toEqual([of(2), of(1)]);
  expect(await store.requests.one(of(1).id)).toEqual(of(1));
  expect(await store.requests.one(of(3).id)).toBeNull();
  expect(await store.requests.told({}, 5)).toHaveLength(2);
});
