import { createHash } from "node:crypto";
import { readFile } from "node:fs/promises";
import { importedFrom, importedTable, monthPartition, monthsStatement, notifyStatement } from "@loyal-quill/core";
import { sealLog } from "@loyal-quill/runtime";
import type pg from "pg";
import type { Say } from "../cluster/cluster.js";
import { CannotStart } from "../listen.js";
import { inTransaction, onConnection } from "../log-client.js";
import { withDatabase } from "../open-database.js";

const counted = (count: number | string): string => `${count} ${Number(count) === 1 ? "entry" : "entries"}`;

const asOwner = (said: string): string => `Nothing was changed: ${said}. It is done as the log's owner.`;

/** How long entries of a table are kept. */
interface KeepOptions {
  readonly database: string;
  /** `schema.name`, or `*` for tables without a rule of their own; the rules are listed where it is left out. */
  readonly table: string | undefined;
  readonly months: number | undefined;
  /** So many entries of each record are kept in any case. */
  readonly last: number;
  readonly forever: boolean;
}

/** A rule for a table that is not there would keep nothing and drop nothing. @throws CannotStart where there is neither the table nor an entry of it */
async function needTable(client: pg.ClientBase, name: string): Promise<void> {
  const { rows } = await client.query<{ known: boolean }>(
    `SELECT EXISTS (SELECT FROM pg_class AS t JOIN pg_namespace AS n ON n.oid = t.relnamespace WHERE n.nspname || '.' || t.relname = $1)
       OR EXISTS (SELECT FROM quill_log.change AS c WHERE c.table_name = $1) AS known`,
    [name],
  );
  if (!rows[0]?.known)
    throw new CannotStart(
      `There is no table ${name}, and the log has no entry of one. Write schema.name, or * for tables without a rule.`,
    );
}

/** `quill log keep`: how long entries are kept. */
export async function keep({ database, table, months, last, forever }: KeepOptions, say: Say): Promise<void> {
  await inTransaction(
    database,
    async (client) => {
      if (table !== undefined && forever)
        await client.query("DELETE FROM quill_log.retention WHERE table_name = $1", [table]);
      else if (table !== undefined) {
        if (months === undefined) throw new CannotStart("For how long? Say --months NUMBER, or --forever.");
        if (table !== "*") await needTable(client, table);
        await client.query(
          "INSERT INTO quill_log.retention VALUES ($1, $2, $3) ON CONFLICT (table_name) DO UPDATE SET months = excluded.months, last = excluded.last",
          [table, months, last],
        );
      }
      const { rows } = await client.query(
        "SELECT table_name, months, last FROM quill_log.retention ORDER BY table_name",
      );
      for (const rule of rows)
        say(
          `${rule.table_name === "*" ? "other tables" : rule.table_name}: ${rule.months} months${rule.last > 0 ? `, and the last ${rule.last} of each record` : ""}`,
        );
      if (!rows.some((rule) => rule.table_name === "*"))
        say(rows.length === 0 ? "Everything is kept." : "Everything else is kept.");
    },
    asOwner,
  );
}

interface DropOptions {
  readonly database: string;
  readonly now: Date;
  readonly dryRun: boolean;
  readonly by: string;
}

/** Makes the partitions of all months that entries of the default partition are of, which moves them. @returns how many there were */
async function toTheirMonths(client: pg.ClientBase): Promise<number> {
  const { rows } = await client.query<{ year: number; month: number; count: number }>(
    `SELECT extract(year FROM c.at AT TIME ZONE 'UTC')::integer AS year, extract(month FROM c.at AT TIME ZONE 'UTC')::integer AS month, count(*)::integer AS count
     FROM quill_log.change_default AS c GROUP BY 1, 2 ORDER BY 1, 2`,
  );
  for (const { year, month } of rows) await client.query(monthPartition(year, month).text);
  return rows.reduce((sum, { count }) => sum + count, 0);
}

