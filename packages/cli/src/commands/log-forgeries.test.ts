import { spawnSync } from "node:child_process";
import { mkdtemp, rm, writeFile } from "node:fs/promises";
import os from "node:os";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { entryLine, type LogFindingKind, sealLineOf, sealsStatement, wholeEntriesStatement } from "@loyal-quill/core";
import { connect, entryOf, type SealCopy, sealOf, type VerifyReport, verifyLog } from "@loyal-quill/runtime";
import { freshDatabase, type TestDatabase, testCluster } from "@loyal-quill/testing";
import type pg from "pg";
import { installLog } from "./log.js";
import { erase } from "./log-keep.js";
import { seal } from "./log-verify.js";
import { watch } from "./log-watch.js";

/** The table of docs/log.md, cell by cell: who does what to the log, and what is noticed of it. */

const python = fileURLToPath(new URL("../../../../docs/verify-log.py", import.meta.url));
const quiet = (): void => {};

let made: TestDatabase;
let directory: string;
/** The seals as they were kept elsewhere, before anybody forged anything. */
let copies: readonly SealCopy[];
const pools: pg.Pool[] = [];
const clients = new Map<Forger, pg.PoolClient>();

type Forger = "owner" | "superuser" | "pages";
async function connected(who: Forger, url: string): Promise<void> {
  const pool = connect(url, 1);
  pools.push(pool);
  clients.set(who, await pool.connect());
}
const by = (who: Forger): pg.PoolClient => {
  const client = clients.get(who);
  if (!client) throw new Error(`nobody is ${who}`);
  return client;
};

const entry = (table: string, key: string, fields: string): string =>
  `SELECT quill_log.add_change('p', 'P', 'page', 'v', '${table}', '${key}', 'update', '${fields}', gen_random_uuid(), NULL, NULL, NULL)`;

beforeAll(async () => {
  made = await freshDatabase("template0");
  directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-forgeries-"));
  await connected("owner", made.owner);
  const superuser = new URL(made.owner);
  superuser.username = "postgres";
  superuser.password = testCluster().passwords.postgres;
  await connected("superuser", superuser.href);
  await connected("pages", made.pages);
  const database = made.owner;
  await installLog({ database, roles: ["quill_pages"], now: new Date() }, quiet);
  for (const statement of [
    "CREATE SCHEMA network",
    "CREATE TABLE network.station (code text PRIMARY KEY, grid_reference text NOT NULL UNIQUE, notes text)",
    "INSERT INTO network.station SELECT 'MV-' || to_char(i, 'FM000'), 'MV ' || i, 'as it was' FROM generate_series(1, 20) AS s(i)",
    "CREATE TABLE network.sensor (id integer PRIMARY KEY, station_code text NOT NULL, remarks text)",
    "INSERT INTO network.sensor SELECT i, 'MV-001', 'nothing' FROM generate_series(1, 5) AS s(i)",
  ])
    await by("owner").query(statement);
  for (const [table, hidden] of [
    ["network.station", []],
    ["network.sensor", ["remarks"]],
  ] as const)
    await watch({ database, table, key: [], hidden, baseline: true }, quiet);
  const owner = by("owner");
  await owner.query("UPDATE network.station SET notes = 'past the pages' WHERE code IN ('MV-001', 'MV-002')");
  await owner.query("UPDATE network.sensor SET remarks = 'told to nobody' WHERE station_code = 'MV-001'");
  await owner.query(
    entry("t.person", '{"id":"1"}', '[{"field":"name","old":"a","new":"b"},{"field":"telephone","old":"1","new":"2"}]'),
  );
  const sealed = (): Promise<number> => seal({ database, privateKey: undefined, to: [], secret: undefined }, quiet);
  await sealed();
  await erase(
    {
      database,
      table: "t.person",
      key: { id: "1" },
      fields: ["telephone"],
      reasons: false,
      by: "Ines",
      why: "asked for",
    },
    quiet,
  );
  await sealed();
  // The tail: entries of a table that is not watched, with a seal of their own.
  await owner.query(entry("t.tail", '{"id":"1"}', '[{"field":"a","old":"1","new":"2"}]'));
  await sealed();
  copies = (
    await owner.query("SELECT number::text, encode(hash, 'hex') AS hash FROM quill_log.seal ORDER BY seal.number")
  ).rows;
});
afterAll(async () => {
  for (const client of clients.values()) client.release();
  await Promise.all(pools.map((pool) => pool.end()));
  await rm(directory, { recursive: true });
  await made.drop();
});

