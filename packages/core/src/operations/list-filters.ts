import { message, word } from "../messages/messages.js";
import type { Page } from "../page/page.js";
import { isRefusedAs } from "../postgres/refusal.js";
import type { Database } from "../postgres/statement.js";
import { type Filter, filterNames, withoutValue, withValue } from "../settings/bound/filters.js";
import { type FilterTerm, judgeTermStatement } from "../statements/list-filters.js";
import type { ColumnType } from "../table/model.js";
import { readValue } from "../values/read-value.js";
import type { AskedProblem, FilterState } from "../views/list-view.js";

/** A term of the statement, with the parameter of the address that asks for it. */
interface AskedTerm {
  readonly filter: Filter;
  readonly parameter: string;
  readonly term: FilterTerm;
}

/** What an address asks of a list's filters: as it was typed, with what is wrong with it, and as terms of the statement. */
export interface AskedFilters {
  readonly states: readonly FilterState[];
  readonly terms: readonly AskedTerm[];
  readonly problems: readonly AskedProblem[];
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

function readFilter(page: Page, filter: Filter, query: Readonly<Record<string, string>>): AskedFilters {
  const { column, label, way } = filter;
  const names = filterNames(column);
  const typed = {
    is: query[names.is] ?? "",
    from: (query[names.from] ?? "").trim(),
    to: (query[names.to] ?? "").trim(),
  };
  const terms: AskedTerm[] = [];
  const problems: AskedProblem[] = [];
  const ask = (parameter: string, term: FilterTerm): void => void terms.push({ filter, parameter, term });
  if (typed.is === withoutValue || typed.is === withValue)
    ask(names.is, { column, is: typed.is === withoutValue ? "null" : "not null" });
  const read = (parameter: string, text: string, type: ColumnType): string | null => {
    const result = readValue(type, text, page.timeZone, page.language);
    if (!result.ok) problems.push({ parameter, detail: message(page.language, result.code, { label }) });
    return result.ok ? result.value : null;
  };
  const chosen = chosenOf(typed.is);
  const isRanged = way.by === "range" || way.by === "days";
  if (chosen !== null && way.by === "presence")
    problems.push({ parameter: names.is, detail: word(page.language, "filter-presence", { label }) });
  else if (chosen !== null) {
    const value = read(names.is, way.by === "value" ? chosen.trim() : chosen, column.type);
    if (value !== null) ask(names.is, { column, is: "equal", value });
  }
  for (const is of ["from", "to"] as const) {
    if (typed[is] === "") continue;
    if (!isRanged) {
      problems.push({ parameter: names[is], detail: word(page.language, "filter-no-range", { label }) });
      continue;
    }
    const zone = way.by === "days" ? { zone: page.timeZone } : {};
    const value = read(names[is], typed[is], way.by === "days" ? dayType : column.type);
    if (value !== null) ask(names[is], { column, is, value, ...zone });
  }
  return { states: [{ filter, typed, problem: problems[0]?.detail ?? null }], terms, problems };
}

/** Reads what an address asks of the filters of a page's list. */
export function readFilters(page: Page, query: Readonly<Record<string, string>>): AskedFilters {
  const read = page.list.filters.map((filter) => readFilter(page, filter, query));
  return {
    states: read.flatMap(({ states }) => states),
    terms: read.flatMap(({ terms }) => terms),
    problems: read.flatMap(({ problems }) => problems),
  };
}

/** The filters with what PostgreSQL does not take as values of their columns told as wrong: a number that is out of range, a network that is none. */
export async function judgeFilters(page: Page, asked: AskedFilters, database: Database): Promise<AskedFilters> {
  const problems = [...asked.problems];
  const wrong = new Map<Filter, string>();
  for (const { filter, parameter, term } of asked.terms) {
    try {
      await database.run(judgeTermStatement(term));
    } catch (error) {
      if (!isRefusedAs(error, "bad value", "bad statement")) throw error;
      const said = error.message.replace(/\.$/, "");
      const detail = message(page.language, "not-of-type", { label: filter.label, said });
      problems.push({ parameter, detail });
      wrong.set(filter, detail);
    }
  }
  const states = asked.states.map((state) => ({ ...state, problem: state.problem ?? wrong.get(state.filter) ?? null }));
  return { ...asked, states, problems };
}
