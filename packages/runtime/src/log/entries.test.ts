import { setTimeout } from "node:timers/promises";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { contentHash, hexOf } from "@loyal-quill/core";
import { formOf } from "@loyal-quill/testing";
import pg from "pg";
import { databaseOver, sealLog, sha256 } from "../index.js";
import { hollis, makeTrips, type Trips, tamsin } from "../testing/trips.js";
import { findingsIn, ownerPool } from "../testing/verified.js";

let trips: Trips;
let reading: pg.Pool;
beforeAll(async () => {
  trips = await makeTrips();
  reading = ownerPool(trips);
});
afterAll(async () => {
  await reading.end();
  await trips.close();
});

const findings = () => findingsIn(reading);
const sealed = () => sealLog(databaseOver(reading));
const add = `SELECT quill_log.add_change('x', 'X', 'station', 'v', 'network.station', $1, 'update', '[{"field":"notes","old":"a","new":"b"}]', gen_random_uuid(), NULL, NULL, NULL)`;

describe("the pages' role and the log, with hostile SQL", () => {
  test.each([
    [
      "an entry of one's own",
      `INSERT INTO quill_log.change OVERRIDING SYSTEM VALUE SELECT * FROM quill_log.change LIMIT 1`,
    ],
    [
      "one that is put straight into a partition",
      `INSERT INTO quill_log.change_default SELECT * FROM quill_log.change LIMIT 1`,
    ],
    ["an entry changed", `UPDATE quill_log.change SET actor_name = 'nobody'`],
    ["an entry deleted", `DELETE FROM quill_log.change`],
    ["all of them truncated", `TRUNCATE quill_log.change`],
    [
      "a time of one's own",
      `SELECT quill_log.append('2020-01-01', 'x', 'X', 'p', 'v', 't.t', '{}', 'update', '[]', NULL, NULL, NULL, NULL, 'page', NULL)`,
    ],
    ["the chain's end", `UPDATE quill_log.head SET id = 1`],
    ["a seal changed", `UPDATE quill_log.seal SET at = now()`],
    ["a seal of one's own", `SELECT quill_log.add_seal('entries', NULL, '{}', '', '{}', 1, '{}', '1')`],
    ["values erased", `SELECT quill_log.erase('network.station', '{}', '{}', false, '{}')`],
    ["a month dropped", `SELECT quill_log.drop_month('2026-01', '{}')`],
    ["a rule of retention", `INSERT INTO quill_log.retention VALUES ('*', 1, 0)`],
    ["a table watched no more", `DELETE FROM quill_log.watched`],
    ["the sequence set back", `SELECT setval('quill_log.change_id_seq', 1)`],
    ["the sequence used up", `SELECT nextval('quill_log.change_id_seq')`],
    ["a function replaced", `CREATE OR REPLACE FUNCTION quill_log.add_change() RETURNS int LANGUAGE sql AS 'SELECT 1'`],
    [
      "a function of one's own in the schema",
      `CREATE FUNCTION quill_log.mine() RETURNS int LANGUAGE sql AS 'SELECT 1'`,
    ],
    ["the owner's role", `SET ROLE vale_owner`],
  ])("%s is refused", async (_what, sql) => {
    await expect(trips.pool.query(sql)).rejects.toMatchObject({ code: "42501" });
  });

  test("objects of one's own do not stand in the place of PostgreSQL's", async () => {
    const client = await trips.pool.connect();
    try {
      await client.query("BEGIN");
      await client.query(
        `CREATE FUNCTION pg_temp.clock_timestamp() RETURNS timestamptz LANGUAGE sql AS $$ SELECT '2020-01-01'::timestamptz $$;
         CREATE FUNCTION pg_temp.sha256(bytea) RETURNS bytea LANGUAGE sql AS $$ SELECT '\\x00'::bytea $$;
         SET LOCAL search_path = pg_temp, pg_catalog; SET LOCAL timezone = 'Asia/Tokyo'; SET LOCAL datestyle = 'German'`,
      );
      await client.query(add, ['{"code":"MV-050"}']);
      await client.query("COMMIT");
    } finally {
      client.release(true);
    }
    const entry = await trips.one<{ at: Date; hash: string }>(
      "SELECT at, encode(hash, 'hex') AS hash FROM quill_log.change ORDER BY id DESC LIMIT 1",
    );
    expect(Math.abs(Date.now() - entry.at.getTime())).toBeLessThan(60_000);
    expect(await findings()).toEqual([]);
  });

  test("what is no change is refused, and nothing of it stays", async () => {
    const count = await trips.one("SELECT count(*)::int AS n FROM quill_log.change");
    const call = (operation: string, fields: string): Promise<unknown> =>
      trips.pool.query(
        `SELECT quill_log.add_change('x', 'X', 'p', 'v', 't.t', '{"a":"1"}', $1, $2, gen_random_uuid(), NULL, NULL, NULL)`,
        [operation, fields],
      );
    await expect(call("upsert", "[]")).rejects.toMatchObject({ code: "23502", column: "operation" });
    await expect(call("update", "{}")).rejects.toMatchObject({ code: "22023" });
    expect(await trips.one("SELECT count(*)::int AS n FROM quill_log.change")).toEqual(count);
  });
});

