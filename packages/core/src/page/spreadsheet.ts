import { controlKind } from "../controls/index.js";
import { word } from "../messages/messages.js";
import { memoizePerPage } from "./memoize-per-page.js";
import type { Field, ListColumn, Page } from "./page.js";

/** A field as a column of a spreadsheet. */
export interface SpreadsheetColumn {
  readonly field: Field;
  /** Its label; with the column's name where two fields have one label. */
  readonly heading: string;
  /** Whether what stands in it is taken when the file comes back. */
  readonly isTaken: boolean;
}

/** The heading of the column in which each row's mark stands. */
export const markHeading = "quill.row";

/** Stands before a mark: a signature may begin with a sign that a spreadsheet takes for a formula's. */
const markSign = "row:";

/** A row's token as its cell has it. */
export const markCell = (token: string): string => `${markSign}${token}`;

/** The token in a cell of the marks' column; null where it holds none. */
export const tokenIn = (cell: string): string | null => {
  const text = cell.trim();
  return text.startsWith(markSign) ? text.slice(markSign.length) : null;
};

/** Whether what may be chosen is no list that is the same for all records: it can't be told by a label alone. */
const isSearched = ({ choices }: Field): boolean =>
  choices?.from === "table" && (choices.by === "search" || (choices.where?.formColumns.length ?? 0) > 0);

/** The fields of a page as columns: all but files, what is not shown, and what is on the form of some records only. */
export const spreadsheetColumns = memoizePerPage((page): readonly SpreadsheetColumn[] => {
  const fields = page.fields.filter(
    ({ control, hidden, when, column }) =>
      !controlKind(control).isGroup && control !== "file" && !hidden && !column.sensitive && when === null,
  );
  return fields.map((field) => {
    const isAlone = fields.filter(({ label }) => label === field.label).length === 1;
    const label = isAlone ? field.label : `${field.label} (${field.column.name})`;
    const isTaken = !field.readOnly && !isSearched(field);
    return { field, heading: isTaken ? label : word(page.language, "not-taken-back", { label }), isTaken };
  });
});

/** A page with the fields of those columns only: what is loaded of a record that came back in a file. */
export const filePage = memoizePerPage(
  (page): Page => ({ ...page, fields: spreadsheetColumns(page).map(({ field }) => field) }),
);

/** A page whose list has those columns, with what the form of each row needs. */
export const spreadsheetPage = memoizePerPage((page): Page => {
  const columns = spreadsheetColumns(page).map(
    ({ field: { column, label, choices } }): ListColumn => ({
      column,
      label,
      choices: choices?.from === "table" && (choices.where?.formColumns.length ?? 0) === 0 ? choices : null,
      sortable: false,
    }),
  );
  const search = page.list.search ?? page.list.columns.map(({ column }) => column);
  const edit = spreadsheetColumns(page).flatMap(({ field, isTaken }) => (isTaken ? [field.column.name] : []));
  return { ...page, list: { ...page.list, columns, search, edit, beside: false } };
});
