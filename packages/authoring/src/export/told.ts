import { word } from "@loyal-quill/core/messages/messages";
import type { Page } from "@loyal-quill/core/page/page";
import { takenBy } from "./parts.js";
import { member, quote } from "./source.js";

/** A stored value as people read it, as an expression over a record. */
export function toldCode(page: Page, record: string, name: string): string {
  const column = page.table.columns.find((each) => each.name === name);
  const value = member(record, name);
  if (!column) return value;
  if (column.sensitive) return `(${value} === null ? "–" : ${quote(word(page.language, "not-shown"))})`;
  const kind = column.type.kind;
  const dash = column.nullable ? ' ?? "–"' : "";
  if (kind === "boolean")
    return `(${value} === "true" ? ${quote(word(page.language, "yes"))} : ${quote(word(page.language, "no"))})`;
  if (kind === "timestamptz") return `toldMoment(${value})`;
  // Fractions of a second are for programs.
  if (kind === "timestamp")
    return `${column.nullable ? `(${value}?` : value}.replace(/\\.\\d+/, "")${column.nullable ? `${dash})` : ""}`;
  return column.nullable ? `(${value}${dash})` : value;
}

/** Whether the page tells a moment in its time zone. */
export const tellsMoments = (page: Page, fixed = page.fields.filter(({ readOnly }) => readOnly)): boolean =>
  [page.title, page.answer.message].some((template) =>
    template?.columns.some(
      (name) => page.table.columns.find((column) => column.name === name)?.type.kind === "timestamptz",
    ),
  ) ||
  fixed.some(({ column }) => column.type.kind === "timestamptz") ||
  takenBy(page).some(({ column }) => column.type.kind === "timestamptz");
