import { message, word } from "../../messages/messages.js";
import type { Page } from "../../page/page.js";
import type { SpreadsheetColumn } from "../../page/spreadsheet.js";
import type { Stored } from "../../postgres/statement.js";
import type { Bound } from "../../rules/bound.js";
import { demandsOf, type Rule } from "../../rules/rule.js";
import { labelOf } from "../../spreadsheet/cells.js";
import type { SheetCell, SheetColumn, SheetDemand } from "../../spreadsheet/sheet.js";
import { completeOffers } from "../../steps/offer.js";
import type { Kind } from "../../table/model.js";
import type { Trip } from "../../trip/trip.js";
import { orderOf } from "../../values/order.js";
import type { Offers } from "../../views/form-view.js";

/* What a spreadsheet is told of a page's columns: how their cells are shown, and what it lets be typed. The page judges all of it anew. */

/** The lists of choices with the labels of values that are stored and not offered any more. @param valuesOf those of a column */
export function withStored(
  trip: Trip,
  lists: Offers,
  valuesOf: (column: string) => readonly Stored[],
): Promise<Offers> {
  const fields = trip.page.fields.filter(({ column }) => lists.has(column.name));
  return completeOffers({ ...trip, page: { ...trip.page, fields } }, lists, { get: valuesOf });
}

const texts: ReadonlySet<Kind> = new Set(["text", "enum", "json", "other", "uuid"]);

/** Whether a column's cells hold what people have typed. */
export const isTextColumn = ({ field: { choices, column } }: SpreadsheetColumn): boolean =>
  choices !== null || texts.has(column.type.kind);

const plainNumber = /^-?\d+(\.\d+)?$/;

/** A spreadsheet keeps 15 digits of a number (IEEE 754). */
const isExact = (text: string): boolean =>
  plainNumber.test(text) && text.replaceAll(/[-.]/g, "").replace(/^0+/, "").length <= 15;

/** A stored number or moment as a spreadsheet's own, where it can hold it. */
export function realOf(kind: Kind, stored: string, shown: string): SheetCell["real"] {
  if ((kind === "integer" || kind === "decimal") && isExact(stored)) return Number(stored);
  if (kind === "float" && Number.isFinite(Number(stored)) && stored.trim() !== "" && isExact(stored))
    return Number(stored);
  if (kind !== "date" && kind !== "timestamp" && kind !== "timestamptz") return undefined;
  // As it is shown, in the page's time zone; days before March of 1900 are counted in two ways.
  const [, day, time = "00:00"] = /^(\d{4}-\d\d-\d\d)(?:[T ](\d\d:\d\d(?::\d\d(?:\.\d{1,3})?)?))?$/.exec(shown) ?? [];
  if (day === undefined || day < "1900-03-01") return undefined;
  const real = new Date(`${day}T${time.length === 5 ? `${time}:00` : time}Z`);
  return Number.isNaN(real.getTime()) ? undefined : real;
}

const formats: Partial<Record<Kind, string>> = {
  integer: "0",
  date: "yyyy-mm-dd",
  timestamp: "yyyy-mm-dd hh:mm:ss",
  timestamptz: "yyyy-mm-dd hh:mm:ss",
};

function formatOf(column: SpreadsheetColumn): string {
  const { kind, scale } = column.field.column.type;
  if (isTextColumn(column) || kind === "boolean" || kind === "time") return "@";
  if (kind === "decimal" && scale !== null && scale > 0) return `0.${"0".repeat(Math.min(scale, 15))}`;
  return formats[kind] ?? "General";
}

/** The narrowest bound of the rules that hold for every record. */
function boundOf(rules: readonly Rule[], name: "min" | "max", kind: Kind): string | null {
  const bounds = demandsOf<Bound>(rules, { name }).flatMap(({ when, demand }) =>
    when === null && plainNumber.test(demand.bound) ? [demand.bound] : [],
  );
  const order = name === "min" ? 1 : -1;
  return bounds.reduce<string | null>(
    (narrowest, each) => (narrowest === null || orderOf(each, narrowest, kind) === order ? each : narrowest),
    null,
  );
}

/** What a spreadsheet lets be typed, and what it says otherwise; null where everything is. */
function demandOf(page: Page, { field }: SpreadsheetColumn, lists: Offers): [SheetDemand, string] | null {
  const { column, label, rules, choices } = field;
  const { kind } = column.type;
  const { language } = page;
  const options = lists.get(column.name)?.options;
  if (choices !== null) {
    if (!options) return null;
    const labels = options.map(({ value }) => labelOf(options, value) ?? value);
    return [{ is: "choice", options: labels }, message(language, "not-on-offer", { label })];
  }
  if (kind === "boolean")
    return [
      { is: "choice", options: [word(language, "yes"), word(language, "no")] },
      message(language, "not-yes-or-no", { label }),
    ];
  if (kind === "integer" || kind === "decimal" || kind === "float") {
    const [least, most] = [boundOf(rules, "min", kind), boundOf(rules, "max", kind)];
    const said = message(language, kind === "integer" ? "not-an-integer" : "not-a-number", { label });
    const range = least !== null && most !== null ? ` (${least} – ${most})` : "";
    return [{ is: kind === "integer" ? "whole" : "decimal", least, most }, `${said}${range}`];
  }
  if (kind !== "text") return null;
  const lengths = demandsOf<number>(rules, { name: "max-length" }).flatMap((each) => (each.when ? [] : [each.demand]));
  if (lengths.length === 0) return null;
  const most = Math.min(...lengths);
  return [{ is: "length", most }, word(language, "cell-length", { label, limit: most })];
}

const widths: Partial<Record<Kind, number>> = {
  integer: 10,
  decimal: 12,
  float: 12,
  boolean: 8,
  date: 12,
  timestamp: 20,
  timestamptz: 20,
};

/** A column as a spreadsheet has it. */
export function sheetColumn(page: Page, column: SpreadsheetColumn, lists: Offers): SheetColumn {
  const { field, heading, isTaken } = column;
  const { kind } = field.column.type;
  const [demand, refusal] = (isTaken && demandOf(page, column, lists)) || [null, ""];
  const isNeeded = field.rules.some(({ rule, when }) => rule === "required" && when === null);
  const width = field.choices === null ? (widths[kind] ?? 28) : 20;
  return {
    heading,
    isOpen: isTaken,
    note: field.help,
    format: formatOf(column),
    width: Math.max(width, Math.min(heading.length + 2, 40)),
    demand,
    refusal,
    mayBeEmpty: !isNeeded,
  };
}
