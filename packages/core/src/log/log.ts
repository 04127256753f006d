import type { Page } from "../page/page.js";
import { keyPredicate } from "../postgres/key-predicate.js";
import { Parameters, quoted, quotedTable, type Statement } from "../postgres/statement.js";

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
  new_key jsonb,
  operation text NOT NULL CHECK (operation IN ('insert', 'update', 'delete')),
  fields jsonb NOT NULL CHECK (jsonb_typeof(fields) = 'array'),
  request_id uuid NOT NULL,
  reason text,
  way text NOT NULL CHECK (way IN ('page', 'behind')),
  PRIMARY KEY (id, at)
) PARTITION BY RANGE (at);
CREATE TABLE IF NOT EXISTS quill_log.change_default PARTITION OF quill_log.change DEFAULT;
CREATE INDEX IF NOT EXISTS change_record ON quill_log.change (table_name, record_key, id DESC);
CREATE INDEX IF NOT EXISTS change_new_key ON quill_log.change (table_name, new_key) WHERE new_key IS NOT NULL;
CREATE INDEX IF NOT EXISTS change_actor ON quill_log.change (actor_id, id DESC);
CREATE INDEX IF NOT EXISTS change_request ON quill_log.change (request_id);
CREATE TABLE IF NOT EXISTS quill_log.submission (
  id uuid CONSTRAINT submission_pkey PRIMARY KEY,
  request_id uuid NOT NULL,
  at timestamptz NOT NULL DEFAULT clock_timestamp()
);
COMMENT ON TABLE quill_log.submission IS 'Forms of new records that were taken: each of them once.';
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

/**
 * The newest entries of a record, under the key that it has now and those that it had before: an entry that changed the key
 * leads from the new key to the old one, and from there on to older entries only.
 */
export function lastChangesStatement(table: string, key: Readonly<Record<string, string>>): Statement {
  return {
    purpose: "who changed it",
    text: `WITH RECURSIVE "names" ("record_key", "until") AS (
  SELECT $2::jsonb, 9223372036854775807
  UNION ALL
  SELECT c."record_key", c."id"
  FROM "names" AS n
  JOIN "quill_log"."change" AS c ON c."table_name" = $1::text AND c."new_key" = n."record_key" AND c."id" < n."until"
)
SELECT c."actor_name", c."at"::text AS "at", c."fields"::text AS "fields", c."record_key"::text AS "record_key"
FROM "names" AS n
JOIN "quill_log"."change" AS c ON c."table_name" = $1::text AND c."record_key" = n."record_key" AND c."id" <= n."until"
ORDER BY c."id" DESC
LIMIT 20`,
    values: [table, JSON.stringify(key)],
  };
}

/** Locks a record, so that whoever is writing it is waited for: asked before the log is asked what became of a save. */
export function holdStatement(page: Page, key: readonly string[]): Statement {
  const parameters = new Parameters();
  return {
    purpose: "wait for the record",
    writes: true,
    text: `SELECT FROM ${quotedTable(page.table)} AS t WHERE ${keyPredicate(page.key, key, parameters, "t")} FOR NO KEY UPDATE`,
    values: parameters.values,
  };
}

/** The entry that a request wrote, if it did. */
export const entryOfRequestStatement = (requestId: string): Statement => ({
  purpose: "was it saved",
  text: `SELECT c."id"::text AS "id", c."at"::text AS "at", c."record_key"::text AS "record_key", c."new_key"::text AS "new_key", c."fields"::text AS "fields"
FROM "quill_log"."change" AS c
WHERE c."request_id" = $1::uuid
ORDER BY c."id"
LIMIT 1`,
  values: [requestId],
});

/** What a role needs to serve pages over a log: to add to it and to read it, never to change an entry. */
export const logGrants = (role: string): readonly string[] => [
  `GRANT USAGE ON SCHEMA quill_log TO ${quoted(role)}`,
  `GRANT SELECT, INSERT ON quill_log.change, quill_log.submission TO ${quoted(role)}`,
];

/**
 * Asks whether there is a log and whether the connection may use it: one row, `there` and `usable`.
 *
 * The catalogs are asked rather than the tables, so that a missing right is an answer and not an error.
 */
export const logStateStatement = (): Statement => ({
  purpose: "is there a log",
  text: `SELECT (count(*) = 2)::text AS "there",
  coalesce(bool_and(has_schema_privilege(n.oid, 'USAGE') AND has_table_privilege(c.oid, 'SELECT') AND has_table_privilege(c.oid, 'INSERT')), false)::text AS "usable"
FROM pg_class AS c
JOIN pg_namespace AS n ON n.oid = c.relnamespace
WHERE n.nspname = 'quill_log' AND c.relname IN ('change', 'submission')`,
  values: [],
});
