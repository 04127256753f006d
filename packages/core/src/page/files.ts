import type { Field, Page } from "./page.js";

/** The field of a page that is a file in this column; undefined where there is none. */
export const fileField = (page: Page, column: string | undefined): Field | undefined =>
  page.fields.find((field) => field.control === "file" && field.column.name === column);

/** Whether a form of the page takes files, so that it is sent in parts (RFC 7578). */
export const takesFiles = (page: Page): boolean => page.fields.some(({ control }) => control === "file");