/** A connection in the middle of a transaction, for whoever would begin one of their own. */
const insideOf = (client: pg.PoolClient): pg.ClientBase =>
  ({
    query: (...given: unknown[]) =>
      typeof given[0] === "string" && /^(BEGIN|ROLLBACK)/.test(given[0])
        ? Promise.resolve()
        : (client.query as (...all: unknown[]) => unknown)(...given),
  }) as unknown as pg.ClientBase;

/** What the verifier in the docs says of an export. */
async function byPython(client: pg.PoolClient, withCopies: boolean): Promise<string[]> {
  const ask = async ({ text, values }: { text: string; values: readonly (string | null)[] }) =>
    (await client.query({ text, values: [...values], types: { getTypeParser: () => String } as never })).rows;
  const entries = await ask(
    wholeEntriesStatement({ from: "-9223372036854775808", upto: "9223372036854775807" }, 1_000_000),
  );
  const seals = await ask(sealsStatement("0", 1_000_000));
  const [log, outside] = [path.join(directory, "log.jsonl"), path.join(directory, "outside.jsonl")];
  await writeFile(
    log,
    [...entries.map((row) => entryLine(entryOf(row))), ...seals.map((row) => sealLineOf(sealOf(row)))].join("\n"),
  );
  await writeFile(outside, copies.map((copy) => JSON.stringify(copy)).join("\n"));
  const { stdout, stderr, status } = spawnSync("python3", [python, log, ...(withCopies ? [outside] : [])], {
    encoding: "utf8",
  });
  expect(stderr).toBe("");
  return status === 0 ? [] : stdout.trim().split("\n");
}

interface Seen {
  readonly alone: VerifyReport;
  readonly outside: VerifyReport;
  readonly python: readonly string[];
  readonly pythonOutside: readonly string[];
}

/** Forges, looks, and takes it back. */
async function forged(who: Forger, sql: string): Promise<Seen> {
  const client = by(who);
  await client.query("BEGIN");
  try {
    await client.query(sql);
    const alone = await verifyLog(insideOf(client));
    const outside = await verifyLog(insideOf(client), { copies });
    return { alone, outside, python: await byPython(client, false), pythonOutside: await byPython(client, true) };
  } finally {
    await client.query("ROLLBACK");
  }
}
const kinds = ({ findings }: VerifyReport): LogFindingKind[] => [...new Set(findings.map(({ kind }) => kind))];

const station = "(SELECT number FROM quill_log.watched WHERE table_name = 'network.station')";
const bySource = (body: string): string =>
  `DO $$ DECLARE n integer := ${station}; BEGIN
     EXECUTE format('CREATE OR REPLACE FUNCTION quill_log.%I() RETURNS trigger LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, pg_temp SET timezone = ''UTC'' SET datestyle = ''ISO, YMD'' SET intervalstyle = ''iso_8601'' SET extra_float_digits = ''1'' SET bytea_output = ''hex'' AS %L', 'watch_' || n, ${body});
     UPDATE quill_log.watched SET source = md5(${body}) WHERE number = n;
   END $$`;
const anotherTrigger = (name: string, when: string, more: string): string =>
  `DO $$ BEGIN EXECUTE format('CREATE OR REPLACE TRIGGER "${name}" ${when} EXECUTE FUNCTION quill_log.watch_%s()', ${station}); END $$; ${more}`;
const sealed = (kind: string, ids: string, detail: string): string =>
  `SELECT quill_log.add_seal('${kind}', NULL, ${ids}, sha256('x'), ${detail}, NULL, NULL, NULL)`;
const cutTail = `DELETE FROM quill_log.seal WHERE number = (SELECT max(number) FROM quill_log.seal);
  DELETE FROM quill_log.change WHERE table_name = 't.tail'; DELETE FROM quill_log.head WHERE table_name = 't.tail'`;

/** What was forged, what is found of it, and whether the verifier in the docs, which has entries and seals alone, finds it too. */
type Forgery = readonly [what: string, sql: string, found: LogFindingKind, alsoByPython?: "entries"];

