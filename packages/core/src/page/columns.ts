import type { Column } from "../table/model.js";
import { memoizePerPage } from "./memoize-per-page.js";
import type { Field, Page } from "./page.js";

/** The columns that a save's answer tells of: what title, message and address name. */
export const answeredColumns = memoizePerPage(({ title, answer, texts }): readonly string[] =>
  [title, answer.message, answer.to, texts.added, texts.deleted].flatMap((template) => template?.columns ?? []),
);

/** Every column that opening a record asks for, in the table's order. */
export const loadedColumns = memoizePerPage((page): readonly Column[] => {
  const whens = page.fields.flatMap((field) => [field.when, ...field.rules.map((rule) => rule.when)]);
  const conditions = [
    page.access.rows,
    page.access.edit,
    page.access.delete,
    page.access.history,
    page.reason,
    ...page.checks.map((check) => check.condition),
    ...whens,
  ];
  // Of a choice's condition only the form's part is about this table.
  const depending = page.fields.flatMap((field) =>
    field.choices?.from === "table" ? (field.choices.where?.formColumns ?? []) : [],
  );
  const names = new Set([
    ...page.key.map((column) => column.name),
    ...page.fields.map((field) => field.column.name),
    ...answeredColumns(page),
    ...[page.texts.save, page.texts.remove, page.texts.question].flatMap((template) => template?.columns ?? []),
    ...depending,
    ...page.sets.flatMap(({ value }) => value.formColumns),
    ...conditions.flatMap((condition) => condition?.rowColumns ?? []),
    ...conditions.flatMap((condition) => condition?.formColumns ?? []),
  ]);
  return page.table.columns.filter((column) => names.has(column.name));
});

/** The fields that a form may change: all but those that are shown only. */
export const editableFields = (page: Page): readonly Field[] => page.fields.filter((field) => !field.readOnly);

/** Whether a form takes a field, or only shows it. */
export const isTaken = (field: Field, form: "edit" | "new"): boolean =>
  form === "new" ? field.onNew : !field.readOnly;

/** Whether a field is made of another one where it is left empty. */
export const isMade = (field: Field): boolean => field.tidy.some((tidying) => typeof tidying === "object");

/** The column of which a field is made where it is left empty. */
export const madeOf = (field: Field): string | undefined =>
  field.tidy.flatMap((tidying) => (typeof tidying === "object" ? [tidying.slug] : []))[0];
