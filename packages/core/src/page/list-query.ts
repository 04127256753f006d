import { filterNames } from "./filters.js";
import type { Page } from "./page.js";

/**
 * What of an address says how its page's list was looked at: words, filters, order and place. It goes along to a record's form and back, so
 * that nobody loses their place.
 */
export function listQuery(page: Page, query: Readonly<Record<string, string>>): Readonly<Record<string, string>> {
  const names = [
    "q",
    "sort",
    "after",
    "before",
    "last",
    ...page.list.filters.flatMap(({ column }) => Object.values(filterNames(column))),
  ];
  return Object.fromEntries(
    names.flatMap((name) => (Object.hasOwn(query, name) ? [[name, query[name] ?? ""] as const] : [])),
  );
}