const definitions: readonly Forgery[] = [
  [
    "the digests of rows rewritten",
    "UPDATE quill_log.baseline SET digest = sha256('x') WHERE table_name = 'network.station'",
    "watch",
  ],
  [
    "a row changed past its triggers, and its digest with it",
    `ALTER TABLE network.station DISABLE TRIGGER USER; UPDATE network.station SET notes = 'forged' WHERE code = 'MV-009'; ALTER TABLE network.station ENABLE TRIGGER USER;
    UPDATE quill_log.baseline SET digest = sha256('forged') WHERE table_name = 'network.station' AND record_key = '{"code":"MV-009"}'`,
    "watch",
  ],
  ["the digests of rows taken out", "DELETE FROM quill_log.baseline WHERE table_name = 'network.station'", "watch"],
  [
    "a table that has no digests",
    "UPDATE quill_log.watched SET has_baseline = false WHERE table_name = 'network.station'",
    "watch",
  ],
  [
    "a later beginning",
    "UPDATE quill_log.watched SET since_id = (SELECT max(id) FROM quill_log.change) WHERE table_name = 'network.station'",
    "watch",
  ],
  [
    "a column taken out",
    "UPDATE quill_log.watched SET columns = array_remove(columns, 'notes') WHERE table_name = 'network.station'",
    "watch",
  ],
  [
    "a column hidden",
    "UPDATE quill_log.watched SET columns = array_remove(columns, 'notes'), hidden = '{notes}' WHERE table_name = 'network.station'",
    "watch",
  ],
  [
    "rows named by another key",
    "UPDATE quill_log.watched SET key_columns = '{grid_reference}' WHERE table_name = 'network.station'",
    "watch",
  ],
  [
    "a table no longer known, nor its triggers",
    `DROP TRIGGER " quill insert" ON network.station; DROP TRIGGER " quill update" ON network.station; DROP TRIGGER " quill delete" ON network.station; DROP TRIGGER " quill truncate" ON network.station;
    DO $$ BEGIN EXECUTE format('DROP FUNCTION quill_log.watch_%s()', ${station}); END $$; DELETE FROM quill_log.baseline WHERE table_name = 'network.station'; DELETE FROM quill_log.watched WHERE table_name = 'network.station'`,
    "watch",
  ],
  [
    "a table watched by a seal made by hand, with fewer columns",
    `UPDATE quill_log.watched SET columns = array_remove(columns, 'notes') WHERE table_name = 'network.station';
    ${sealed("watched", "'{}'", "(SELECT s.detail || jsonb_build_object('columns', (s.detail->'columns') - 'notes') FROM quill_log.seal AS s WHERE s.kind = 'watched' AND s.detail->>'table' = 'network.station')")}`,
    "act",
    "entries",
  ],
  [
    "a table watched no more by a seal made by hand",
    sealed("unwatched", "'{}'", `'{"table":"network.station"}'`),
    "act",
    "entries",
  ],
];

const triggers: readonly Forgery[] = [
  [
    "one that never fires",
    anotherTrigger(
      " quill update",
      "AFTER UPDATE ON network.station REFERENCING OLD TABLE AS old_rows NEW TABLE AS new_rows FOR EACH STATEMENT WHEN (false)",
      "SELECT 1",
    ),
    "watch",
  ],
  [
    "one for another event",
    `DROP TRIGGER " quill delete" ON network.station; ${anotherTrigger(" quill delete", "AFTER INSERT ON network.station FOR EACH STATEMENT", "SELECT 1")}`,
    "watch",
  ],
  [
    "one for some columns",
    `DROP TRIGGER " quill update" ON network.station; ${anotherTrigger(" quill update", "AFTER UPDATE OF code ON network.station FOR EACH STATEMENT", "SELECT 1")}`,
    "watch",
  ],
  ["one that is off", `ALTER TABLE network.station DISABLE TRIGGER " quill update"`, "watch"],
  ["one that fires for replicas only", `ALTER TABLE network.station ENABLE REPLICA TRIGGER " quill update"`, "watch"],
  ["a rule that takes updates away", "CREATE RULE away AS ON UPDATE TO network.station DO INSTEAD NOTHING", "watch"],
  [
    "another table of that name",
    "ALTER TABLE network.station RENAME TO station_before; CREATE TABLE network.station (LIKE network.station_before)",
    "watch",
  ],
];

