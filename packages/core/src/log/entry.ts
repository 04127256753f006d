import type { Facts } from "../condition/facts.js";
import { predicate } from "../condition/to-sql.js";
import { answeredColumns } from "../page/columns.js";
import { memoizePerPage } from "../page/memoize-per-page.js";
import type { Page } from "../page/page.js";
import { literal } from "../postgres/literal.js";
import type { Parameters } from "../postgres/statement.js";
import { textForm } from "../postgres/text-form.js";
import { type Column, tableName } from "../table/model.js";

/** Who and what a change log entry names, besides the change itself. */
export interface LogNote {
  readonly actor: { readonly id: string; readonly name: string };
  readonly page: string;
  readonly pageVersion: string;
  readonly requestId: string;
  /** Why, where the person said so. */
  readonly reason?: string | null;
  /** The entries that it puts back, if it does. */
  readonly undoes?: readonly string[];
}

/**
 * The field changes between two rows as a JSON array: one row of VALUES a column, of which those stay that differ in their text
 * forms. NULL where none does. PostgreSQL reads VALUES from first to last, so they stand as the columns do; nothing rests on that.
 */
function listChanges({ table }: Page, before: string | null, after: string | null): string {
  const side = (alias: string | null, column: Column): string =>
    alias === null ? "NULL::text" : textForm(alias, column);
  const rows = table.columns.map(
    (column) => `(${literal(column.name)}, ${side(before, column)}, ${side(after, column)})`,
  );
  const hidden = table.columns.flatMap(({ name, sensitive }) => (sensitive ? [literal(name)] : []));
  if (hidden.length > 0)
    return `(SELECT jsonb_agg(CASE WHEN f."field" IN (${hidden.join(", ")})
      THEN jsonb_build_object('field', f."field", 'old', NULL, 'new', NULL, 'hidden', true)
      ELSE jsonb_build_object('field', f."field", 'old', f."old", 'new', f."new") END) FROM (VALUES
    ${rows.join(",\n    ")}
  ) AS f("field", "old", "new") WHERE f."old" IS DISTINCT FROM f."new")`;
  return `(SELECT jsonb_agg(jsonb_build_object('field', f."field", 'old', f."old", 'new', f."new")) FROM (VALUES
    ${rows.join(",\n    ")}
  ) AS f("field", "old", "new") WHERE f."old" IS DISTINCT FROM f."new")`;
}

/** The field changes of a statement, whose row is `t` and was `"before"`. */
const changes = {
  update: memoizePerPage((page) => listChanges(page, '"before"', "t")),
  insert: memoizePerPage((page) => listChanges(page, null, "t")),
  delete: memoizePerPage((page) => listChanges(page, "t", null)),
};

/** A record's key as a JSON object of texts. */
export const keyObject = (page: Page, alias: string): string =>
  `jsonb_build_object(${page.key.map((column) => `${literal(column.name)}, ${textForm(alias, column)}`).join(", ")})`;

/**
 * The row `t` as a JSON object of texts: what an answer asks for, the key and what title and message name. `jsonb_build_object`
 * takes 100 arguments at most: a wider row is put together from several.
 */
const rowObject = memoizePerPage((page): string => {
  const { table, key } = page;
  const asked = new Set([...key.map(({ name }) => name), ...answeredColumns(page)]);
  const pairs = table.columns
    .filter(({ name }) => asked.has(name))
    .map((column) => `${literal(column.name)}, ${textForm("t", column)}`);
  const groups: string[] = [];
  for (let start = 0; start < pairs.length; start += 40)
    groups.push(`jsonb_build_object(${pairs.slice(start, start + 40).join(", ")})`);
  return groups.join(" || ");
});

/**
 * What a statement returns of the row that it wrote, for the answer and for its log entry: `row`, `record_key`, `new_key` (the
 * key afterwards, where it was changed: by it the log follows a record through its keys) and `fields`, the field changes.
 *
 * @param remains the predicate that the row `t` must meet as it was written, if any: `remains` tells whether it does
 */
