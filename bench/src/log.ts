/**
 * What the log costs and how it grows: the chain beside the same save without it, a load of rows into a watched table, verifying, and a record's
 * history with ten thousand entries and with ten million.
 */
import process from "node:process";
import { fileURLToPath } from "node:url";
import {
  entriesSearched,
  findTable,
  lastChangesStatement,
  readCatalog,
  searchEntriesStatement,
  watchStatements,
} from "@loyal-quill/core";
import { demoPages } from "@loyal-quill/demo";
import { connect, databaseOver, overClient, sealLog, verifyLog } from "@loyal-quill/runtime";
import pg from "pg";
import { start } from "./child.js";
import { median } from "./figures.js";
import { type Ground, makeGround } from "./ground.js";
import { savesBeside } from "./saves-beside.js";

const pages = fileURLToPath(demoPages);
const say = (line: string): void => void process.stdout.write(`${line}\n`);
const seconds = (since: number): number => (performance.now() - since) / 1000;
const wanted = (name: string, otherwise: number): number => Number(process.env[name] ?? otherwise);

/** The log as it would be without a chain, and as it was before it had one: partitioned and indexed. */
const unchainedSchema = `CREATE TABLE office.change_unchained (
  id bigint GENERATED ALWAYS AS IDENTITY, at timestamptz NOT NULL DEFAULT clock_timestamp(), actor_id text NOT NULL, actor_name text NOT NULL,
  page text NOT NULL, page_version text NOT NULL, table_name text NOT NULL, record_key jsonb NOT NULL, new_key jsonb, operation text NOT NULL,
  fields jsonb NOT NULL CHECK (jsonb_typeof(fields) = 'array'), request_id uuid, reason text, undoes bigint[], PRIMARY KEY (id, at)
) PARTITION BY RANGE (at);
CREATE INDEX ON office.change_unchained (table_name, record_key, id DESC);
CREATE INDEX ON office.change_unchained (table_name, new_key) WHERE new_key IS NOT NULL;
CREATE INDEX ON office.change_unchained (actor_id, id DESC);
CREATE INDEX ON office.change_unchained (request_id);
CREATE TABLE office.change_unchained_default PARTITION OF office.change_unchained DEFAULT;
DO $$ BEGIN FOR m IN 0 .. 23 LOOP
  EXECUTE format('CREATE TABLE office.change_unchained_%s PARTITION OF office.change_unchained FOR VALUES FROM (%L) TO (%L)', m,
    date_trunc('month', now()) + make_interval(months => m - 6), date_trunc('month', now()) + make_interval(months => m - 5));
END LOOP; END $$;
GRANT SELECT, INSERT ON office.change_unchained TO quill_pages;
CREATE FUNCTION office.add_unchained(text, text, text, text, text, jsonb, text, jsonb, uuid, text, jsonb, bigint[])
RETURNS bigint LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
DECLARE
  entry_id bigint := nextval('office.change_unchained_id_seq');
BEGIN
  INSERT INTO office.change_unchained (id, at, actor_id, actor_name, page, page_version, table_name, record_key, operation, fields, request_id, reason, new_key, undoes)
  OVERRIDING SYSTEM VALUE VALUES (entry_id, clock_timestamp(), $1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12);
  RETURN entry_id;
END $$;
GRANT EXECUTE ON FUNCTION office.add_unchained TO quill_pages;`;

async function chainCost(ground: Ground, owner: pg.Client): Promise<void> {
  await owner.query(unchainedSchema);
  const chained = await start("ours", ground.pages, pages);
  const unchained = await start("ours-unchained", ground.pages, pages);
  const byFunction = await start("ours-by-function", ground.pages, pages);
  for (const concurrency of [1, 10])
    for (const [what, other] of [
      ["a save with the chain, to one without", byFunction],
      ["a save with the chain and least rights, to one with a plain INSERT", unchained],
    ] as const)
      say(await savesBeside(what, other, chained, concurrency, ground.codes, 75));
  for (const each of [chained, unchained, byFunction]) each.process.disconnect();
  const { rows } = await owner.query("SELECT count(*)::int AS n FROM office.change_unchained");
  if (rows[0].n === 0) throw new Error("nothing was saved without a chain");
}

/** Loads rows into a table that is watched and into one that is not. */
async function watchedLoad(owner: pg.Client): Promise<void> {
  const rows = wanted("BENCH_ROWS", 200_000);
  for (const name of ["plain_load", "watched_load"])
    await owner.query(`CREATE TABLE office.${name} (id integer PRIMARY KEY, name text NOT NULL, level numeric(6, 2))`);
  const table = findTable((await readCatalog(overClient(owner))).tables, "office.watched_load");
  if (!table) throw new Error("there is no table to watch");
  await owner.query("BEGIN");
  for (const statement of watchStatements({ table, key: ["id"], hidden: [] }, true)) await owner.query(statement);
  await owner.query("COMMIT");
  const load = async (name: string): Promise<number> => {
    const begun = performance.now();
    await owner.query(
      `INSERT INTO office.${name} SELECT n, 'Row ' || n, n % 1000 FROM generate_series(1, ${rows}) AS n`,
    );
    return seconds(begun);
  };
  const [plain, watched] = [await load("plain_load"), await load("watched_load")];
  say(
    `a load of ${rows} rows into a watched table: ${watched.toFixed(1)} s, into another ${plain.toFixed(1)} s; ${((watched * 1e6) / rows).toFixed(0)} microseconds a row`,
  );
}

