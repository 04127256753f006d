import type { Facts } from "../condition/evaluate.js";
import { predicate } from "../condition/to-sql.js";
import type { Page } from "../page/page.js";
import type { Column } from "../table/model.js";
import { answered, entryInsert, type LogNote, notePlaces, returned } from "./entry.js";
import type { Assignment } from "./save.js";
import { Parameters, quoted, quotedTable, type Statement } from "./statement.js";

/**
 * The defaults that a form can show beforehand: constants and today's date. A sequence's next number or the moment of the write
 * are the table's to give, when the record is written.
 */
export const isConstant = (expression: string): boolean =>
  /^\(?('(?:[^'\\]|'')*'|-?\d+(\.\d+)?|true|false|CURRENT_DATE)\)?(::[\w ".()[\],]+)?$/.test(expression);

/** The columns whose defaults a form can show. */
export const shownDefaults = (columns: readonly Column[]): readonly Column[] =>
  columns.filter((column) => column.default !== null && column.written === "freely" && isConstant(column.default));

/** Whether the table gives the value, as the next of a sequence or made of others. */
const isGenerated = (column: Column): boolean => column.written === "always" || column.default === "identity";

/** Asks PostgreSQL for default values as the columns would print them. The expressions are those of the catalog. */
export const defaultsStatement = (columns: readonly Column[]): Statement => ({
  purpose: "defaults",
  text: `SELECT ${columns.map((column) => `(${column.default})::${column.type.shown}::text AS ${quoted(column.name)}`).join(", ")}`,
  values: [],
});

/** The constraint that refuses a form that was sent twice (see `logSchema`). */
export const onceConstraint = "submission_pkey";

/**
 * Inserts a record and its log entry, once: the form's id is kept beside the log, so that a form that is sent twice, by a second
 * click or a reload, is refused as a whole the second time. Columns that are not named get their defaults from the table. Where
 * the page has a `rows` condition, the new record must meet it: what the condition asks for and the form does not say is the
 * column's default.
 *
 * It answers as a save does, and no row where the new record does not meet the condition.
 *
 * @param form the id of the form
 */
export function createStatement(
  page: Page,
  assignments: readonly Assignment[],
  facts: Facts,
  note: LogNote,
  form: string,
): Statement {
  const parameters = new Parameters();
  const given = assignments.map(({ column, value }) => ({
    column,
    expression: parameters.add(value, column.type.cast),
  }));
  const asked = page.table.columns.filter(
    (column) =>
      page.access.rows?.rowColumns.includes(column.name) && given.every((each) => each.column.name !== column.name),
  );
  const filled = asked.map((column) => ({
    column,
    expression: `(${isGenerated(column) ? "NULL" : (column.default ?? "NULL")})::${column.type.cast}`,
  }));
  const candidate = [...given, ...filled];
  const inserted = [...given, ...filled.filter(({ column }) => !isGenerated(column))];
  const names = inserted.map(({ column }) => quoted(column.name)).join(", ");
  const where = page.access.rows ? `\n  WHERE ${predicate(page.access.rows, parameters, facts, "t")}` : "";
  const source =
    candidate.length === 0
      ? "DEFAULT VALUES"
      : `${names === "" ? "" : `(${names})`}
  SELECT ${names}
  FROM (SELECT ${candidate.map(({ column, expression }) => `${expression} AS ${quoted(column.name)}`).join(", ")}) AS t${where}`;
  const once = `${parameters.add(form, "uuid")}, ${parameters.add(note.requestId, "uuid")}`;
  const text = `WITH "after" AS (
  INSERT INTO ${quotedTable(page.table)} AS t ${source}
  RETURNING ${returned(page, "insert")}
), "once" AS (
  INSERT INTO "quill_log"."submission" ("id", "request_id")
  SELECT ${once} FROM "after"
), "entry" AS (
  ${entryInsert(notePlaces(page, note, parameters), "insert", '"after"')}
)
${answered}
FROM "after" AS w`;
  return { purpose: "create", text, values: parameters.values };
}

/** The record that a form made: asked when the form comes a second time. */
export const madeStatement = (form: string): Statement => ({
  purpose: "was it made",
  text: `SELECT c."record_key"::text AS "key"
FROM "quill_log"."submission" AS s
JOIN "quill_log"."change" AS c ON c."request_id" = s."request_id" AND c."operation" = 'insert'
WHERE s."id" = $1::uuid`,
  values: [form],
});