const functions: readonly Forgery[] = [
  ["that of a watched table, with the digest that stands beside it", bySource("'BEGIN RETURN NULL; END'"), "function"],
  [
    "append",
    `CREATE OR REPLACE FUNCTION quill_log.append(at timestamptz, actor_id text, actor_name text, page text, page_version text, table_name text, record_key jsonb, operation text, fields jsonb,
    request_id uuid, reason text, new_key jsonb, undoes bigint[], way text, origin jsonb) RETURNS bigint LANGUAGE plpgsql AS $$ BEGIN RETURN 1; END $$`,
    "function",
  ],
  [
    "add_change",
    `DO $$ BEGIN EXECUTE replace(pg_get_functiondef('quill_log.add_change'::regproc), 'RETURN entry_id', 'RETURN entry_id ') ; END $$`,
    "function",
  ],
  [
    "make_seals, with the rights of whoever calls it",
    "ALTER FUNCTION quill_log.make_seals(interval) SECURITY INVOKER",
    "function",
  ],
  ["one without its search path", "ALTER FUNCTION quill_log.sign_seal(bigint, bytea, text) RESET ALL", "function"],
  [
    "another one of the same name",
    "CREATE FUNCTION quill_log.append(a text) RETURNS bigint LANGUAGE sql AS 'SELECT 1::bigint'",
    "function",
  ],
  ["one more", "CREATE FUNCTION quill_log.helper() RETURNS bigint LANGUAGE sql AS 'SELECT 1::bigint'", "function"],
  ["one that is gone", "DROP FUNCTION quill_log.erase(text, jsonb, text[], boolean, jsonb)", "function"],
  [
    "a trigger before the log's own table",
    "CREATE FUNCTION public.away() RETURNS trigger LANGUAGE plpgsql AS 'BEGIN RETURN NULL; END'; CREATE TRIGGER away BEFORE INSERT ON quill_log.change FOR EACH ROW EXECUTE FUNCTION public.away()",
    "function",
  ],
  [
    "a rule before the log's own table",
    "CREATE RULE away AS ON DELETE TO quill_log.baseline DO INSTEAD NOTHING",
    "function",
  ],
  ["row level security on the log", "ALTER TABLE quill_log.head ENABLE ROW LEVEL SECURITY", "function"],
  [
    "an older version, by its comment",
    "COMMENT ON SCHEMA quill_log IS 'Change log of Loyal Quill, version 5'",
    "function",
  ],
];

const entries: readonly Forgery[] = [
  [
    "a value of a sealed entry",
    `UPDATE quill_log.change SET fields = jsonb_set(fields, '{0,new}', '"forged"') WHERE table_name = 't.tail'`,
    "changed",
    "entries",
  ],
  [
    "a value where one was erased",
    `UPDATE quill_log.change SET fields = jsonb_set(fields, '{1,new}', '"forged"') WHERE table_name = 't.person'`,
    "changed",
    "entries",
  ],
  [
    "a value where one is told to nobody",
    `UPDATE quill_log.change SET fields = jsonb_set(fields, '{0,new}', '"forged"') WHERE table_name = 'network.sensor' AND way = 'behind' AND fields->0 ? 'hidden'`,
    "changed",
    "entries",
  ],
  ["one taken out", "DELETE FROM quill_log.change WHERE table_name = 't.person'", "missing", "entries"],
  [
    "what was erased, beyond what the seal says",
    `UPDATE quill_log.change SET fields = jsonb_set(fields, '{0}', jsonb_build_object('field', 'name', 'old', NULL, 'new', NULL, 'erased', jsonb_build_object(
     'old', encode(sha256(substr(salt, 17, 16) || convert_to('a', 'UTF8')), 'hex'), 'new', encode(sha256(substr(salt, 33, 16) || convert_to('b', 'UTF8')), 'hex')))) WHERE table_name = 't.person'`,
    "erased",
    "entries",
  ],
  [
    "an erasure sealed by hand",
    `${sealed("erased", "(SELECT int8multirange(int8range(min(id), max(id) + 1)) FROM quill_log.change WHERE table_name = 't.tail')", `'{"by":"x"}'`)}`,
    "act",
    "entries",
  ],
  [
    "months dropped by a seal made by hand",
    `${sealed("dropped", "(SELECT int8multirange(int8range(min(id), max(id) + 1)) FROM quill_log.change WHERE table_name = 't.tail')", `'{"by":"x"}'`)};
    DELETE FROM quill_log.change WHERE table_name = 't.tail'`,
    "act",
    "entries",
  ],
  [
    "a dropped month of an entry without its seal",
    `SELECT quill_log.append(NULL, 'x', 'x', '', '', 'quill_log.dropped', '{"month":"2026-01"}', 'insert', '[{"field":"detail","old":null,"new":"{}"}]', NULL, NULL, NULL, NULL, 'log', NULL)`,
    "act",
    "entries",
  ],
  [
    "a log that begins anew",
    `SELECT quill_log.append(NULL, 'x', 'x', '', '', 'quill_log.installed', '{"log":"change"}', 'insert', '[{"field":"detail","old":null,"new":"{\\"seals\\":\\"99\\"}"}]', NULL, NULL, NULL, NULL, 'log', NULL)`,
    "act",
    "entries",
  ],
];