describe("the entry before", () => {
  test("is the right one when many save one record at once, and others don't wait", async () => {
    const path = "/stations/MV-014/edit";
    const forms = await Promise.all(Array.from({ length: 24 }, () => trips.open(path, tamsin)));
    const fields = ["notes", "name", "grid_reference"] as const;
    await Promise.all(
      forms.map((form, index) => trips.save(path, tamsin, form, { [fields[index % 3] ?? "notes"]: `V ${index}` })),
    );
    expect(await findings()).toEqual([]);
    const { rows } = await trips.owner.query(
      `SELECT id::text, previous_id::text FROM quill_log.change WHERE record_key = '{"code":"MV-014"}' AND table_name = 'network.station' ORDER BY change.id`,
    );
    expect(rows.slice(1).map((row) => row.previous_id)).toEqual(rows.slice(0, -1).map((row) => row.id));
  });

  test("is waited for while somebody else's save of it is under way, and is theirs", async () => {
    const [one, other] = [await reading.connect(), await trips.pool.connect()];
    try {
      await one.query("BEGIN");
      await one.query("UPDATE network.station SET notes = 'first' WHERE code = 'MV-016'");
      const first = (await one.query(add, ['{"code":"MV-016"}'])).rows[0].add_change;
      // A statement that has begun, and seen its moment, before the other one ends.
      const second = other.query(
        `WITH before AS (SELECT code FROM network.station WHERE code = 'MV-016' FOR NO KEY UPDATE), after AS (
           UPDATE network.station AS t SET notes = 'second' FROM before WHERE t.code = before.code RETURNING t.code)
         SELECT quill_log.add_change('y', 'Y', 'station', 'v', 'network.station', jsonb_build_object('code', code), 'update', '[]', gen_random_uuid(), NULL, NULL, NULL) AS id FROM after`,
      );
      // Another record is saved meanwhile.
      const elsewhere = await trips.pool.query(add, ['{"code":"MV-017"}']);
      expect(elsewhere.rowCount).toBe(1);
      await one.query("COMMIT");
      const { id } = (await second).rows[0];
      expect(await trips.one(`SELECT previous_id::text AS before FROM quill_log.change WHERE id = ${id}`)).toEqual({
        before: String(first),
      });
    } finally {
      one.release();
      other.release();
    }
    expect(await findings()).toEqual([]);
  });

  test("is refused, not mistaken, where a transaction keeps to an older moment", async () => {
    const one = await trips.pool.connect();
    try {
      await one.query("BEGIN ISOLATION LEVEL REPEATABLE READ");
      await one.query("SELECT 1 FROM network.station LIMIT 1");
      await trips.pool.query(add, ['{"code":"MV-018"}']);
      await expect(one.query(add, ['{"code":"MV-018"}'])).rejects.toMatchObject({ code: "40001" });
      await one.query("ROLLBACK");
    } finally {
      one.release();
    }
    expect(await findings()).toEqual([]);
  });

  test("goes along with a record's key, and an entry of a deleted one with who comes after it", async () => {
    await trips.owner.query(
      `SELECT quill_log.append(NULL, 'a', 'A', 'p', 'v', 't.t', '{"id":"1"}', 'update', '[]', NULL, NULL, '{"id":"2"}', NULL, 'page', NULL);
       SELECT quill_log.append(NULL, 'a', 'A', 'p', 'v', 't.t', '{"id":"2"}', 'delete', '[{"field":"id","old":"2","new":null}]', NULL, NULL, NULL, NULL, 'page', NULL);
       SELECT quill_log.append(NULL, 'a', 'A', 'p', 'v', 't.t', '{"id":"2"}', 'insert', '[{"field":"id","old":null,"new":"2"}]', NULL, NULL, NULL, NULL, 'page', NULL)`,
    );
    const { rows } = await trips.owner.query(
      `SELECT id - previous_id AS back FROM quill_log.change WHERE table_name = 't.t' ORDER BY id`,
    );
    expect(rows.map(({ back }) => back)).toEqual([null, "1", "1"]);
    expect(await findings()).toEqual([]);
  });
});

