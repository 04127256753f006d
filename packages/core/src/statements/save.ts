import { predicate } from "../condition/to-sql.js";
import {
  answered,
  entryInsert,
  type LogNote,
  type NotePlaces,
  notePlaces,
  remainsPredicate,
  returned,
} from "../log/entry.js";
import type { Page } from "../page/page.js";
import { keyPredicate } from "../postgres/key-predicate.js";
import { Parameters, quoted, quotedTable, type Row, type Statement, type Stored } from "../postgres/statement.js";
import { castText, textForm } from "../postgres/text-form.js";
import type { Column } from "../table/model.js";
import type { OfRecord } from "./of-record.js";

/** What a save writes: the columns in their order with their new values. */
export interface Assignment {
  readonly column: Column;
  readonly value: Stored;
  /** Whether it goes along with others only: a row in which nothing else differs is not written for it. */
  readonly along?: true;
}

/**
 * What must not have changed for a save to go through: the whole row by its version; or, once the row was looked at and
 * compared, the values of the columns that mattered in it, so that others may go on changing the rest.
 */
export type Guard =
  | { readonly by: "version"; readonly version: string }
  | { readonly by: "values"; readonly columns: readonly Column[]; readonly row: Row };

export function guarded(guard: Guard, parameters: Parameters): string[] {
  if (guard.by === "version") return [`t.xmin::text = ${parameters.add(guard.version, "text")}`];
  return guard.columns.map(
    (column) =>
      `${textForm("t", column)} IS NOT DISTINCT FROM ${parameters.add(guard.row[column.name] ?? null, "text")}`,
  );
}

/** The value as the column would hold it, for a comparison; text keeps its length, so that nothing too long passes for the same. */
export function asStored(column: Column, placeholder: string): string {
  return column.type.kind === "text" && !column.stamped
    ? `${placeholder}::text`
    : castText(`${placeholder}::${column.type.shown}`, column);
}

/** What the text of a save is made of besides its page. */
interface SaveParts {
  /** What finds the row by its key, and what it must meet besides. */
  readonly byKey: string;
  readonly where: readonly string[];
  readonly placed: readonly { readonly column: Column; readonly placeholder: string; readonly along?: true }[];
  readonly note: NotePlaces;
  /** The predicate that the row must still meet. */
  readonly remains: string | null;
}

/** The UPDATE names the key's values besides the locked row's: by them alone PostgreSQL knows of a partitioned table which part it is (5.11.4). */
function writeText(page: Page, { byKey, where, placed, note, remains }: SaveParts): string {
  const same = page.key.map(({ name }) => `t.${quoted(name)} = "before".${quoted(name)}`).join(" AND ");
  const differs = placed.flatMap(({ column, placeholder, along }) =>
    along ? [] : [`${textForm('"before"', column)} IS DISTINCT FROM ${asStored(column, placeholder)}`],
  );
  return `WITH "before" AS (
  SELECT t.*
  FROM ${quotedTable(page.table)} AS t
  WHERE ${[byKey, ...where].join("\n    AND ")}
  FOR NO KEY UPDATE
), "after" AS (
  UPDATE ${quotedTable(page.table)} AS t
  SET ${placed.map(({ column, placeholder }) => `${quoted(column.name)} = ${placeholder}`).join(", ")}
  FROM "before"
  WHERE ${byKey}
    AND ${same}
    AND (${differs.join(" OR ")})
  RETURNING ${returned(page, "update", remains)}
), "entry" AS (
  ${entryInsert(note, "update", '"after"')}
)
${answered(remains)}
FROM "before" LEFT JOIN "after" AS w ON true`;
}

/**
 * Locks the row by key, access condition and guard, sets the named columns, writes the log entry from the row before
 * and after, and says what happened: one statement, one trip.
 *
 * Under READ COMMITTED a lock that had to be waited for is granted on the newest row version and the WHERE is judged
 * again, so a row that changed meanwhile is not found here (PostgreSQL documentation, 13.2.1).
 *
 * The row must meet the page's `rows` condition before and after: a save that would take it away from the actor is refused whole.
 *
 * It answers one row where the row was found as it was asked for, and none otherwise: `entry` (the log entry's number), `changes`
 * (JSON array of field, old and new) and `row` (JSON object of what an answer asks for, in text form); all null where nothing was
 * written, since the row has the values already.
 */
export function saveStatement(
  { page, key, facts }: OfRecord,
  guard: Guard,
  assignments: readonly Assignment[],
  note: LogNote,
): Statement {
  const parameters = new Parameters();
  const byKey = keyPredicate(page.key, key, parameters, "t");
  const where = [...guarded(guard, parameters)];
  for (const condition of [page.access.rows, page.access.edit]) {
    if (condition) where.push(predicate(condition, parameters, facts, "t"));
  }
  const placed = assignments.map(({ column, value, along }) => ({
    ...(along ? { along } : {}),
    column,
    placeholder: parameters.add(value, column.type.cast),
  }));
  const parts = {
    byKey,
    where,
    placed,
    note: notePlaces(page, note, parameters),
    remains: remainsPredicate(page, parameters, facts),
  };
  return { purpose: "save", writes: true, text: writeText(page, parts), values: parameters.values };
}