/**
 * `quill log drop`: drops the months in which everything may go by the rules, each after a seal that says so.
 *
 * What has no seal yet is sealed before; a month whose entries are not those that were sealed is not dropped.
 */
export async function dropMonths({ database, now, dryRun, by }: DropOptions, say: Say): Promise<void> {
  if (!dryRun) await withDatabase(database, (opened) => sealLog(opened));
  await onConnection(database, async (client) => {
    // Only what lies in a month's own partition can go with it.
    await client.query("BEGIN");
    const moved = await toTheirMonths(client).catch((error: unknown) => {
      throw new CannotStart(asOwner(error instanceof Error ? error.message : String(error)));
    });
    if (!dryRun) await client.query("COMMIT");
    if (moved > 0)
      say(`${counted(moved)} of the default partition ${dryRun ? "would be" : "were"} moved to those of their months.`);
    const { text, values } = monthsStatement(now);
    const { rows } = await client.query<{ month: string; entries: string; kept_for: string | null }>(text, [...values]);
    const { rows: rules } = await client.query("SELECT table_name, months, last FROM quill_log.retention ORDER BY 1");
    for (const { month, entries, kept_for: keptFor } of rows) {
      if (keptFor !== null) say(`${month}  ${counted(entries)}  kept: ${keptFor}`);
      else if (dryRun) say(`${month}  ${counted(entries)}  may go`);
      else {
        const { rows: made } = await client
          .query("SELECT (quill_log.drop_month($1, $2)).number::text AS number", [
            month,
            JSON.stringify({ by, entries: Number(entries), rules }),
          ])
          .catch((error: unknown) => {
            throw new CannotStart(asOwner(error instanceof Error ? error.message : String(error)));
          });
        say(`${month}  ${counted(entries)}  dropped, seal ${made[0]?.number}`);
      }
    }
    if (rows.length === 0) say("The log is empty.");
    if (dryRun) await client.query("ROLLBACK");
  });
}

interface EraseOptions {
  readonly database: string;
  readonly table: string;
  readonly key: Readonly<Record<string, string>>;
  readonly fields: readonly string[];
  readonly reasons: boolean;
  readonly by: string;
  readonly why: string;
}

/** `quill log erase`: erases values of a record from its entries; what they were can still not be forged. */
export async function erase({ database, table, key, fields, reasons, by, why }: EraseOptions, say: Say): Promise<void> {
  if (fields.length === 0 && !reasons) throw new CannotStart("What is to be erased? Say --field NAME, or --reasons.");
  if (Object.keys(key).length === 0) throw new CannotStart("Of which record? Say --key COLUMN=VALUE.");
  const detail = { by, why, table, fields, reasons };
  const number = await inTransaction(
    database,
    async (client) => {
      const { rows: known } = await client.query<{ field: string }>(
        `SELECT f->>'field' AS field FROM quill_log.change AS c, jsonb_array_elements(c.fields) AS f WHERE c.table_name = $1 AND c.record_key = $2
         UNION SELECT a.attname FROM pg_attribute AS a JOIN pg_class AS t ON t.oid = a.attrelid JOIN pg_namespace AS n ON n.oid = t.relnamespace
         WHERE n.nspname || '.' || t.relname = $1 AND a.attnum > 0 AND NOT a.attisdropped ORDER BY 1`,
        [table, JSON.stringify(key)],
      );
      const names = known.map(({ field }) => field);
      const unknown = fields.filter((field) => !names.includes(field));
      if (unknown.length > 0)
        throw new CannotStart(
          `${table} has no field ${unknown.join(", ")}${names.length > 0 ? `, but ${names.join(", ")}` : ""}. Nothing was erased.`,
        );
      const { rows } = await client.query<{ number: string | null; entries: string | null }>(
        "SELECT s.number::text AS number, (SELECT sum(upper(r) - lower(r)) FROM unnest(s.ids) AS r)::text AS entries FROM quill_log.erase($1, $2, $3, $4, $5) AS s",
        [table, JSON.stringify(key), fields, reasons, JSON.stringify(detail)],
      );
      return rows[0];
    },
    asOwner,
  );
  if (!number?.number) say("There is nothing to erase: the log has no such values of this record.");
  else say(`Erased from ${number.entries} ${number.entries === "1" ? "entry" : "entries"}, seal ${number.number}.`);
}