/** Verifies a log of so many entries of real hashes. */
async function verifying(ground: Ground): Promise<void> {
  const entries = wanted("BENCH_ENTRIES", 1_000_000);
  const pool = connect(ground.owner, 4);
  const made = performance.now();
  await Promise.all(
    [0, 1].map((part) =>
      pool.query({
        text: `SELECT count(quill_log.append(NULL, 'person-' || n % 40, 'Somebody', 'station', 'v1', 'network.station', jsonb_build_object('code', 'MV-' || n % 50000), 'update',
          jsonb_build_array(jsonb_build_object('field', 'notes', 'old', 'Note ' || n, 'new', 'Note ' || n + 1)), gen_random_uuid(), NULL, NULL, NULL, 'page', NULL))
          FROM generate_series(1, ${Math.round(entries / 2)}) AS g(i), LATERAL (SELECT g.i * 2 + ${part}) AS n(n)`,
      }),
    ),
  );
  say(`${entries} entries made in ${seconds(made).toFixed(0)} s`);
  const sealing = performance.now();
  const { seals } = await sealLog(databaseOver(pool));
  say(`sealed in ${seconds(sealing).toFixed(1)} s, ${seals.length} seals`);
  const client = await pool.connect();
  const { counts, found, ms } = await verifyLog(client);
  client.release();
  say(
    `verified ${counts.entries} entries, ${counts.records} records, in ${(ms / 1000).toFixed(1)} s; findings: ${found}`,
  );
  if (found > 0) throw new Error("a sound log was found wanting");
  await pool.end();
}

const rounds = 200;
/** The middle of how long a statement takes, in milliseconds. */
async function timed(
  owner: pg.Client,
  statement: (turn: number) => { text: string; values: readonly unknown[] },
): Promise<number> {
  const times: number[] = [];
  for (let turn = -20; turn < rounds; turn++) {
    const { text, values } = statement(turn);
    const begun = performance.now();
    await owner.query({ name: `timed ${text.length}`, text, values: [...values] });
    if (turn >= 0) times.push(performance.now() - begun);
  }
  return median(times);
}

/** A record's history, and a search, in a log of few entries and of many: what is filled in has no real hashes. */
async function growing(owner: pg.Client): Promise<void> {
  const many = wanted("BENCH_HISTORY", 10_000_000);
  await owner.query("TRUNCATE quill_log.change");
  const fill = (from: number, upto: number): Promise<unknown> =>
    owner.query(
      `INSERT INTO quill_log.change (id, at, transaction, actor_id, actor_name, page, page_version, table_name, record_key, operation, fields, request_id, way, salt, hash) OVERRIDING SYSTEM VALUE
       SELECT n, date_trunc('month', now()) - interval '5 months' + make_interval(secs => n * 13e6 / ${many}), '1', 'person-' || n % 40, 'Somebody', 'station', 'v1', 'network.station',
         jsonb_build_object('code', 'R-' || n % greatest(500, ${upto} / 20)), 'update', jsonb_build_array(jsonb_build_object('field', 'notes', 'old', 'Note ' || n, 'new', 'Note ' || n + 1)),
         gen_random_uuid(), 'page', '\\x00', '\\x00'
       FROM generate_series(${from}::bigint, ${upto}::bigint) AS n`,
    );
  const history = (records: number) =>
    timed(owner, (turn) => lastChangesStatement("network.station", { code: `R-${(Math.abs(turn) * 7919) % records}` }));
  await fill(1, 10_000);
  await owner.query("VACUUM ANALYZE quill_log.change");
  const few = await history(500);
  const begun = performance.now();
  for (let from = 10_001; from <= many; from += 1_000_000) await fill(from, Math.min(many, from + 999_999));
  await owner.query("VACUUM ANALYZE quill_log.change");
  say(`filled up to ${many} entries in ${seconds(begun).toFixed(0)} s`);
  const then = await history(Math.round(many / 20));
  say(
    `a record's history, ${many} entries to 10000: ${(then / few).toFixed(2)}; ${then.toFixed(2)} ms and ${few.toFixed(2)} ms`,
  );
  const search = performance.now();
  const { text, values } = searchEntriesStatement({ containing: "nothing like it" }, String(many), 51);
  await owner.query({ text, values: [...values] });
  say(
    `a search for a text that is nowhere, through ${entriesSearched} entries: ${(seconds(search) * 1000).toFixed(0)} ms`,
  );
}

const ground = await makeGround();
const owner = new pg.Client(ground.owner);
await owner.connect();
try {
  const parts = process.env.BENCH_PARTS?.split(",") ?? ["chain", "watched", "verify", "grow"];
  if (parts.includes("chain")) await chainCost(ground, owner);
  if (parts.includes("watched")) await watchedLoad(owner);
  if (parts.includes("verify")) await verifying(ground);
  if (parts.includes("grow")) await growing(owner);
} finally {
  await owner.end();
  await ground.drop();
}
