import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { DatabaseRefusal } from "@loyal-quill/core";
import { bodyOf, Client, formOf, type Pooler, startPooler, testCluster } from "@loyal-quill/testing";
import pg from "pg";
import { connect, createPages, databaseOver, type Pages } from "../index.js";
import { type Served, serve } from "../testing/served.js";
import { demoPages, hollis, makeTrips, type Trips } from "../testing/trips.js";
import { whileWaitedFor } from "./database.js";
import { NobodyWaits } from "./nobody-waits.js";

let trips: Trips;
let pooler: Pooler;
let url: string;
let pages: Pages;
let served: Served;
let client: Client;

beforeAll(async () => {
  trips = await makeTrips();
  const { port, passwords } = testCluster();
  // Three connections for all: whoever asks gets another one with each transaction.
  pooler = await startPooler(port, { quill_pages: passwords.pages }, 3);
  const direct = new URL(trips.pool.options.connectionString ?? "");
  direct.port = String(pooler.port);
  url = direct.href;
  pages = await createPages({
    database: url,
    poolSize: 8,
    pages: demoPages,
    signingKey: "a key for tests, thirty-two bytes long",
    actor: () => hollis,
  });
  served = await serve(pages, "/records");
  client = new Client(served.origin);
});
afterAll(async () => {
  await served.stop();
  await pooler.stop();
  await trips.close();
});

describe("behind a pooler in transaction mode", () => {
  test("a page is opened, saved and logged as it is without one", async () => {
    const address = "/records/stations/MV-014/edit";
    const form = formOf((await client.get(address)).text);
    const other = await trips.open("/stations/MV-014/edit", hollis);
    for (const [name, value] of other)
      if (!name.startsWith("quill.")) expect([name, form.get(name)]).toEqual([name, value]);
    expect((await client.post(address, bodyOf(form, { warning_m: "3.25", notes: "by a pooler" }))).status).toBe(303);
    expect(await trips.one("SELECT warning_m::text, notes FROM network.station WHERE code = 'MV-014'")).toEqual({
      warning_m: "3.25",
      notes: "by a pooler",
    });
    expect(
      await trips.one(
        'SELECT actor_id, way FROM quill_log.change WHERE record_key @> \'{"code":"MV-014"}\' ORDER BY id DESC LIMIT 1',
      ),
    ).toEqual({ actor_id: hollis.id, way: "page" });
  });

  test("many at once share three connections, and each is told who asks", async () => {
    const codes = Array.from({ length: 36 }, (_, index) => `MV-${String((index % 12) + 13).padStart(3, "0")}`);
    const answers = await Promise.all(codes.map((code) => client.get(`/records/stations/${code}/edit`)));
    expect(answers.map(({ status }) => status)).toEqual(codes.map(() => 200));
    const pool = connect(url, 12);
    const database = databaseOver(pool);
    const asked = Array.from({ length: 60 }, (_, index) =>
      database.run({
        purpose: "who asks",
        text: `SELECT current_setting('quill.actor') AS "actor", current_setting('timezone') AS "zone", current_setting('statement_timeout') AS "limit", '2026-01-02'::date::text AS "day"`,
        values: [],
        told: { actor: `person ${index}`, page: "station", request: "" },
      }),
    );
    expect((await Promise.all(asked)).map(([row]) => row)).toEqual(
      Array.from({ length: 60 }, (_, index) => ({
        actor: `person ${index}`,
        zone: "UTC",
        limit: "15s",
        day: "2026-01-02",
      })),
    );
    await pool.end();
  });

  test("nothing of it stays in the sessions that others get after it", async () => {
    const plain = new pg.Pool({ connectionString: url, max: 3 });
    const found = await Promise.all(
      [1, 2, 3].map(() =>
        plain.query(
          "SELECT pg_sleep(0.05), coalesce(current_setting('quill.actor', true), '') AS actor, current_setting('statement_timeout') AS limit, (SELECT count(*)::int FROM pg_prepared_statements) AS prepared",
        ),
      ),
    );
    expect(found.map(({ rows }) => [rows[0].actor, rows[0].limit, rows[0].prepared])).toEqual([
      ["", "0", 0],
      ["", "0", 0],
      ["", "0", 0],
    ]);
    await plain.end();
  });

  test("a transaction keeps its connection, and its limits", async () => {
    const pool = connect(url, 4);
    const database = databaseOver(pool, { statement: 300 });
    const ask = (text: string) => ({ purpose: "asks", text, values: [] });
    const pids = await database.transaction(async (inside) => {
      const found: (string | null | undefined)[] = [];
      for (let turn = 0; turn < 5; turn++)
        found.push((await inside.run(ask(`SELECT pg_backend_pid()::text AS "pid"`)))[0]?.pid);
      return found;
    });
    expect(new Set(pids).size).toBe(1);
    const slow = database.run(ask(`SELECT pg_sleep(5)::text AS "slept"`));
    await expect(slow).rejects.toMatchObject({ sqlState: "57014" });
    await expect(database.run(ask("SELECT 1/0"))).rejects.toBeInstanceOf(DatabaseRefusal);
    await pool.end();
  });

  test("what may take long has the time, and a transaction may say first what it is", async () => {
    const pool = connect(url, 2);
    const database = databaseOver(pool, { statement: 300 });
    const ask = { purpose: "asks", text: `SELECT pg_sleep(0.6)::text AS "slept"`, values: [] };
    await expect(database.run({ ...ask, slow: true })).resolves.toHaveLength(1);
    const isolation = await database.transaction(async (inside) => {
      await inside.run({
        purpose: "begins",
        text: "SET TRANSACTION ISOLATION LEVEL REPEATABLE READ",
        values: [],
        first: true,
      });
      return inside.run({
        purpose: "asks",
        text: `SELECT current_setting('transaction_isolation') AS "is"`,
        values: [],
      });
    });
    expect(isolation).toEqual([{ is: "repeatable read" }]);
    await pool.end();
  });

  test("what nobody waits for any more is given up in PostgreSQL too", async () => {
    const pool = connect(url, 2);
    const given = new AbortController();
    const slow = whileWaitedFor(databaseOver(pool), given.signal).run({
      purpose: "sleeps",
      text: `SELECT pg_sleep(30)::text AS "slept, behind a pooler"`,
      values: [],
    });
    setTimeout(() => given.abort(), 200);
    await expect(slow).rejects.toBeInstanceOf(NobodyWaits);
    expect(
      await trips.one(
        "SELECT count(*)::int AS n FROM pg_stat_activity WHERE state = 'active' AND query LIKE '%slept, behind a pooler%' AND pid <> pg_backend_pid()",
      ),
    ).toEqual({ n: 0 });
    await pool.end();
  });
});
