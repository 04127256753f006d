import { message } from "../messages/messages.js";
import { type Filter, filterNames, withoutValue, withValue } from "../page/filters.js";
import type { Page } from "../page/page.js";
import type { FilterTerm } from "../statements/list-filters.js";
import type { ColumnType } from "../table/model.js";
import { readValue } from "../values/read-value.js";
import type { FilterState } from "../views/list-view.js";

/** What an address asks of a list's filters: as it was typed, with what is wrong with it, and as terms of the statement. */
export interface AskedFilters {
  readonly states: readonly FilterState[];
  readonly terms: readonly FilterTerm[];
  readonly isSound: boolean;
}

/** Days are typed as dates, whatever the column is. */
const dayType: ColumnType = {
  shown: "date",
  cast: "date",
  kind: "date",
  maxLength: null,
  precision: null,
  scale: null,
  labels: [],
};

const chosenOf = (typed: string): string | null =>
  typed === "" || typed === withoutValue || typed === withValue ? null : typed.replace(/^~~/, "~");

function readFilter(page: Page, filter: Filter, query: Readonly<Record<string, string>>): [FilterState, FilterTerm[]] {
  const { column, label, way } = filter;
  const names = filterNames(column);
  const typed = {
    is: query[names.is] ?? "",
    from: (query[names.from] ?? "").trim(),
    to: (query[names.to] ?? "").trim(),
  };
  const terms: FilterTerm[] = [];
  const problems: string[] = [];
  if (typed.is === withoutValue || typed.is === withValue)
    terms.push({ column, is: typed.is === withoutValue ? "null" : "not null" });
  const read = (text: string, type: ColumnType): string | null => {
    const result = readValue(type, text, page.timeZone, page.language);
    if (!result.ok) problems.push(message(page.language, result.code, { label }));
    return result.ok ? result.value : null;
  };
  const chosen = chosenOf(typed.is);
  if (chosen !== null && way.by !== "presence") {
    const value = read(way.by === "value" ? chosen.trim() : chosen, column.type);
    if (value !== null) terms.push({ column, is: "equal", value });
  }
  if (way.by === "range" || way.by === "days") {
    const zone = way.by === "days" ? { zone: page.timeZone } : {};
    const type = way.by === "days" ? dayType : column.type;
    for (const is of ["from", "to"] as const) {
      const value = read(typed[is], type);
      if (value !== null) terms.push({ column, is, value, ...zone });
    }
  }
  return [{ filter, typed, problem: problems[0] ?? null }, terms];
}

/** Reads what an address asks of the filters of a page's list. */
export function readFilters(page: Page, query: Readonly<Record<string, string>>): AskedFilters {
  const read = page.list.filters.map((filter) => readFilter(page, filter, query));
  return {
    states: read.map(([state]) => state),
    terms: read.flatMap(([, terms]) => terms),
    isSound: read.every(([state]) => state.problem === null),
  };
}