/** `quill log notify`: has listeners on the channel `quill_log` told of entries. */
export async function notify({ database, on }: { database: string; on: boolean }, say: Say): Promise<void> {
  await inTransaction(database, (client) => client.query(notifyStatement(on)), asOwner);
  say(on ? "Whoever listens on quill_log is told of entries." : "Nobody is told of entries any more.");
}

/** `quill log import`: adds another history, a line of JSON for each entry, by its time. All of it, or nothing. */
export async function importLog(
  { database, file, dryRun }: { database: string; file: string; dryRun: boolean },
  say: Say,
): Promise<void> {
  const text = await readFile(file, "utf8").catch(() => {
    throw new CannotStart(`${file} can't be read.`);
  });
  const read = text.split("\n").flatMap((line, index) => {
    const entry = line.trim() === "" ? null : importedFrom(line);
    return entry === null ? [] : [{ line: index + 1, entry }];
  });
  const wrong = read.flatMap(({ line, entry }) =>
    "wrong" in entry ? entry.wrong.map((said) => `${file}:${line}: ${said}`) : [],
  );
  if (wrong.length > 0)
    throw new CannotStart(
      [
        ...wrong.slice(0, 20),
        ...(wrong.length > 20 ? [`… and ${wrong.length - 20} more.`] : []),
        "Nothing was imported.",
      ].join("\n"),
    );
  const entries = read
    .flatMap(({ entry }) => ("wrong" in entry ? [] : [entry]))
    .sort((a, b) => Date.parse(a.at) - Date.parse(b.at));
  const digest = createHash("sha256").update(text).digest("hex");
  await inTransaction(
    database,
    async (client) => {
      // One import at a time: the same file by two is taken once.
      await client.query("SELECT pg_advisory_xact_lock(hashtext('loyal-quill import'))");
      const { rows: taken } = await client.query<{ at: string; id: string }>(
        "SELECT to_char(c.at AT TIME ZONE 'UTC', 'YYYY-MM-DD HH24:MI') AS at, c.id::text AS id FROM quill_log.change AS c WHERE c.table_name = $1 AND c.record_key = $2",
        [importedTable, JSON.stringify({ file: digest })],
      );
      if (taken[0])
        throw new CannotStart(
          `${file} was imported already, at ${taken[0].at} UTC (entry ${taken[0].id}). Nothing was imported.`,
        );
      if (dryRun) return;
      for (let start = 0; start < entries.length; start += 1000)
        await client.query(
          `SELECT quill_log.append((e->>'at')::timestamptz, e->'actor'->>'id', e->'actor'->>'name', e->>'page', '', e->>'table', e->'key', e->>'operation', e->'fields', NULL,
             e->>'reason', nullif(e->'new_key', 'null'), NULL, 'import', jsonb_build_object('imported', to_char(now() AT TIME ZONE 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS.US"Z"'))
               || coalesce(jsonb_build_object('from', e->'from'), '{}'))
           FROM (SELECT value AS e FROM jsonb_array_elements($1::jsonb) WITH ORDINALITY ORDER BY ordinality) AS given`,
          [JSON.stringify(entries.slice(start, start + 1000))],
        );
      await client.query(
        `SELECT quill_log.append(NULL, 'role ' || session_user, session_user::text, '', '', $1, $2, 'insert',
           jsonb_build_array(jsonb_build_object('field', 'detail', 'old', NULL, 'new', $3::text)), NULL, NULL, NULL, NULL, 'log', NULL)`,
        [importedTable, JSON.stringify({ file: digest }), JSON.stringify({ entries: entries.length })],
      );
    },
    asOwner,
  );
  say(dryRun ? `${counted(entries.length)} can be imported.` : `Imported ${counted(entries.length)}.`);
}
