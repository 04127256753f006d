import { filterNames } from "../settings/bound/filters.js";
import { memoizePerPage } from "./memoize-per-page.js";
import { everywhereName, keyName, straightName } from "./names.js";
import type { Page } from "./page.js";

/** The names by which an address says how a page's list is looked at. */
const namesOf = memoizePerPage((page): readonly string[] => [
  "q",
  "sort",
  "after",
  "before",
  "last",
  everywhereName,
  ...page.list.filters.flatMap(({ column }) => Object.values(filterNames(column))),
]);

/** All names that an address of a page's list may have: those, and the keys that are gone to. */
export const listNames = memoizePerPage(
  (page): ReadonlySet<string> =>
    new Set([
      ...namesOf(page),
      straightName,
      ...(page.key.length === 1 ? [keyName] : []),
      ...page.key.map(({ name }) => `go.${name}`),
    ]),
);

/**
 * What of an address says how its page's list was looked at: words, filters, order and place. It goes along to a record's form and back, so
 * that nobody loses their place.
 */
export function listQuery(page: Page, query: Readonly<Record<string, string>>): Readonly<Record<string, string>> {
  const kept: Record<string, string> = {};
  if (Object.keys(query).length === 0) return kept;
  // A form sends its empty controls as well; the ways to the last part and to what is found everywhere have no value.
  for (const name of namesOf(page)) {
    const value = Object.hasOwn(query, name) ? query[name] : undefined;
    if (value !== undefined && (value !== "" || name === "last" || name === everywhereName)) kept[name] = value;
  }
  return kept;
}
