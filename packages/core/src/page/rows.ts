import { memoizePerPage } from "./memoize-per-page.js";
import type { Page } from "./page.js";

/**
 * A page as it is in one row of its list: with those fields only that are edited there. Its forms are forms of the page, which take no other
 * field.
 */
export const rowPage = memoizePerPage(
  (page): Page => ({
    ...page,
    fields: page.list.edit.flatMap((name) => page.fields.find((field) => field.column.name === name) ?? []),
  }),
);

/** Before the names of the controls in a row. */
export const rowPrefix = (row: number): string => `r${row}:`;

/** A name with its row's prefix taken apart. */
export function inRow(name: string): { readonly row: number; readonly name: string } | null {
  const [, row, rest = ""] = /^r(\d{1,3}):(.+)$/s.exec(name) ?? [];
  return row === undefined ? null : { row: Number(row), name: rest };
}

/** The buttons that save one row; their value is its number. */
export const saveRowName = "quill.row";

/** The button that saves all rows. */
export const saveTogetherName = "quill.together";
