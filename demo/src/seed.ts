import { readFile } from "node:fs/promises";
import { logSchema, monthPartition } from "@loyal-quill/core";
import type pg from "pg";
import { type DemoChange, playHistory } from "./history.js";
import { type DemoRow, day, makeVale } from "./vale.js";

const sqlFile = (name: string): Promise<string> => readFile(new URL(`../${name}`, import.meta.url), "utf8");

/** Changes whenever schema or rows of the demo do: data of another version are put aside. */
export const demoVersion = "Marrow Vale 4";

/** The directory of the demo's page files. */
export const demoPages = new URL("../pages/", import.meta.url);

/** The last Monday at midnight, UTC: the moment at which the demo's six months end. */
export function lastMonday(now: Date): number {
  const midnight = Date.UTC(now.getUTCFullYear(), now.getUTCMonth(), now.getUTCDate());
  return midnight - ((now.getUTCDay() + 6) % 7) * day;
}

const quoted = (name: string): string => `"${name.replaceAll('"', '""')}"`;

/** Inserts rows of one table through a JSON parameter; columns that a row does not name get their defaults. */
async function insert(client: pg.ClientBase, table: string, rows: readonly DemoRow[]): Promise<void> {
  const [sample] = rows;
  if (!sample) return;
  const names = Object.keys(sample).map(quoted).join(", ");
  for (let start = 0; start < rows.length; start += 500) {
    const part = JSON.stringify(rows.slice(start, start + 500));
    await client.query(
      `INSERT INTO ${table} (${names}) SELECT ${names} FROM json_populate_recordset(NULL::${table}, $1::json)`,
      [part],
    );
  }
}

async function insertChanges(client: pg.ClientBase, changes: readonly DemoChange[]): Promise<void> {
  const rows = changes.map((change) => ({
    at: change.at,
    actor_id: change.actor.id,
    actor_name: change.actor.name,
    page: change.page,
    page_version: "demo",
    table_name: change.table,
    record_key: change.key,
    operation: "update",
    fields: change.fields,
    request_id: change.requestId,
    reason: change.reason,
  }));
  await client.query(
    `SELECT count(quill_log.append(e.at, e.actor_id, e.actor_name, e.page, e.page_version, e.table_name, e.record_key, e.operation, e.fields, e.request_id,
       e.reason, NULL, NULL, 'page', NULL))
     FROM (SELECT * FROM json_populate_recordset(NULL::quill_log.change, $1::json) ORDER BY at) AS e`,
    [JSON.stringify(rows)],
  );
}

async function makePartitions(client: pg.ClientBase, end: number): Promise<void> {
  const first = new Date(end - 200 * day);
  for (let month = 0; month < 24; month++) {
    const date = new Date(Date.UTC(first.getUTCFullYear(), first.getUTCMonth() + month, 1));
    await client.query(monthPartition(date.getUTCFullYear(), date.getUTCMonth() + 1).text);
  }
}

/**
 * Fills an empty database with Marrow Vale: schema, rows, six months of log, rights. One transaction: all or nothing.
 *
 * @param client connected as the owner; the roles `quill_pages` and `quill_reader` exist
 * @param now the six months end on the Monday before
 * @returns how many rows and log entries were made
 */
export async function seedVale(client: pg.ClientBase, now: Date): Promise<{ rows: number; changes: number }> {
  const end = lastMonday(now);
  const vale = makeVale(end);
  const changes = playHistory(vale, end);
  await client.query("BEGIN");
  try {
    await client.query("SET LOCAL timezone TO 'UTC'");
    await client.query(await sqlFile("schema.sql"));
    await client.query(logSchema);
    await makePartitions(client, end);
    await insert(client, "network.region", vale.region);
    await insert(client, "network.river", vale.river);
    await insert(client, "network.station", vale.station);
    await insert(
      client,
      "network.sensor",
      vale.sensor.map((row) => ({ ...row, settings: row.settings ? JSON.parse(row.settings) : null })),
    );
    await insert(client, "office.person", vale.person);
    await insert(client, "office.bulletin", vale.bulletin);
    await insert(client, "field.visit", vale.visit);
    await insert(client, "field.calibration", vale.calibration);
    await insert(client, 'legacy."InstrumentLoan"', vale.loan);
    await insertChanges(client, changes);
    await client.query(await sqlFile("grants.sql"));
    await client.query("COMMIT");
    // Estimates of the tables' sizes decide whether choices are listed or searched.
    await client.query("ANALYZE");
  } catch (error) {
    await client.query("ROLLBACK");
    throw error;
  }
  return { rows: Object.values(vale).flat().length, changes: changes.length };
}
