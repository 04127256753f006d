import { word } from "../messages/messages.js";
import type { Page } from "../page/page.js";
import type { Row, Stored } from "../postgres/statement.js";
import { fillTemplate, type Template } from "../settings/bound/template.js";
import { type Column, columnOf } from "../table/model.js";
import { inLanguage } from "../values/in-language.js";
import { inZone } from "../values/in-zone.js";
import { sizeIn, toldSize } from "../values/stamp.js";

/**
 * A stored value as a title, a sentence or a list tells it: a moment in the page's time zone, as its field shows it; numbers, days, yes
 * and no in the page's language.
 */
export function told(
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
      return inLanguage("timestamptz", inZone(stored, timeZone) ?? stored, language);
    case "boolean":
      return word(language, stored === "true" ? "yes" : "no");
    default:
      return inLanguage(column.type.kind, stored, language);
  }
}

/** The same for other programs: numbers and days as PostgreSQL writes them. */
export const toldPlainly = (page: Pick<Page, "language" | "timeZone">, column: Column, stored: Stored): Stored =>
  column.type.kind === "boolean" ? told(page, column, stored) : told({ ...page, language: "en" }, column, stored);

/** A template of a page filled with the values of a record. */
export const renderTemplate = (page: Page, template: Template, row: Row): string =>
  fillTemplate(template, (name) => {
    const [column, stored] = [columnOf(page.table, name), row[name] ?? null];
    return column ? told(page, column, stored) : stored;
  });

/** A moment of the log, to the second, in the page's time zone, which is named. */
export function toldMoment({ timeZone }: Pick<Page, "timeZone">, stored: string): string {
  const whole = stored.replace(/(:\d\d)\.\d+/, "$1");
  return `${inZone(whole, timeZone) ?? whole} ${timeZone === "UTC" ? "UTC" : `(${timeZone})`}`;
}
