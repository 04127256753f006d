import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { logSchema, monthsFrom, partitionName } from "@loyal-quill/core";
import { careForLog, connect, databaseOver, verifyLog } from "@loyal-quill/runtime";
import { freshDatabase, type TestDatabase } from "@loyal-quill/testing";
import pg from "pg";
import { upgradeLog } from "../provision.js";
import { installLog } from "./log.js";
import { watch } from "./log-watch.js";

/** The log's schema as the first versions of the product made it: without a note of its version. */
const firstSchema = `CREATE SCHEMA quill_log;
CREATE TABLE quill_log.change (
  id bigint GENERATED ALWAYS AS IDENTITY, at timestamptz NOT NULL DEFAULT clock_timestamp(), actor_id text NOT NULL,
  actor_name text NOT NULL, page text NOT NULL, page_version text NOT NULL, table_name text NOT NULL, record_key jsonb NOT NULL,
  new_key jsonb, operation text NOT NULL CHECK (operation IN ('insert', 'update', 'delete')),
  fields jsonb NOT NULL CHECK (jsonb_typeof(fields) = 'array'), request_id uuid NOT NULL, reason text,
  way text NOT NULL CHECK (way IN ('page', 'behind')), PRIMARY KEY (id, at)
) PARTITION BY RANGE (at);
CREATE TABLE quill_log.change_default PARTITION OF quill_log.change DEFAULT;
CREATE TABLE quill_log.change_2026_01 PARTITION OF quill_log.change FOR VALUES FROM ('2026-01-01 00:00:00+00') TO ('2026-02-01 00:00:00+00');
CREATE INDEX change_record ON quill_log.change (table_name, record_key, id DESC);
CREATE INDEX change_actor ON quill_log.change (actor_id, id DESC);
CREATE TABLE quill_log.submission (id uuid CONSTRAINT submission_pkey PRIMARY KEY, request_id uuid NOT NULL, at timestamptz NOT NULL DEFAULT clock_timestamp());`;

const entry = (at: string): string =>
  `INSERT INTO quill_log.change (at, actor_id, actor_name, page, page_version, table_name, record_key, operation, fields, request_id, way)
   VALUES ('${at}', 'a', 'A', 'p', 'v', 't', '{}', 'update', '[]', gen_random_uuid(), 'page')`;

/** The same in a log as it is now. */
const appended = (at: string): string =>
  `SELECT quill_log.append('${at}', 'a', 'A', 'p', 'v', 't', '{}', 'update', '[]', gen_random_uuid(), NULL, NULL, NULL, 'page', NULL)`;

let made: TestDatabase;
let owner: pg.Client;
beforeAll(async () => {
  made = await freshDatabase("template0");
  owner = new pg.Client(made.owner);
  await owner.connect();
});
afterAll(async () => {
  await owner.end();
  await made.drop();
});

const install = async (now: Date): Promise<string[]> => {
  const said: string[] = [];
  await installLog({ database: made.owner, roles: ["quill_pages"], now }, (line) => said.push(line));
  return said;
};
const places = async (): Promise<string[]> =>
  (
    await owner.query<{ place: string }>(
      "SELECT tableoid::regclass::text AS place FROM quill_log.change WHERE way <> 'log' ORDER BY at",
    )
  ).rows.map(({ place }) => place);
const structure = async (): Promise<unknown> =>
  (
    await owner.query(
      `SELECT c.relname, a.attname, format_type(a.atttypid, a.atttypmod) AS type, a.attnotnull FROM pg_class c JOIN pg_attribute a ON a.attrelid = c.oid
       WHERE c.relnamespace = 'quill_log'::regnamespace AND c.relname IN ('change', 'submission', 'outbox', 'head', 'seal') AND a.attnum > 0
       UNION ALL SELECT i.relname, pg_get_indexdef(i.oid), '', true FROM pg_class i JOIN pg_index x ON x.indexrelid = i.oid
       WHERE x.indrelid IN ('quill_log.change'::regclass, 'quill_log.submission'::regclass, 'quill_log.outbox'::regclass) ORDER BY 1, 2`,
    )
  ).rows;

