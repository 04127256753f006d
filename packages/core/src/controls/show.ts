import { Temporal } from "temporal-polyfill";
import type { Control, Field } from "../page/page.js";
import type { Stored } from "../postgres/statement.js";
import { plainText } from "../values/local-time.js";

/** What a control holds: the element that can show the stored value whole, and its text. */
export interface Shown {
  readonly control: Control;
  readonly text: string;
}

const isoDate = /^(?!0000)\d{4}-\d\d-\d\d$/;

/** A stored `timestamptz` (text form in UTC) as local time of a zone; with its offset where the local time alone is not enough. */
export function inZone(stored: string, timeZone: string): string | undefined {
  if (!/^\d{4}-\d\d-\d\d \d\d:\d\d:\d\d(\.\d{1,6})?\+00$/.test(stored)) return undefined;
  const instant = Temporal.Instant.from(stored.replace(" ", "T").replace(/\+00$/, "Z"));
  const zoned = instant.toZonedDateTimeISO(timeZone);
  const local = zoned.toPlainDateTime();
  if (local.year < 1 || local.year > 9999) return undefined;
  const text = plainText(local);
  return isAmbiguous(local, timeZone) ? `${text}${zoned.offset}` : text;
}

/** Whether a local time happens twice in its zone: when the clocks go back. */
function isAmbiguous(local: Temporal.PlainDateTime, timeZone: string): boolean {
  const earlier = local.toZonedDateTime(timeZone, { disambiguation: "earlier" });
  const later = local.toZonedDateTime(timeZone, { disambiguation: "later" });
  return earlier.epochNanoseconds !== later.epochNanoseconds;
}

/**
 * Whether a control keeps a text as it is: a single-line control drops line breaks (HTML, 4.10.5.1.2), a date control every
 * text that is no date of its form (4.10.5.1.7, 4.10.5.1.11).
 */
export function keeps(control: Control, text: string): boolean {
  switch (control) {
    case "text":
    case "number":
      return !/[\r\n]/.test(text);
    case "date":
      return text === "" || isoDate.test(text);
    case "date-time":
      return text === "" || /^(?!0000)\d{4}-\d\d-\d\dT\d\d:\d\d(:\d\d(\.\d{1,3})?)?$/.test(text);
    case "multi-line":
    case "check-box":
    case "choice":
      return true;
  }
}

/** The control that keeps a text: the wanted one, or the plainest that does. */
export const keeping = (wanted: Control, text: string): Control =>
  [wanted, "text" as const].find((control) => keeps(control, text)) ?? "multi-line";

/** What the control would like to show: a date-time with its `T`, in the page's time zone. */
function wantedText(control: Control, column: Field["column"], stored: string, timeZone: string): string {
  if (control !== "date-time") return stored;
  const local = column.type.kind === "timestamptz" ? (inZone(stored, timeZone) ?? stored) : stored;
  const dateTime = local.replace(" ", "T");
  return keeps("date-time", dateTime) ? dateTime : local;
}

/**
 * Chooses the control that can show a stored value without losing any of it, and what it holds.
 *
 * @param stored PostgreSQL's text form, in UTC where it has a time zone
 * @param timeZone IANA name
 */
export function show(field: Pick<Field, "control" | "column">, stored: Stored, timeZone: string): Shown {
  const { control, column } = field;
  if (stored === null) return { control, text: control === "check-box" ? "false" : "" };
  const text = wantedText(control, column, stored, timeZone);
  return { control: keeping(control, text), text };
}

/**
 * The text of a control as it is the same before and after a browser's form submission: line breaks as LF (HTML, 4.10.21.4
 * sends CR LF), a date-time without what a browser adds or drops. The digest of a field is taken of this.
 */
export function normal(control: Control, text: string): string {
  const lines = text.replaceAll(/\r\n?/g, "\n");
  if (control !== "date-time") return lines;
  const match = /^(\d{4,}-\d\d-\d\d)[T ](\d\d:\d\d)(?::(\d\d)(?:\.(\d+))?)?$/.exec(lines.trim());
  if (!match) return lines;
  const fraction = (match[4] ?? "").replace(/0+$/, "");
  return `${match[1]}T${match[2]}:${match[3] ?? "00"}${fraction ? `.${fraction}` : ""}`;
}
