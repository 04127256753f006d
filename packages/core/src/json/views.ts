import { word } from "../messages/messages.js";
import { isTaken } from "../page/columns.js";
import type { Page } from "../page/page.js";
import type { Row } from "../postgres/statement.js";
import { queryText, recordAddress } from "../settings/bound/path.js";
import { isEditableRow, keyPartName, referenceName } from "../statements/list.js";
import type { FieldView, FormView } from "../views/form-view.js";
import type { HistoryView } from "../views/history-view.js";
import type { ListView } from "../views/list-view.js";
import type { RecordView } from "../views/record-view.js";
import { fieldSchema } from "./schema.js";
import { type Json, type JsonAnswer, toldJson } from "./value.js";

const keyOf = (page: Page, key: readonly string[]): Json =>
  Object.fromEntries(page.key.map(({ name }, index) => [name, key[index] ?? ""]));

/** The labels of references: what stands for each of the records that are referred to. */
const labelsOf = (
  labels: readonly (readonly [name: string, label: string | null])[],
): Readonly<Record<string, JsonAnswer>> => (labels.length > 0 ? { labels: Object.fromEntries(labels) } : {});

function itemOf({ page }: ListView, row: Row, base: string): JsonAnswer {
  const key = page.key.map((_, index) => row[keyPartName(index)] ?? "");
  return {
    address: `${base}${recordAddress(page.path, key)}`,
    key: keyOf(page, key),
    editable: isEditableRow(page, row),
    values: Object.fromEntries(
      page.list.columns.map(({ column, choices }, index) => [
        column.name,
        toldJson(column, row[choices ? referenceName(index) : column.name] ?? null),
      ]),
    ),
    ...labelsOf(
      page.list.columns.flatMap(({ column, choices }) =>
        choices ? [[column.name, row[column.name] ?? null] as const] : [],
      ),
    ),
  };
}

/** A part of a list: its records, and the addresses of the parts beside it. */
export function listJson(view: ListView, base: string): JsonAnswer {
  const to = (other: Readonly<Record<string, string>> | null): Json => {
    if (!other) return null;
    const { after: _, before: __, last: ___, ...kept } = view.kept;
    return `${base}${view.page.path.list}${queryText({ ...kept, ...other })}`;
  };
  return {
    title: view.page.plural,
    items: view.rows.map((row) => itemOf(view, row, base)),
    next: to(view.next),
    previous: to(view.previous),
    count: view.count && { number: view.count.number, is: view.count.is },
    ...(view.looked ? { looked: { ...view.looked } } : {}),
    ...(view.tooSlow ? { stopped: word(view.page.language, "search-too-slow") } : {}),
  };
}

/** What is known of a field: its schema, and what it can be chosen from. */
const fieldJson = (view: FieldView, taken: boolean): Json => ({
  ...fieldSchema(view.field),
  readOnly: !taken,
  ...(view.field.unit === null ? {} : { "x-unit": view.field.unit }),
  ...(view.offer?.by === "list" ? { "x-choices": view.options.map(({ value, label }) => ({ value, label })) } : {}),
});

/** A record as it now is: its values, and what may become of them. */
export function recordJson(view: RecordView, base: string): JsonAnswer {
  const { page, fields } = view;
  return {
    address: `${base}${recordAddress(page.path, view.key)}`,
    key: keyOf(page, view.key),
    title: view.title,
    editable: view.locked === null,
    ...(view.locked === null ? {} : { because: view.locked }),
    deletable: view.removable,
    values: Object.fromEntries(
      fields.map(({ field }) => [field.column.name, toldJson(field.column, view.row[field.column.name] ?? null)]),
    ),
    ...labelsOf(
      fields.flatMap(({ field, options }) => {
        const stored = view.row[field.column.name] ?? null;
        if (field.choices?.from !== "table" || field.column.sensitive) return [];
        return [[field.column.name, options.find(({ value }) => value === stored)?.label ?? null] as const];
      }),
    ),
    fields: Object.fromEntries(
      fields.map((each) => [each.field.column.name, fieldJson(each, view.locked === null && !each.field.readOnly)]),
    ),
  };
}

/** What a new record begins with. */
export const newJson = ({ title, fields, begins }: FormView & { readonly begins: Row }): JsonAnswer => ({
  title,
  values: Object.fromEntries(
    fields.map(({ field }) => [field.column.name, toldJson(field.column, begins[field.column.name] ?? null)]),
  ),
  fields: Object.fromEntries(
    fields.map((each) => [each.field.column.name, fieldJson(each, isTaken(each.field, "new"))]),
  ),
});

/** What was changed of a record. */
export const historyJson = (view: HistoryView, base: string): Json => ({
  title: view.title,
  items: view.entries.map(({ id, at, by, operation, reason, changes }) => ({
    id,
    at,
    by,
    operation,
    reason,
    changes: changes.map(({ label, old, new: after }) => ({ field: label, old, new: after })),
  })),
  next: view.older === null ? null : `${base}${recordAddress(view.page.path, view.key)}/history?upto=${view.older}`,
});
