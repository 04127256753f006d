import type { Statement } from "./statement.js";

/**
 * The change log's schema: `quill_log` in the edited database itself, since only there a change and its entry are one.
 * Partitioned by month; an entry that no month's partition takes goes to the default one, so that no save fails for it.
 */
export const logSchema = `CREATE SCHEMA IF NOT EXISTS quill_log;
CREATE TABLE IF NOT EXISTS quill_log.change (
  id bigint GENERATED ALWAYS AS IDENTITY,
  at timestamptz NOT NULL DEFAULT clock_timestamp(),
  actor_id text NOT NULL,
  actor_name text NOT NULL,
  page text NOT NULL,
  page_version text NOT NULL,
  table_name text NOT NULL,
  record_key jsonb NOT NULL,
  operation text NOT NULL CHECK (operation IN ('insert', 'update', 'delete')),
  fields jsonb NOT NULL CHECK (jsonb_typeof(fields) = 'array'),
  request_id uuid NOT NULL,
  reason text,
  way text NOT NULL CHECK (way IN ('page', 'behind')),
  PRIMARY KEY (id, at)
) PARTITION BY RANGE (at);
CREATE TABLE IF NOT EXISTS quill_log.change_default PARTITION OF quill_log.change DEFAULT;
CREATE INDEX IF NOT EXISTS change_record ON quill_log.change (table_name, record_key, id DESC);
CREATE INDEX IF NOT EXISTS change_actor ON quill_log.change (actor_id, id DESC);
CREATE INDEX IF NOT EXISTS change_request ON quill_log.change (request_id);
COMMENT ON TABLE quill_log.change IS 'Who changed which field of which record, when, from what to what.';`;

/** Makes the partition of one month. The month's name is computed from numbers only. */
export function monthPartition(year: number, month: number): Statement {
  const name = (y: number, m: number): string =>
    `${String(y).padStart(4, "0")}-${String(m).padStart(2, "0")}-01 00:00:00+00`;
  const next = month === 12 ? name(year + 1, 1) : name(year, month + 1);
  const partition = `change_${String(year).padStart(4, "0")}_${String(month).padStart(2, "0")}`;
  return {
    purpose: "make partition",
    text: `CREATE TABLE IF NOT EXISTS quill_log.${partition} PARTITION OF quill_log.change FOR VALUES FROM ('${name(year, month)}') TO ('${next}')`,
    values: [],
  };
}

/** Who saved a record's field last after a moment, for a conflict: the newest entries of the record. */
export function lastChangesStatement(table: string, key: Readonly<Record<string, string>>): Statement {
  return {
    purpose: "who changed it",
    text: `SELECT "actor_name", "at"::text AS "at", "fields"::text AS "fields"
FROM "quill_log"."change"
WHERE "table_name" = $1::text AND "record_key" = $2::jsonb
ORDER BY "id" DESC LIMIT 20`,
    values: [table, JSON.stringify(key)],
  };
}