describe("the content of an entry", () => {
  test("is the same inside and outside of PostgreSQL, whatever it holds", async () => {
    const awkward = [
      '"quotes" \\ and /',
      "tab\tline\nreturn\rbell\u0007del\u007f",
      "ünïcode 🌊 \u2028",
      "",
      "null",
      "{}",
    ];
    const fields = awkward.map((text, index) => ({ field: `f ${text}`, old: index % 2 ? null : text, new: text }));
    const more = [...fields, { field: "secret", old: null, new: null, hidden: true }];
    for (const list of [more, more.slice(0, 1), more.slice(0, 2), []])
      await trips.owner.query(
        `SELECT quill_log.append(NULL, $1, $1, $1, $1, $1, $2, 'update', $3, NULL, $1, NULL, '{4,5}', 'behind', $2)`,
        [
          awkward.join(" "),
          JSON.stringify(Object.fromEntries(awkward.map((text) => [text, text]))),
          JSON.stringify(list),
        ],
      );
    expect(await findings()).toEqual([]);
  });

  test("is not told by its commitments: two of one value differ", async () => {
    const entry = {
      id: "1",
      at: "2026-01-01T00:00:00.000000Z",
      transaction: "1",
      actorId: "a",
      actorName: "A",
      page: "p",
      pageVersion: "v",
      table: "t.t",
      key: "{}",
      newKey: null,
      operation: "update",
      fields: [{ field: "f", old: "same", new: "same" }],
      request: null,
      reason: null,
      way: "page",
      origin: null,
      undoes: null,
      previousId: null,
      previous: null,
      hash: new Uint8Array(),
      erasedReason: null,
    };
    const [one, other] = [Buffer.alloc(64, 1), Buffer.alloc(64, 2)].map((salt) =>
      hexOf(contentHash(sha256, { ...entry, salt })),
    );
    expect(one).not.toBe(other);
  });
});

const lastSeal = "FROM quill_log.seal ORDER BY number DESC LIMIT 1";
const rangeOf = (id: string) => `{[${id},${BigInt(id) + 1n})}`;

/** A transaction that has begun in another database of the same server. */
async function anotherDatabase(): Promise<pg.Client> {
  const { user, password, host, port } = trips.owner;
  const client = new pg.Client({ user, password, host, port, database: "postgres" });
  await client.connect();
  await client.query("BEGIN");
  await client.query("SELECT pg_current_xact_id()");
  return client;
}

