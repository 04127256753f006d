import type { Statement } from "../postgres/statement.js";

/** A moment as the log's hashes have it. */
const moment = (column: string): string => `to_char(${column} AT TIME ZONE 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS.US"Z"')`;

/** An entry whole, as it is verified and exported; bytes in hexadecimal digits. */
export const wholeEntry = `c.id::text AS "id", ${moment("c.at")} AS "at", c.transaction::text AS "transaction", c.actor_id AS "actor_id", c.actor_name AS "actor_name",
  c.page AS "page", c.page_version AS "page_version", c.table_name AS "table_name", c.record_key::text AS "record_key", c.new_key::text AS "new_key",
  c.operation AS "operation", c.fields::text AS "fields", c.request_id::text AS "request_id", c.reason AS "reason", c.way AS "way", c.origin::text AS "origin",
  array_to_string(c.undoes, ',') AS "undoes", encode(c.salt, 'hex') AS "salt", c.previous_id::text AS "previous_id", encode(c.previous, 'hex') AS "previous",
  encode(c.hash, 'hex') AS "hash", c.kept->>'reason' AS "erased_reason"`;

/** Which entries are read: by number, and of one record only where it is named. */
export interface EntryScope {
  readonly from: string;
  readonly upto: string;
  readonly table?: string;
  readonly key?: string;
}

/** Entries by number, after one of them. */
export const wholeEntriesStatement = ({ from, upto, table, key }: EntryScope, most: number): Statement => ({
  purpose: "read the log",
  slow: true,
  text: `SELECT ${wholeEntry}
FROM "quill_log"."change" AS c
WHERE c.id > $1::bigint AND c.id <= $2::bigint${table === undefined ? "" : `\n  AND c.table_name = $4::text AND (c.record_key = $5::jsonb OR c.new_key = $5::jsonb)`}
ORDER BY c.id
LIMIT $3::int`,
  values: [from, upto, String(most), ...(table === undefined ? [] : [table, key ?? "{}"])],
});

/** The last entries of records, after one of them by table and key. */
export const headsStatement = (
  after: { readonly table: string; readonly key: string } | null,
  most: number,
): Statement => ({
  purpose: "read the last entries",
  slow: true,
  text: `SELECT h.table_name AS "table", h.record_key::text AS "key", h.id::text AS "id", encode(h.hash, 'hex') AS "hash"
FROM "quill_log"."head" AS h${after === null ? "" : `\nWHERE (h.table_name, h.record_key) > ($2::text COLLATE "C", $3::jsonb)`}
ORDER BY h.table_name, h.record_key
LIMIT $1::int`,
  values: [String(most), ...(after === null ? [] : [after.table, after.key])],
});

/** How far the last seal came: `upto` and `open`; no row where there is none. */
export const uptoStatement = (): Statement => ({
  purpose: "how far the last seal came",
  text: `SELECT s.upto::text AS "upto", s.open::text AS "open" FROM "quill_log"."seal" AS s ORDER BY s.number DESC LIMIT 1`,
  values: [],
});

/** The greatest number of an entry. */
export const lastNumberStatement = (): Statement => ({
  purpose: "the last entry",
  text: `SELECT coalesce(max(c.id), 0)::text AS "last", count(*)::text AS "count" FROM "quill_log"."change" AS c`,
  values: [],
});
