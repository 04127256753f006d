import type { Language } from "../messages/messages.js";
import type { Stored } from "../postgres/statement.js";
import type { Column } from "../table/model.js";
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
  { control, column }: { readonly control: Control; readonly column: Column },
  stored: Stored,
  { timeZone, language }: { readonly timeZone: string; readonly language: Language },
): Shown {
  const kind = controlKind(control);
  if (stored === null) return { control, text: kind.empty ?? "" };
  const text = kind.textOf?.(stored, column, timeZone, language) ?? stored;
  return { control: keeping(control, text), text };
}

/**
 * The text of a control as it is the same before and after a browser's form submission: line breaks as LF (HTML, 4.10.21.4
 * sends CR LF), the rest as the control does it. The digest of a field is taken of this.
 */
export function normal(control: Control, text: string): string {
  const lines = text.replaceAll(/\r\n?/g, "\n");
  return controlKind(control).normal?.(lines) ?? lines;
}
