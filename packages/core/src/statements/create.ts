import { answered, entryInsert, type LogNote, notePlaces, remainsPredicate, returned } from "../log/entry.js";
import { Parameters, quoted, quotedTable, type Statement } from "../postgres/statement.js";
import type { Column } from "../table/model.js";
import type { OfRecord } from "./of-record.js";
import type { Assignment } from "./save.js";

/** What stands in the error of a statement that has refused itself, since a trigger kept its row from the table. */
export const keptOutMark = "quill:kept-out";

/**
 * The defaults that a form can show beforehand: constants and today's date. A sequence's next number or the moment of the write
 * are the table's to give, when the record is written.
 */
export const isConstant = (expression: string): boolean =>
  /^\(?('(?:[^'\\]|'')*'|-?\d+(\.\d+)?|true|false|CURRENT_DATE)\)?(::[\w ".()[\],]+)?$/.test(expression);

/** The columns whose defaults a form can show. */
export const shownDefaults = (columns: readonly Column[]): readonly Column[] =>
  columns.filter((column) => column.default !== null && column.written === "freely" && isConstant(column.default));

/** Asks PostgreSQL for default values as the columns would print them. The expressions are those of the catalog. */
export const defaultsStatement = (columns: readonly Column[]): Statement => ({
  purpose: "defaults",
  text: `SELECT ${columns.map((column) => `(${column.default})::${column.type.shown}::text AS ${quoted(column.name)}`).join(", ")}`,
  values: [],
});

/**
 * Inserts a record and its log entry, once: the form's id is kept beside the log, so that a form that is sent twice, by a second
 * click or a reload, is refused as a whole the second time. Columns that are not named get their defaults from the table. Where
 * the page has a `rows` condition, the new record must meet it as it is stored; otherwise the statement refuses itself. So it does where a trigger
 * answers with no row: whether it has put the record elsewhere or nowhere, nothing of it stays.
 *
 * It answers as a save does.
 *
 * @param form the id of the form
 */
export function createStatement(
  { page, facts }: Pick<OfRecord, "page" | "facts">,
  assignments: readonly Assignment[],
  note: LogNote,
  form: string,
): Statement {
  const parameters = new Parameters();
  const values = assignments.map(({ column, value }) => parameters.add(value, column.type.cast));
  const names = assignments.map(({ column }) => quoted(column.name));
  const source = assignments.length === 0 ? "DEFAULT VALUES" : `(${names.join(", ")})\n  VALUES (${values.join(", ")})`;
  const once = `${parameters.add(form, "uuid")}, ${parameters.add(note.requestId, "uuid")}`;
  const places = notePlaces(page, note, parameters);
  const remains = remainsPredicate(page, parameters, facts);
  const text = `WITH "after" AS (
  INSERT INTO ${quotedTable(page.table)} AS t ${source}
  RETURNING ${returned(page, "insert", remains)}
), "once" AS (
  INSERT INTO "quill_log"."submission" ("id", "request_id")
  SELECT ${once} FROM "after"
), "entry" AS (
  ${entryInsert(places, "insert", '"after"')}
)
${answered(remains)},
  CASE WHEN w."row" IS NULL THEN concat('${keptOutMark} ', w."row")::integer END AS "kept"
FROM (SELECT) AS "one" LEFT JOIN "after" AS w ON true`;
  return { purpose: "create", writes: true, text, values: parameters.values };
}

/** The records that were made with the one of this form, in their order: asked when the form comes a second time. */
export const madeStatement = (form: string): Statement => ({
  purpose: "was it made",
  text: `SELECT c."id"::text AS "id", c."at"::text AS "at", c."operation", c."record_key"::text AS "record_key", c."fields"::text AS "fields"
FROM "quill_log"."submission" AS s
JOIN "quill_log"."change" AS c ON c."request_id" = s."request_id" AND c."operation" = 'insert'
WHERE s."id" = $1::uuid
ORDER BY c."id"`,
  values: [form],
});
