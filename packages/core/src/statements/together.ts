import type { Facts } from "../condition/facts.js";
import { predicate } from "../condition/to-sql.js";
import {
  entryInsert,
  keyObject,
  type LogNote,
  notePlaces,
  refusedUnless,
  remainsPredicate,
  returned,
} from "../log/entry.js";
import type { Page } from "../page/page.js";
import { Parameters, quoted, quotedTable, type Statement } from "../postgres/statement.js";
import { textForm } from "../postgres/text-form.js";
import type { Column } from "../table/model.js";
import { type Assignment, asStored } from "./save.js";

/** One of the rows that are saved together: its key, the version that it must have, and what is written. */
export interface RowChange {
  readonly key: readonly string[];
  readonly version: string;
  readonly assignments: readonly Assignment[];
}

const keyName = (index: number): string => quoted(`quill:key ${index}`);
const hasName = (index: number): string => quoted(`quill:has ${index}`);
const newName = (index: number): string => quoted(`quill:new ${index}`);
const place = quoted("quill:place");
const version = quoted("quill:version");

/** The rows with their new values as a list of VALUES: of each column whether it is written, and its value. */
function valuesOf(page: Page, rows: readonly RowChange[], columns: readonly Column[], parameters: Parameters): string {
  const lines = rows.map(({ key, version: wanted, assignments }, index) => {
    const cells = columns.flatMap((column) => {
      const found = assignments.find((each) => each.column === column);
      return [found ? "true" : "false", parameters.add(found?.value ?? null, column.type.cast)];
    });
    const own = page.key.map((column, part) => parameters.add(key[part] ?? null, column.type.cast));
    return `(${[index, parameters.add(wanted, "text"), ...own, ...cells].join(", ")})`;
  });
  const names = [
    place,
    version,
    ...page.key.map((_, part) => keyName(part)),
    ...columns.flatMap((_, index) => [hasName(index), newName(index)]),
  ];
  return `(VALUES\n    ${lines.join(",\n    ")}\n  ) AS g(${names.join(", ")})`;
}

/**
 * Saves several rows with values of their own: locks each by its key, the access conditions and its version, in the order of the key; where
 * all were found as asked for, sets each one's columns and writes each one's log entry; and says what happened. One statement, one trip,
 * all or nothing.
 *
 * It answers a row for each that was found as it was asked for: `place` (its number in `rows`), and as a save does `entry`, `changes` and
 * `row`. Where fewer are answered than were given, nothing was written.
 */
export function togetherStatement(page: Page, rows: readonly RowChange[], facts: Facts, note: LogNote): Statement {
  const parameters = new Parameters();
  const columns = page.table.columns.filter((column) =>
    rows.some(({ assignments }) => assignments.some((each) => each.column === column)),
  );
  const given = valuesOf(page, rows, columns, parameters);
  const where = [
    ...page.key.map((column, part) => `t.${quoted(column.name)} = g.${keyName(part)}`),
    `t.xmin::text = g.${version}`,
  ];
  for (const condition of [page.access.rows, page.access.edit]) {
    if (condition) where.push(predicate(condition, parameters, facts, "t"));
  }
  const sets = [
    ...columns.map(
      ({ name }, index) =>
        `${quoted(name)} = CASE WHEN "before".${hasName(index)} THEN "before".${newName(index)} ELSE "before".${quoted(name)} END`,
    ),
  ];
  /** What only goes along makes no difference by itself. */
  const isAlong = (column: Column): boolean =>
    rows.every(({ assignments }) => assignments.every((each) => each.column !== column || each.along === true));
  const differs = columns.flatMap((column, index) =>
    isAlong(column)
      ? []
      : `"before".${hasName(index)} AND ${textForm('"before"', column)} IS DISTINCT FROM ${asStored(column, `"before".${newName(index)}`)}`,
  );
  const same = page.key.map(({ name }) => `t.${quoted(name)} = "before".${quoted(name)}`).join(" AND ");
  const remains = remainsPredicate(page, parameters, facts);
  const text = `WITH "before" AS (
  SELECT t.*, g.*
  FROM ${given}
  JOIN ${quotedTable(page.table)} AS t ON ${where.join("\n    AND ")}
  ORDER BY ${page.key.map(({ name }) => `t.${quoted(name)}`).join(", ")}
  FOR NO KEY UPDATE OF t
), "after" AS (
  UPDATE ${quotedTable(page.table)} AS t
  SET ${sets.join(",\n    ")}
  FROM "before"
  WHERE ${same}
    AND (SELECT count(*) FROM "before") = ${rows.length}
    AND (${differs.join("\n      OR ")})
  RETURNING ${returned(page, "update", remains)}
), "entry" AS (
  ${entryInsert(notePlaces(page, note, parameters), "update", '"after"')}
)
SELECT b.${place}::text AS "place", e."id"::text AS "entry", w."fields"::text AS "changes", w."row"::text AS "row"${refusedUnless(remains)}
FROM "before" AS b
LEFT JOIN "after" AS w ON w."record_key" = ${keyObject(page, "b")}
LEFT JOIN "entry" AS e ON e."record_key" = w."record_key"`;
  // Another number of rows or columns is another text.
  return { purpose: "save together", writes: true, text, values: parameters.values, plannedAnew: true };
}
