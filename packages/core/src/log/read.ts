import type { Page } from "../page/page.js";
import { keyPredicate } from "../postgres/key-predicate.js";
import { Parameters, quotedTable, type Statement } from "../postgres/statement.js";

/**
 * The newest entries of a record, under the key that it has now and those that it had before: an entry that changed the key
 * leads from the new key to the old one, and from there on to older entries only.
 *
 * @param upTo the newest entry that is asked for; the newest of all where it is null
 */
export function lastChangesStatement(
  table: string,
  key: Readonly<Record<string, string>>,
  upTo: string | null = null,
  most = 20,
): Statement {
  return {
    purpose: "who changed it",
    text: `WITH RECURSIVE "names" ("record_key", "until") AS (
  SELECT $2::jsonb, 9223372036854775807
  UNION ALL
  SELECT c."record_key", c."id"
  FROM "names" AS n
  JOIN "quill_log"."change" AS c ON c."table_name" = $1::text AND c."new_key" = n."record_key" AND c."id" < n."until"
)
SELECT c."id"::text AS "id", c."operation", c."reason", c."actor_id", c."actor_name", c."at"::text AS "at", c."fields"::text AS "fields", c."record_key"::text AS "record_key"
FROM "names" AS n
JOIN "quill_log"."change" AS c ON c."table_name" = $1::text AND c."record_key" = n."record_key" AND c."id" <= n."until" AND c."id" <= $3::bigint
ORDER BY c."id" DESC
LIMIT $4::bigint`,
    values: [table, JSON.stringify(key), upTo ?? "9223372036854775807", String(most)],
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

/** The entries that a request wrote: one for each record that it saved. */
export const entriesOfRequestStatement = (requestId: string): Statement => ({
  purpose: "was it saved",
  text: `SELECT c."id"::text AS "id", c."at"::text AS "at", c."operation", c."record_key"::text AS "record_key", c."new_key"::text AS "new_key", c."fields"::text AS "fields"
FROM "quill_log"."change" AS c
WHERE c."request_id" = $1::uuid
ORDER BY c."id"`,
  values: [requestId],
});