describe("quill log install", () => {
  test("upgrades a log of the first version: its entries stay, those in the default partition move to their months", async () => {
    await owner.query(firstSchema);
    await owner.query(entry("2026-01-10Z"));
    await owner.query(entry("2026-03-10Z"));
    await owner.query(entry("2026-04-10Z"));
    await owner.query(entry("2031-01-01Z"));
    const said = await install(new Date("2026-03-05T00:00:00Z"));
    expect(said).toContain("It was upgraded from version 1 to version 6.");
    expect(await places()).toEqual([
      "quill_log.change_2026_01",
      "quill_log.change_2026_03",
      "quill_log.change_2026_04",
      "quill_log.change_default",
    ]);
    const pool = connect(made.owner, 1);
    const reading = await pool.connect();
    const { findings, counts } = await verifyLog(reading);
    reading.release();
    await pool.end();
    expect({ findings, entries: counts.entries }).toEqual({ findings: [], entries: 5 });
    const upgraded = await structure();
    await owner.query("DROP SCHEMA quill_log CASCADE");
    await owner.query(logSchema);
    expect(upgraded).toEqual(await structure());
  });

  test("run again changes nothing, and a log of a newer program is left alone", async () => {
    const before = await install(new Date("2026-03-05T00:00:00Z"));
    expect(await install(new Date("2026-03-05T00:00:00Z"))).toEqual(before);
    await owner.query("COMMENT ON SCHEMA quill_log IS 'Change log of Loyal Quill, version 99'");
    await expect(install(new Date())).rejects.toThrow("The change log is of version 99, newer than this program knows");
    // The note of version 4 said nothing of programs: an upgrade from it takes what the table checked, and what was made anew has none of it.
    await owner.query("DROP SCHEMA quill_log CASCADE");
    await owner.query(logSchema);
    await owner.query(
      `TRUNCATE quill_log.change, quill_log.head; ALTER TABLE quill_log.change ADD CONSTRAINT change_way_check CHECK (way IN ('page', 'behind', 'import'));
       COMMENT ON SCHEMA quill_log IS 'Change log of Loyal Quill, version 4'`,
    );
    expect(await install(new Date("2026-03-05T00:00:00Z"))).toContain("It was upgraded from version 4 to version 6.");
    expect((await owner.query("SELECT conname FROM pg_constraint WHERE conname LIKE 'change%check'")).rows).toEqual([]);
  });
});

test("an upgrade from version 5 seals how tables are watched, and acts of before need no entries", async () => {
  await owner.query("DROP SCHEMA quill_log CASCADE");
  await install(new Date());
  await owner.query(
    "CREATE TABLE public.kept (id integer PRIMARY KEY, name text); INSERT INTO public.kept VALUES (1, 'one')",
  );
  await watch({ database: made.owner, table: "public.kept", key: [], hidden: [], baseline: true }, () => {});
  // As version 5 left it: no entries of acts, a seal that says little, no marks of places.
  await owner.query(
    `TRUNCATE quill_log.change, quill_log.head, quill_log.seal; DROP TABLE quill_log.sent;
     SELECT quill_log.add_seal('watched', NULL, '{}', sha256('x'), '{"by": "x", "table": "public.kept", "baseline": true}', NULL, NULL, NULL);
     COMMENT ON SCHEMA quill_log IS 'Change log of Loyal Quill, version 5, for programs since version 4'`,
  );
  // As a start of the demo does it over data of before; once.
  const said: string[] = [];
  for (let turn = 0; turn < 2; turn++) await upgradeLog(made.owner, new Date(), (line) => said.push(line));
  expect(said).toEqual([expect.stringContaining("was upgraded from version 5 to version 6.")]);
  const pool = connect(made.owner, 1);
  const client = await pool.connect();
  try {
    const sound = await verifyLog(client);
    expect([sound.findings, sound.counts.tables, sound.counts.rows]).toEqual([[], 1, 1]);
    const { rows } = await owner.query("SELECT detail FROM quill_log.seal ORDER BY number DESC LIMIT 1");
    expect(rows[0].detail).toMatchObject({
      table: "public.kept",
      columns: ["id", "name"],
      baseline: expect.stringMatching(/^[0-9a-f]{64}$/),
    });
    // From then on an act has its entry.
    await owner.query(
      `SELECT quill_log.add_seal('unwatched', NULL, '{}', sha256('x'), '{"table": "public.other"}', NULL, NULL, NULL)`,
    );
    expect((await verifyLog(client)).findings.map(({ kind }) => kind)).toEqual(["act"]);
  } finally {
    client.release();
    await pool.end();
    await owner.query("DROP TABLE public.kept; DROP SCHEMA quill_log CASCADE");
    await install(new Date("2026-03-05T00:00:00Z"));
  }
});

describe("a server that looks after the log", () => {
  const looked = async (url: string, now: Date): Promise<string[]> => {
    const pool = connect(url, 2);
    const said: string[] = [];
    const care = careForLog(
      databaseOver(pool),
      (notice) => said.push(notice),
      () => now,
    );
    await care.look();
    care.close();
    await pool.end();
    return said;
  };

  test("makes the coming months' partitions where it may, over a year's end, and moves what went to the default one", async () => {
    const now = new Date("2029-11-20T00:00:00Z");
    await owner.query(appended("2030-01-05Z"));
    expect(await looked(made.owner, now)).toEqual([]);
    const { rows } = await owner.query<{ there: boolean }>(
      `SELECT to_regclass('quill_log.' || n) IS NOT NULL AS there FROM unnest($1::text[]) AS n`,
      [monthsFrom(now, 3).map(partitionName)],
    );
    expect(monthsFrom(now, 3).map(partitionName)).toEqual(["change_2029_11", "change_2029_12", "change_2030_01"]);
    expect(rows.map(({ there }) => there)).toEqual([true, true, true]);
    expect(await places()).toEqual(["quill_log.change_2030_01"]);
  });

  test("says so where it may not, and what is to be done", async () => {
    expect(await looked(made.pages, new Date("2032-05-01T00:00:00Z"))).toEqual([
      "The change log has no partition for 2032-05, 2032-06, 2032-07: entries go to the default partition. Make them as its owner with: quill log install --database URL",
    ]);
    await owner.query("COMMENT ON SCHEMA quill_log IS NULL");
    expect((await looked(made.pages, new Date("2029-11-20T00:00:00Z")))[0]).toContain("The change log is of version 1");
  });
});