describe.each([
  ["definition", definitions],
  ["trigger", triggers],
  ["function", functions],
  ["entry", entries],
] as const)("the owner forges a %s", (_what, forgeries) => {
  test.each(forgeries.map((each) => [each[0], each] as const))("%s", async (_name, [, sql, found, alsoByPython]) => {
    const { alone, outside, python: told, pythonOutside } = await forged("owner", sql);
    expect(kinds(alone)).toContain(found);
    expect(kinds(outside)).toContain(found);
    expect([told.length > 0, pythonOutside.length > 0]).toEqual([
      alsoByPython === "entries",
      alsoByPython === "entries",
    ]);
  });
});

describe("the owner rewrites all that hangs together", () => {
  test.each([
    ["the newest part is cut off", cutTail],
    [
      "the newest part is another one",
      `${cutTail}; ${entry("t.tail", '{"id":"1"}', '[{"field":"a","old":"1","new":"forged"}]')}; SELECT quill_log.make_seals(make_interval())`,
    ],
  ])("%s: only seals from elsewhere tell", async (_name, sql) => {
    const { alone, outside, python: told, pythonOutside } = await forged("owner", sql);
    expect([alone.findings, told]).toEqual([[], []]);
    expect(kinds(outside)).toEqual(["outside"]);
    expect(pythonOutside).toHaveLength(1);
  });

  test("what has no seal yet, of a table that is not watched, is noticed by nothing", async () => {
    const sql = `${entry("t.later", '{"id":"1"}', "[]")}; DELETE FROM quill_log.change WHERE table_name = 't.later'; DELETE FROM quill_log.head WHERE table_name = 't.later'`;
    const { alone, outside } = await forged("owner", sql);
    expect([alone.findings, outside.findings]).toEqual([[], []]);
  });
});

describe("a superuser", () => {
  test("switches triggers off for a while: the rows tell", async () => {
    const { alone } = await forged(
      "superuser",
      "SET LOCAL session_replication_role = replica; UPDATE network.station SET notes = 'unseen' WHERE code = 'MV-001'",
    );
    expect(kinds(alone)).toContain("row");
  });

  test("switches them off for good, for a role or the database", async () => {
    for (const whose of ["ROLE quill_pages", "DATABASE current"]) {
      const named = whose.replace("current", `"${new URL(made.owner).pathname.slice(1)}"`);
      const { alone } = await forged("superuser", `ALTER ${named} SET session_replication_role = 'replica'`);
      expect([whose, kinds(alone)]).toEqual([whose, ["function"]]);
    }
  });
});

describe("whoever has the pages' role", () => {
  test.each([
    ["changes an entry", "UPDATE quill_log.change SET actor_name = 'x'"],
    ["takes one out", "DELETE FROM quill_log.change"],
    ["puts one in by hand", "INSERT INTO quill_log.head VALUES ('x', '{}', 1, NULL, NULL, '')"],
    [
      "says when it was",
      "SELECT quill_log.append(NULL, 'x', 'x', '', '', 'x', '{}', 'update', '[]', NULL, NULL, NULL, NULL, 'page', NULL)",
    ],
    ["makes a seal of their own", sealed("dropped", "'{}'", "'{}'")],
    ["tells of an act", "SELECT quill_log.seal_act('dropped', NULL, '{}', sha256('x'), '{}', '{}')"],
    ["erases values", "SELECT quill_log.erase('t.person', '{}', '{}', true, '{}')"],
    ["changes how a table is watched", "UPDATE quill_log.watched SET has_baseline = false"],
    ["rewrites digests", "DELETE FROM quill_log.baseline"],
    ["takes a trigger away", `DROP TRIGGER " quill update" ON network.station`],
    [
      "replaces a function",
      "CREATE OR REPLACE FUNCTION quill_log.merkle(hashes bytea[]) RETURNS bytea LANGUAGE sql AS 'SELECT NULL::bytea'",
    ],
  ])("may not: %s", async (_what, sql) => {
    await expect(by("pages").query(sql)).rejects.toThrow(/permission denied|must be owner/);
  });

  test("adds an entry for a change that never was: the row of a watched table tells", async () => {
    const owner = by("owner");
    await owner.query("BEGIN");
    await owner.query(
      entry("network.station", '{"code": "MV-003"}', '[{"field":"notes","old":null,"new":"never was"}]'),
    );
    expect(kinds(await verifyLog(insideOf(owner)))).toEqual(["row"]);
    await owner.query("ROLLBACK");
  });
});

test("a sound log gives nothing, with seals from elsewhere and without, here and by the verifier in the docs", async () => {
  const { alone, outside, python: told, pythonOutside } = await forged("owner", "SELECT 1");
  expect([alone.findings, outside.findings, told, pythonOutside]).toEqual([[], [], [], []]);
  expect(outside.outside).toEqual({ seals: copies.length, last: copies.at(-1)?.number, signatures: false });
});