export function returned(page: Page, operation: keyof typeof changes, remains: string | null = null): string {
  const was = operation === "update" ? '"before"' : "t";
  const newKey = operation === "update" ? `NULLIF(${keyObject(page, "t")}, ${keyObject(page, was)})` : "NULL::jsonb";
  return `${rowObject(page)} AS "row",
    ${keyObject(page, was)} AS "record_key",
    ${newKey} AS "new_key",
    ${changes[operation](page)} AS "fields"${
      remains === null
        ? ""
        : `,
    (${remains}) IS TRUE AS "remains"`
    }`;
}

/** The page's `rows` condition over the row that a statement writes, as `t`; null where the page has none. */
export const remainsPredicate = (page: Page, parameters: Parameters, facts: Facts): string | null =>
  page.access.rows && predicate(page.access.rows, parameters, facts, "t");

/** What stands in the error of a statement that has refused itself, since the row that it wrote leaves the page's rows. */
export const leavesRowsMark = "quill:leaves-rows";

/** The first values of every entry: actor's id and name, page, its version, table. */
export const whoAndWhere = (page: Page, note: LogNote, parameters: Parameters): string[] =>
  [note.actor.id, note.actor.name, note.page, note.pageVersion, tableName(page.table)].map((value) =>
    parameters.add(value, "text"),
  );

/** Where the values of a note stand in a statement. */
export interface NotePlaces {
  readonly who: readonly string[];
  readonly request: string;
  readonly reason: string;
  readonly undoes: string;
}

/** Adds the values of a note to a statement's parameters. */
export const notePlaces = (page: Page, note: LogNote, parameters: Parameters): NotePlaces => ({
  who: whoAndWhere(page, note, parameters),
  request: parameters.add(note.requestId, "uuid"),
  reason: parameters.add(note.reason ?? null, "text"),
  undoes: undonePlace(note, parameters),
});

/** Where the numbers of the entries stand that a save puts back. */
export const undonePlace = ({ undoes = [] }: LogNote, parameters: Parameters): string =>
  undoes.length === 0 ? "NULL" : parameters.add(`{${undoes.join(",")}}`, "bigint[]");

/** The call that writes a log entry, by expressions for what it is told; it answers the entry's number. */
export const addChange = (told: {
  readonly who: readonly string[];
  readonly key: string;
  readonly operation: string;
  readonly fields: string;
  readonly request: string;
  readonly reason: string;
  readonly newKey: string;
  readonly undoes: string;
}): string =>
  `"quill_log"."add_change"(${[...told.who, told.key, told.operation, told.fields, told.request, told.reason, told.newKey, told.undoes].join(", ")})`;

/**
 * Writes a log entry for each row that a part of the statement has {@link returned}, and answers `id` and `record_key`. What was updated and
 * differs in nothing, since a trigger put it back, is no change.
 *
 * The function is called for the rows that are read of it: whoever uses this must read them all.
 *
 * @param from the name of that part, quoted
 */
export function entryInsert({ who, ...places }: NotePlaces, operation: keyof typeof changes, from: string): string {
  const call = addChange({
    who,
    key: '"record_key"',
    operation: literal(operation),
    fields: operation === "update" ? '"fields"' : `coalesce("fields", '[]')`,
    newKey: '"new_key"',
    ...places,
  });
  return `SELECT ${call} AS "id", "record_key"
  FROM ${from}${operation === "update" ? '\n  WHERE "fields" IS NOT NULL' : ""}`;
}

/**
 * What a statement answers of the row that it wrote, as `w`: the log entry's number, the field changes and the row, as JSON.
 *
 * A row that does not meet the page's `rows` condition as it was written, by what was typed or by a trigger, must not stay. Only an
 * error takes a statement back whole, so one is provoked: a text that is no number. It depends on the row, so that it is not
 * worked out beforehand (PostgreSQL documentation, 4.2.14).
 */
export const answered = (remains: string | null): string =>
  `SELECT (SELECT "id" FROM "entry")::text AS "entry", w."fields"::text AS "changes", w."row"::text AS "row"${refusedUnless(remains)}`;

/** The column by which a statement refuses itself where a row `w` does not meet the page's `rows` condition. */
export const refusedUnless = (remains: string | null): string =>
  remains === null
    ? ""
    : `,
  CASE WHEN NOT w."remains" THEN concat('${leavesRowsMark} ', w."remains")::integer END AS "refused"`;
