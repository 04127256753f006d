import type { Language } from "../messages/messages.js";
import type { Stored } from "../postgres/statement.js";
import type { Column } from "../table/model.js";
import { type ReadValue, readValue } from "../values/read-value.js";
import { type Control, controlKind } from "./index.js";

/** What a control holds: the element that can show the stored value whole, and its text. */
export interface Shown {
  readonly control: Control;
  readonly text: string;
}

/** The control that keeps a text: the wanted one, or the plainest that does. */
export const keeping = (wanted: Control, text: string): Control =>
  [wanted, "text" as const].find((control) => controlKind(control).keeps(text)) ?? "multi-line";

/**
 * Chooses the control that can show a stored value without losing any of it, and what it holds.
 *
 * @param stored PostgreSQL's text form, in UTC where it has a time zone
 * @param page the IANA name of its time zone, and its language
 */
export function show(
  { control, column, hidden }: { readonly control: Control; readonly column: Column; readonly hidden?: boolean },
  stored: Stored,
  { timeZone, language }: { readonly timeZone: string; readonly language: Language },
): Shown {
  const kind = controlKind(control);
  if (stored === null || hidden) return { control, text: kind.empty ?? "" };
  const text = kind.textOf?.(stored, column, timeZone, language) ?? stored;
  return { control: keeping(control, text), text };
}

/** A typed text as a value of its column. */
export function readText(
  { control, column }: { readonly control: Control; readonly column: Column },
  text: string,
  { timeZone, language }: { readonly timeZone: string; readonly language: Language },
): ReadValue {
  const kind = controlKind(control);
  return (
    kind.read?.(text, column, timeZone, language) ??
    readValue(column.type, kind.valueText?.(text, column) ?? text, timeZone, language)
  );
}

/**
 * The text of a control as it is the same before and after a browser's form submission: line breaks as LF (HTML, 4.10.21.4
 * sends CR LF), the rest as the control does it. The digest of a field is taken of this.
 */
export function normal(control: Control, text: string): string {
  const lines = text.replaceAll(/\r\n?/g, "\n");
  return controlKind(control).normal?.(lines) ?? lines;
}

/**
 * What is kept of a field to know later whether it is stored as it was: what its control shows; of one that shows nothing, what is
 * stored, which is longer than what a token keeps as it is.
 */
export function comparable(
  field: { readonly control: Control; readonly column: Column; readonly hidden?: boolean },
  stored: Stored,
  page: { readonly timeZone: string; readonly language: Language },
): string {
  if (field.hidden) return `stored and not shown: ${stored === null ? "nothing" : `"${stored}"`}`;
  const shown = show(field, stored, page);
  return normal(shown.control, shown.text);
}
