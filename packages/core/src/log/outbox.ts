import type { Statement } from "../postgres/statement.js";

/** What is to be done after a save stands here from the save's own transaction on, until it is done: at least once. */
export const outboxSchema = `CREATE TABLE IF NOT EXISTS quill_log.outbox (
  id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  page text NOT NULL,
  event jsonb NOT NULL,
  made timestamptz NOT NULL DEFAULT clock_timestamp(),
  due timestamptz NOT NULL DEFAULT clock_timestamp(),
  tries integer NOT NULL DEFAULT 0,
  said text,
  given_up timestamptz
);
CREATE INDEX IF NOT EXISTS outbox_due ON quill_log.outbox (due) WHERE given_up IS NULL;
COMMENT ON TABLE quill_log.outbox IS 'What is to be done after saves, until it is done.';`;

/** Puts events into the outbox. @param events as JSON */
export const outboxStatement = (page: string, events: readonly string[]): Statement => ({
  purpose: "outbox",
  writes: true,
  text: `INSERT INTO "quill_log"."outbox" ("page", "event") SELECT $1::text, e.value FROM jsonb_array_elements($2::jsonb) AS e`,
  values: [page, `[${events.join(",")}]`],
});

/** Whether there is an outbox that the connection may use: one row, `usable`. */
export const outboxUsableStatement = (): Statement => ({
  purpose: "is there an outbox",
  text: `SELECT coalesce(bool_and(has_table_privilege(c.oid, 'SELECT') AND has_table_privilege(c.oid, 'INSERT') AND has_table_privilege(c.oid, 'UPDATE') AND has_table_privilege(c.oid, 'DELETE')), false)::text AS "usable"
FROM pg_class AS c JOIN pg_namespace AS n ON n.oid = c.relnamespace
WHERE n.nspname = 'quill_log' AND c.relname = 'outbox'`,
  values: [],
});

/**
 * Takes what is due, the oldest first, so that no other process does the same for a while.
 *
 * @param pages whose
 * @param lease seconds after which it is due again, unless it was done
 */
export const takeStatement = (pages: readonly string[], most: number, lease: number): Statement => ({
  purpose: "take from the outbox",
  writes: true,
  text: `UPDATE "quill_log"."outbox" AS o
SET "tries" = o."tries" + 1, "due" = clock_timestamp() + make_interval(secs => $3::float8)
WHERE o."id" IN (
  SELECT i."id" FROM "quill_log"."outbox" AS i
  WHERE i."page" = ANY (SELECT jsonb_array_elements_text($1::jsonb)) AND i."given_up" IS NULL AND i."due" <= clock_timestamp()
  ORDER BY i."id" LIMIT $2::int
  FOR UPDATE SKIP LOCKED
)
RETURNING o."id"::text AS "id", o."page" AS "page", o."event"::text AS "event", o."tries"::text AS "tries"`,
  values: [JSON.stringify(pages), String(most), String(lease)],
});

export const doneStatement = (id: string): Statement => ({
  purpose: "done, out of the outbox",
  writes: true,
  text: `DELETE FROM "quill_log"."outbox" WHERE "id" = $1::bigint`,
  values: [id],
});

/** Notes that something was not done. @param again seconds after which it is tried again; null where it is given up */
export const undoneStatement = (id: string, said: string, again: number | null): Statement => ({
  purpose: "not done, in the outbox",
  writes: true,
  text: `UPDATE "quill_log"."outbox"
SET "said" = $2::text, "due" = clock_timestamp() + make_interval(secs => coalesce($3::float8, 0)),
  "given_up" = CASE WHEN $3::float8 IS NULL THEN clock_timestamp() END
WHERE "id" = $1::bigint`,
  values: [id, said, again === null ? null : String(again)],
});

/** What waits in the outbox, or was given up, the oldest first: `id`, `page`, `entry`, `made`, `tries`, `said`, `due`, `given_up`. */
export const waitingStatement = (most: number): Statement => ({
  purpose: "what waits in the outbox",
  text: `SELECT o."id"::text AS "id", o."page" AS "page", o."event"->>'entry' AS "entry", o."made"::text AS "made", o."tries"::text AS "tries",
  o."said" AS "said", o."due"::text AS "due", o."given_up"::text AS "given_up"
FROM "quill_log"."outbox" AS o ORDER BY o."id" LIMIT $1::int`,
  values: [String(most)],
});

/** Has what was given up tried again: one row, `count`. */
export const againStatement = (): Statement => ({
  purpose: "try again what was given up",
  writes: true,
  text: `WITH "again" AS (
  UPDATE "quill_log"."outbox" SET "given_up" = NULL, "tries" = 0, "due" = clock_timestamp() WHERE "given_up" IS NOT NULL RETURNING 1
)
SELECT count(*)::text AS "count" FROM "again"`,
  values: [],
});
