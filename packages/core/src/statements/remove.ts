import { predicate } from "../condition/to-sql.js";
import { answered, entryInsert, type LogNote, notePlaces, returned } from "../log/entry.js";
import type { Page } from "../page/page.js";
import { keyPredicate } from "../postgres/key-predicate.js";
import { Parameters, quoted, quotedTable, type Statement } from "../postgres/statement.js";
import type { DependentPath } from "../table/dependent-paths.js";
import type { OfRecord } from "./of-record.js";

/**
 * Deletes one record, by key, access conditions and row version, and writes its log entry with all that it held: one statement.
 *
 * It answers as a save does; `row` is what the record held, null where a trigger has kept it.
 *
 * @param version the row's version (`xmin`) that was shown before the deletion was confirmed
 */
export function removeStatement({ page, key, facts }: OfRecord, version: string, note: LogNote): Statement {
  const parameters = new Parameters();
  const byKey = keyPredicate(page.key, key, parameters, "t");
  const where = [
    byKey,
    `t.xmin::text = ${parameters.add(version, "text")}`,
    ...[page.access.rows, page.access.edit, page.access.delete].flatMap((condition) =>
      condition ? [predicate(condition, parameters, facts, "t")] : [],
    ),
  ];
  const same = page.key.map(({ name }) => `t.${quoted(name)} = "before".${quoted(name)}`).join(" AND ");
  const text = `WITH "before" AS (
  SELECT t.*
  FROM ${quotedTable(page.table)} AS t
  WHERE ${where.join("\n    AND ")}
  FOR UPDATE
), "gone" AS (
  DELETE FROM ${quotedTable(page.table)} AS t
  USING "before"
  WHERE ${byKey}
    AND ${same}
  RETURNING ${returned(page, "delete")}
), "entry" AS (
  ${entryInsert(notePlaces(page, note, parameters), "delete", '"gone"')}
)
${answered(null)}
FROM "before" LEFT JOIN "gone" AS w ON true`;
  return { purpose: "delete", writes: true, text, values: parameters.values };
}

/** Records of one kind are counted up to here; beyond it is said that there are more. */
export const mostCounted = 1000;

/** The records at the end of a way through foreign keys, back to the record itself. */
function wayBack(page: Page, key: readonly string[], { links }: DependentPath, parameters: Parameters): string {
  const alias = (index: number): string => (index < 0 ? "r" : `t${index}`);
  const joined = (index: number): string => {
    const link = links[index];
    if (!link) return keyPredicate(page.key, key, parameters, "r");
    const table =
      index === 0 ? page.table : { schema: links[index - 1]?.schema ?? "", name: links[index - 1]?.table ?? "" };
    const same = link.columns.map(
      (name, position) => `${alias(index)}.${quoted(name)} = ${alias(index - 1)}.${quoted(link.to[position] ?? "")}`,
    );
    return `EXISTS (SELECT FROM ${quotedTable(table)} AS ${alias(index - 1)} WHERE ${[...same, joined(index - 1)].join(" AND ")})`;
  };
  return joined(links.length - 1);
}

/** Counts what hangs on a record, up to {@link mostCounted} + 1 of each kind: `way` is the place among the page's ways. */
export function dependentsStatement(page: Page, key: readonly string[]): Statement {
  const parameters = new Parameters();
  const counts = page.dependents.flatMap((way, index) => {
    const last = way.links.at(-1);
    if (!last || way.links.some((link) => !link.readable)) return [];
    const table = quotedTable({ schema: last.schema, name: last.table });
    return `SELECT ${index} AS "way", (SELECT count(*) FROM (SELECT FROM ${table} AS t${way.links.length - 1} WHERE ${wayBack(page, key, way, parameters)} LIMIT ${mostCounted + 1}) AS f) AS "count"`;
  });
  return {
    purpose: "what hangs on it",
    text: `SELECT "way"::text, "count"::text FROM (\n${counts.join("\nUNION ALL\n")}\n) AS c WHERE "count" > 0 ORDER BY "way"`,
    values: parameters.values,
  };
}
