import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { DatabaseAway, DatabaseRefusal, type Statement } from "@loyal-quill/core";
import {
  bodyOf,
  formOf,
  type LinkProxy,
  pastPooler,
  startProxy,
  testCluster,
  throughProxy,
  until,
  waitingForLocks,
} from "@loyal-quill/testing";
import pg from "pg";
import { connect, databaseOver } from "../index.js";
import { hollis, makeTrips, type Trips, tamsin } from "../testing/trips.js";

let trips: Trips;
let proxy: LinkProxy;
beforeAll(async () => {
  trips = await makeTrips();
  proxy = await startProxy(testCluster().port);
});
afterAll(async () => {
  await proxy.close();
  await trips.close();
});

const ask = (text: string, more: Partial<Statement> = {}): Statement => ({
  purpose: "test",
  text,
  values: [],
  ...more,
});
/** How many statements with such a text PostgreSQL is at work on. */
const atWork = async (text: string): Promise<number> =>
  (
    await trips.pool.query(
      "SELECT FROM pg_stat_activity WHERE state = 'active' AND pid <> pg_backend_pid() AND query LIKE '%' || $1 || '%'",
      [text],
    )
  ).rows.length;
const url = () => pastPooler(`${trips.pool.options.connectionString}`);

describe("a link to the database that dies silently", () => {
  test("is given up, is not used again, and is back as soon as the network is", async () => {
    const pool = connect(throughProxy(url(), proxy), 6);
    const database = databaseOver(pool, { statement: 2000, answer: 500, idle: 50, test: 500 });
    const all = () => Promise.allSettled(Array.from({ length: 6 }, () => database.run(ask("SELECT pg_sleep(0.05)"))));
    expect((await all()).map(({ status }) => status)).toEqual(Array(6).fill("fulfilled"));
    proxy.set("silent");
    const dead = await all();
    expect(dead.map((each) => each.status === "rejected" && each.reason instanceof DatabaseAway)).toEqual(
      Array(6).fill(true),
    );
    proxy.set("open");
    expect((await database.run(ask("SELECT 'back' AS said")))[0]).toEqual({ said: "back" });
    proxy.set("silent");
    await pool.end();
    proxy.set("open");
  });

  test("a statement that was under way is told as one of which nobody knows", async () => {
    const pool = connect(throughProxy(url(), proxy), 2);
    const database = databaseOver(pool, { statement: 400, answer: 100 });
    await database.run(ask("SELECT 1"));
    const waiting = database.run(ask("SELECT pg_sleep(0.2)"));
    proxy.set("no answers");
    await expect(waiting).rejects.toMatchObject({ name: "DatabaseAway", sent: true });
    proxy.set("cut");
    await expect(database.run(ask("SELECT 1"))).rejects.toMatchObject({ name: "DatabaseAway", sent: false });
    proxy.set("open");
    await pool.end();
  });

  test("a statement that PostgreSQL is not at work on is given up long before its limit; one that it is at work on is not", async () => {
    const pool = connect(throughProxy(url(), proxy), 3);
    // A limit that no test waits for: it is given up before, or this one fails.
    const database = databaseOver(pool, { statement: 3_600_000 });
    await Promise.all([1, 2].map(() => database.run(ask("SELECT pg_sleep(0.05)"))));
    const long = database.run(ask("SELECT pg_sleep(4), 'done' AS said"));
    await until(async () => (await atWork("pg_sleep(4)")) > 0);
    proxy.set("no answers");
    const lost = database.run(ask("SELECT 1"));
    await until(() => proxy.swallowed() > 0);
    proxy.set("open");
    await expect(lost).rejects.toMatchObject({ name: "DatabaseAway", sent: true });
    expect((await long)[0]).toMatchObject({ said: "done" });
    await pool.end();
  });

  test("a save whose answer never comes is found in the log and answered as saved", async () => {
    const pool = connect(throughProxy(url(), proxy), 4);
    const form = await trips.open("/stations/MV-014/edit", hollis);
    proxy.loseAnswerTo('"quill_log"."add_change"', 300);
    const body = bodyOf(form, { notes: "answered by the log" });
    const { response, recorded } = await trips.send("POST", "/stations/MV-014/edit", hollis, body, databaseOver(pool));
    await pool.end();
    expect([response.status, recorded.outcome]).toEqual([303, "saved"]);
    expect(await trips.one("SELECT notes FROM network.station WHERE code = 'MV-014'")).toEqual({
      notes: "answered by the log",
    });
    expect(
      await trips.one(
        "SELECT count(*)::int AS n FROM quill_log.change WHERE fields::text LIKE '%answered by the log%'",
      ),
    ).toEqual({ n: 1 });
  });
});

