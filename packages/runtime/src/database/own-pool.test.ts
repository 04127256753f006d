import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { bodyOf, Client, formOf, pastPooler, until, waitingForLocks } from "@loyal-quill/testing";
import pg from "pg";
import { createPages, type Pages } from "../index.js";
import { type Served, serve } from "../testing/served.js";
import { demoPages, hollis, makeTrips, type Trips } from "../testing/trips.js";

let trips: Trips;
let pool: pg.Pool;
let pages: Pages;
let served: Served;
let client: Client;

/** The pool of an application of somebody's own: in its time zone, with its own ways of writing dates and reading numbers. */
beforeAll(async () => {
  trips = await makeTrips();
  pool = new pg.Pool({
    connectionString: pastPooler(trips.pool.options.connectionString ?? ""),
    max: 3,
    options: "-c timezone=Pacific/Auckland -c datestyle=German -c extra_float_digits=-5 -c bytea_output=escape",
  });
  pages = await createPages({
    database: pool,
    pages: demoPages,
    signingKey: "a key for tests, thirty-two bytes long",
    actor: () => hollis,
  });
  served = await serve(pages, "/records");
  client = new Client(served.origin);
});
afterAll(async () => {
  await served.stop();
  await pool.end();
  await trips.close();
});

const setting = async (name: string): Promise<string> => {
  const { rows } = await pool.query<{ value: string }>("SELECT current_setting($1, true) AS value", [name]);
  return rows[0]?.value ?? "";
};

/** Pages over a pool that nothing else uses by itself meanwhile, with what is told of them. */
async function servedOver(own: pg.Pool) {
  const told: string[] = [];
  const opened = await createPages({
    database: own,
    pages: demoPages,
    signingKey: "a key for tests, thirty-two bytes long",
    actor: () => hollis,
    seals: false,
    lookEvery: 3_600_000,
    onError: (error) => void told.push((error as Error).message),
    onRequest: ({ outcome }) => void told.push(outcome),
  });
  const other = await serve(opened, "/");
  const stop = async (): Promise<void> => {
    await other.stop();
    await own.end();
  };
  return { told, theirs: new Client(other.origin), stop };
}