/** Resolves when no transaction from before the last seal is under way anywhere on the server: other tests have some. */
async function endedBeforeLastSeal(): Promise<void> {
  for (;;) {
    const { ended } = await trips.one(`SELECT pg_snapshot_xmin(pg_current_snapshot()) >= until AS ended ${lastSeal}`);
    if (ended) return;
    await setTimeout(20);
  }
}

describe("seals", () => {
  test("are over what was there, and what came late is in the next one", async () => {
    const open = async () => (await trips.one(`SELECT open::text ${lastSeal}`)).open;
    await sealed();
    const late = await reading.connect();
    const elsewhere = await anotherDatabase();
    try {
      await late.query("BEGIN");
      const early = (await late.query(add, ['{"code":"MV-030"}'])).rows[0].add_change;
      await trips.pool.query(add, ['{"code":"MV-031"}']);
      const rolledBack = await reading.connect();
      await rolledBack.query("BEGIN");
      const never = (await rolledBack.query(add, ['{"code":"MV-032"}'])).rows[0].add_change;
      await rolledBack.query("ROLLBACK");
      rolledBack.release();
      await trips.pool.query(add, ['{"code":"MV-033"}']);
      const { seals: first } = await sealed();
      expect(first).toHaveLength(1);
      expect((await sealed()).seals).toEqual([]);
      await late.query("COMMIT");
      const { seals: next } = await sealed();
      expect(next.map(({ ids }) => ids)).toEqual([rangeOf(early)]);
      // PostgreSQL tells of all its databases' transactions at once, so one under way in another keeps a number open as well.
      expect(await open()).toContain(`[${never},`);
      await elsewhere.query("ROLLBACK");
      await endedBeforeLastSeal();
      await trips.pool.query(add, ['{"code":"MV-034"}']);
      await sealed();
      expect(await open()).toBe("{}");
    } finally {
      late.release();
      await elsewhere.end();
    }
    expect(await findings()).toEqual([]);
  });

  test("are not made twice by two at once, nor where one is fresh", async () => {
    for (let turn = 0; turn < 5; turn++) await trips.pool.query(add, ['{"code":"MV-034"}']);
    const made = await Promise.all([sealed(), sealed(), sealed()]);
    expect(made.flatMap(({ seals }) => seals)).toHaveLength(1);
    await trips.pool.query(add, ['{"code":"MV-034"}']);
    expect((await sealLog(trips.database, {}, 3600)).seals).toEqual([]);
    expect((await sealLog(trips.database, {}, 0)).seals).toHaveLength(1);
    expect(await findings()).toEqual([]);
  });

  test("a form that was opened with an entry's old values says which entry it puts back", async () => {
    const path = "/stations/MV-015/edit";
    await trips.save(path, hollis, await trips.open(path, hollis), { notes: "To be put back." });
    const { id } = await trips.one<{ id: string }>(
      "SELECT id::text FROM quill_log.change ORDER BY change.id DESC LIMIT 1",
    );
    const opened = await trips.send("GET", path, hollis, null, undefined, { old: id });
    const form = formOf(opened.response.body);
    expect(form.get("notes")).not.toBe("To be put back.");
    expect((await trips.save(path, hollis, form)).recorded?.outcome).toBe("saved");
    expect(await trips.one("SELECT undoes::text[] AS undoes FROM quill_log.change ORDER BY id DESC LIMIT 1")).toEqual({
      undoes: [id],
    });
  });

  test("what a page saved stands in the log as it was, with its person", async () => {
    const path = "/stations/MV-015/edit";
    await trips.save(path, hollis, await trips.open(path, hollis), { notes: "Sealed tomorrow." });
    expect(
      await trips.one("SELECT actor_name, way, undoes, origin FROM quill_log.change ORDER BY id DESC LIMIT 1"),
    ).toEqual({
      actor_name: "Hollis Brandt",
      way: "page",
      undoes: null,
      origin: null,
    });
  });
});
