import { type Language, languages, word } from "../messages/messages.js";
import type { Page } from "../page/page.js";
import type { Row, Stored } from "../postgres/statement.js";
import { fillTemplate, type Template } from "../settings/bound/template.js";
import { type Column, columnOf } from "../table/model.js";
import { inLanguage } from "../values/in-language.js";
import { inZone } from "../values/in-zone.js";
import { endsOf, rangeKind, toldEnds } from "../values/range.js";
import { sizeIn, toldSize } from "../values/stamp.js";

/**
 * A stored value as a title, a sentence or a list tells it: a moment in the page's time zone, to the second; numbers, days, yes and no in
 * the page's language.
 */
export function told(page: Pick<Page, "language" | "timeZone">, column: Column, stored: Stored): Stored {
  const isMoment = column.type.kind === "timestamptz" || column.type.kind === "timestamp";
  // Fractions of a second are for programs: people read past them.
  return toldWhole(page, column, isMoment ? (stored?.replace(/(:\d\d)\.\d+/, "$1") ?? null) : stored);
}

function toldWhole(
  { language, timeZone }: Pick<Page, "language" | "timeZone">,
  column: Column,
  stored: Stored,
): Stored {
  if (stored === null) return null;
  if (column.sensitive) return word(language, "not-shown");
  if (column.stamped) {
    const size = sizeIn(stored);
    return size === null ? stored : toldSize(size, language);
  }
  switch (column.type.kind) {
    case "timestamptz":
      return isolated(inLanguage("timestamptz", inZone(stored, timeZone) ?? stored, language), language);
    case "timestamp":
      return isolated(inLanguage("timestamp", stored, language), language);
    case "boolean":
      return word(language, stored === "true" ? "yes" : "no");
    default:
      return toldRange({ language, timeZone }, column, stored) ?? inLanguage(column.type.kind, stored, language);
  }
}

/** A range by its two ends, of which the last day or number is in it; null for any other value, and for a range that has others. */
function toldRange(page: Pick<Page, "language" | "timeZone">, column: Column, stored: string): string | null {
  const kind = rangeKind(column.type);
  const ends = kind && endsOf(kind, stored);
  if (!ends) return null;
  const end = (value: string | null): string => told(page, { ...column, type: { ...column.type, kind } }, value) ?? "";
  return toldEnds(end(ends.from), end(ends.until));
}

/** The same for other programs: numbers, days and ranges as PostgreSQL writes them. */
export const toldPlainly = (page: Pick<Page, "language" | "timeZone">, column: Column, stored: Stored): Stored =>
  rangeKind(column.type) && !column.sensitive
    ? stored
    : toldWhole(column.type.kind === "boolean" ? page : { ...page, language: "en" }, column, stored);

/** A template of a page filled with the values of a record. */
export const renderTemplate = (page: Page, template: Template, row: Row): string =>
  fillTemplate(template, (name) => {
    const [column, stored] = [columnOf(page.table, name), row[name] ?? null];
    return column ? told(page, column, stored) : stored;
  });

/** What is read from left to right, in a sentence that may be read from right to left (Unicode, UAX 9, 2.4.2). */
const isolated = (text: string, language: Language): string =>
  languages[language].direction === "rtl" ? `\u2066${text}\u2069` : text;

/** A moment of the log, to the second, in the page's time zone, which is named. */
export function toldMoment({ language, timeZone }: Pick<Page, "language" | "timeZone">, stored: string): string {
  const whole = stored.replace(/(:\d\d)\.\d+/, "$1");
  const local = inLanguage("timestamptz", inZone(whole, timeZone) ?? whole, language);
  return isolated(`${local} ${timeZone === "UTC" ? "UTC" : `(${timeZone})`}`, language);
}

/** Whether a column holds days or moments. */
export const isDated = ({ type }: Column): boolean => ["date", "timestamp", "timestamptz"].includes(type.kind);

/** The machine's form of a day or a moment that is told, fractions included (HTML, 4.5.16); null for any other value. */
export function datetimeOf(column: Column, stored: Stored): string | null {
  if (stored === null || !isDated(column)) return null;
  const match = /^(\d{4}-\d\d-\d\d)(?: (\d\d:\d\d:\d\d(?:\.\d+)?))?(\+00)?$/.exec(stored);
  if (!match) return null;
  const [, day = "", time, zone] = match;
  return time === undefined ? day : `${day}T${time}${zone ? "Z" : ""}`;
}