describe("an application's own pool", () => {
  test("shows and keeps values as any other connection does, whatever its sessions say", async () => {
    const address = "/records/stations/MV-014/edit";
    const { text } = await client.get(address);
    const form = formOf(text);
    const other = await trips.open("/stations/MV-014/edit", hollis);
    for (const [name, value] of other)
      if (!name.startsWith("quill.")) expect([name, form.get(name)]).toEqual([name, value]);
    expect((await client.post(address, bodyOf(form, { warning_m: "3.25", notes: "by their pool" }))).status).toBe(303);
    expect(await trips.one("SELECT warning_m::text, notes FROM network.station WHERE code = 'MV-014'")).toEqual({
      warning_m: "3.25",
      notes: "by their pool",
    });
    const logged = await trips.one<{ fields: { field: string; new: string }[] }>(
      "SELECT fields FROM quill_log.change ORDER BY id DESC LIMIT 1",
    );
    expect(logged.fields.map(({ field }) => field).sort()).toEqual(["notes", "warning_m"]);
  });

  test("is left as it was: its sessions' settings are the application's", async () => {
    await Promise.all(Array.from({ length: 6 }, () => client.get("/records/stations")));
    for (let turn = 0; turn < 3; turn++)
      expect([
        await setting("timezone"),
        await setting("datestyle"),
        await setting("extra_float_digits"),
        await setting("statement_timeout"),
        await setting("quill.actor"),
      ]).toEqual(["Pacific/Auckland", "German, DMY", "-5", "0", ""]);
  });

  test("reads text, whatever the application's own parsers make of types", async () => {
    const before = pg.types.getTypeParser(pg.types.builtins.TEXT);
    pg.types.setTypeParser(pg.types.builtins.TEXT, (text) => ({ text }) as unknown as string);
    try {
      expect((await client.get("/records/stations/MV-013/edit")).status).toBe(200);
    } finally {
      pg.types.setTypeParser(pg.types.builtins.TEXT, before as (text: string) => string);
    }
  });

  test("stays open when the pages are closed, and what was under way is answered first", async () => {
    const own = await createPages({
      database: pool,
      pages: demoPages,
      signingKey: "a key for tests, thirty-two bytes long",
      actor: () => hollis,
    });
    const other = await serve(own, "/");
    await trips.owner.query("BEGIN; LOCK TABLE network.station IN ACCESS EXCLUSIVE MODE");
    const asked = new Client(other.origin).get("/stations");
    await until(async () => (await waitingForLocks(trips.pool)) === 1);
    let closed = false;
    const closing = own.close().then(() => {
      closed = true;
    });
    expect(closed).toBe(false);
    await trips.owner.query("COMMIT");
    expect((await asked).status).toBe(200);
    await closing;
    await other.stop();
    expect((await pool.query("SELECT 1 AS one")).rows).toEqual([{ one: 1 }]);
  });

  test("what is only looked at is given up in PostgreSQL as well, once its browser has gone", async () => {
    await trips.owner.query("BEGIN; LOCK TABLE network.station IN ACCESS EXCLUSIVE MODE");
    try {
      const gone = new AbortController();
      const asked = fetch(`${served.origin}/records/stations`, { signal: gone.signal }).catch(() => "gone");
      await until(async () => (await waitingForLocks(trips.pool)) === 1);
      gone.abort();
      expect(await asked).toBe("gone");
      await until(async () => (await waitingForLocks(trips.pool)) === 0);
    } finally {
      await trips.owner.query("COMMIT");
    }
    expect((await client.get("/records/stations")).status).toBe(200);
  });

  test("is told who asks in a transaction with steps as well, and values are read as the application reads them", async () => {
    const seen: unknown[] = [];
    const own = await createPages({
      database: pool,
      pages: demoPages,
      signingKey: "a key for tests, thirty-two bytes long",
      actor: () => hollis,
      steps: {
        station: {
          async inTransaction({ query }) {
            const [row] = await query(
              "SELECT current_setting('quill.actor') AS actor, 7 AS seven, now() AS now, current_setting('timezone') AS zone",
            );
            seen.push({ ...row, now: row?.now instanceof Date });
          },
        },
      },
    });
    const other = await serve(own, "/");
    const theirs = new Client(other.origin);
    const form = formOf((await theirs.get("/stations/MV-014/edit")).text);
    expect((await theirs.post("/stations/MV-014/edit", bodyOf(form, { notes: "with a step" }))).status).toBe(303);
    expect(seen).toEqual([{ actor: "hollis", seven: 7, now: true, zone: "UTC" }]);
    await other.stop();
    expect(await setting("timezone")).toBe("Pacific/Auckland");
  });

  test.each([
    ["open", "SELECT 1"],
    ["failed", "SELECT 1/0"],
  ])(
    "that has a connection with a transaction that is %s on it: what is saved is saved, and the developer is told",
    async (_, text) => {
      const one = new pg.Pool({ connectionString: pool.options.connectionString, max: 1 });
      const { told, theirs, stop } = await servedOver(one);
      const form = formOf((await theirs.get("/stations/MV-014/edit")).text);
      expect(told.splice(0)).toEqual(["shown"]);
      const left = await one.connect();
      await left.query("BEGIN");
      await left.query(text).catch(() => {});
      left.release();
      const notes = `beside a transaction, ${Math.random()}`;
      expect((await theirs.post("/stations/MV-014/edit", bodyOf(form, { notes }))).status).toBe(303);
      await one.query("ROLLBACK");
      expect(await trips.one("SELECT notes FROM network.station WHERE code = 'MV-014'")).toEqual({ notes });
      expect(told).toEqual([expect.stringContaining("in the middle of a transaction"), "saved"]);
      await stop();
    },
  );

  test("that begins a transaction with every connection: nothing is said to be saved, and the developer is told", async () => {
    const begun = new pg.Pool({ connectionString: pool.options.connectionString, max: 1 });
    let begins = false;
    begun.on("connect", (each) => {
      if (begins) void each.query("BEGIN");
    });
    const { told, theirs, stop } = await servedOver(begun);
    const form = formOf((await theirs.get("/stations/MV-014/edit")).text);
    begins = true;
    await begun
      .query("SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE pid = pg_backend_pid()")
      .catch(() => {});
    const { status } = await theirs.post("/stations/MV-014/edit", bodyOf(form, { notes: "never" }));
    expect(status).toBe(503);
    expect(await trips.one("SELECT notes <> 'never' AS kept FROM network.station WHERE code = 'MV-014'")).toEqual({
      kept: true,
    });
    expect(told).toContainEqual(expect.stringContaining("in the middle of a transaction"));
    await stop();
  });

  test("without a database or a key, it is said what is missing", async () => {
    const options = { pages: demoPages, actor: () => hollis };
    await expect(createPages({ ...options, database: pool, signingKey: undefined })).rejects.toThrow(/signing key/);
    await expect(createPages({ ...options, database: undefined, signingKey: "x".repeat(32) })).rejects.toThrow(
      /The database is missing/,
    );
  });
});