describe("one record that somebody holds", () => {
  test("is said after a moment, and everybody else goes on opening pages", async () => {
    const pool = connect(url(), 6);
    const database = databaseOver(pool, { lock: 2500 });
    const holder = new pg.Client(`${trips.pool.options.connectionString}`);
    await holder.connect();
    await holder.query("BEGIN; SELECT FROM network.station WHERE code = 'MV-014' FOR UPDATE");
    const form = await trips.open("/stations/MV-014/edit", hollis);
    const saves = Array.from({ length: 14 }, (_, index) =>
      trips.send("POST", "/stations/MV-014/edit", hollis, bodyOf(form, { notes: `waiting ${index}` }), database),
    );
    const saved = Promise.all(saves);
    let areSaved = false;
    void saved.then(() => {
      areSaved = true;
    });
    await until(async () => (await waitingForLocks(trips.pool)) > 0);
    const opened = await trips.send("GET", "/stations/MV-014/edit", tamsin, null, database);
    expect([opened.response.status, areSaved]).toEqual([200, false]);
    const answers = await saved;
    await holder.query("ROLLBACK");
    await holder.end();
    await pool.end();
    const [first] = answers;
    expect(first?.response.status).toBe(503);
    expect(first?.response.body).toContain("Somebody else is changing this record at this moment.");
    expect(formOf(first?.response.body ?? "").get("notes")).toBe("waiting 0");
    expect(answers.every(({ response }) => response.status === 503)).toBe(true);
  });
});

describe("time limits", () => {
  const limits = async (role: string): Promise<unknown> => {
    await trips.owner.query("SELECT 1");
    const { port, passwords } = testCluster();
    const admin = new pg.Client({
      host: "127.0.0.1",
      port,
      user: "postgres",
      password: passwords.postgres,
      database: "postgres",
    });
    await admin.connect();
    await admin.query(`ALTER ROLE quill_pages ${role}`);
    const pool = connect(url(), 1);
    const rows = await databaseOver(pool).run(
      ask("SELECT current_setting('statement_timeout') AS statement, current_setting('lock_timeout') AS lock"),
    );
    await pool.end();
    await admin.query("ALTER ROLE quill_pages RESET ALL");
    await admin.end();
    return rows[0];
  };

  test("are ours where a role has none or longer ones, and the role's where they are shorter", async () => {
    expect(await limits("RESET ALL")).toEqual({ statement: "15s", lock: "3s" });
    expect(await limits("SET statement_timeout = '20min'")).toEqual({ statement: "15s", lock: "3s" });
    expect(await limits("SET statement_timeout = '4s'")).toEqual({ statement: "4s", lock: "3s" });
  });

  test("a statement that runs too long is refused by PostgreSQL, and the connection is kept", async () => {
    const pool = connect(url(), 1);
    const database = databaseOver(pool, { statement: 200 });
    const pid = async () => (await database.run(ask("SELECT pg_backend_pid()::text AS pid")))[0]?.pid;
    const before = await pid();
    await expect(database.run(ask("SELECT pg_sleep(3)"))).rejects.toBeInstanceOf(DatabaseRefusal);
    expect(await pid()).toBe(before);
    await pool.end();
  });
});
