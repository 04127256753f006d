import { tokenName } from "@loyal-quill/core/page/names";
import { findTable } from "@loyal-quill/core/table/find-table";
import { type Catalog, type Column, type Table, tableName, type Unusable } from "@loyal-quill/core/table/model";

export const mayChange = (column: Column): boolean => column.written === "freely" && column.granted.update;

/** Why a table can't have a page of its own, and what would have to be done; null where it can. */
export function obstacle(table: Table): string | null {
  const [key] = table.keys;
  const unsafe = table.unsafeKeys.map((each) => `${each.constraint} is no safe key: ${each.because}`);
  if (!key)
    return unsafe.length > 0
      ? `it needs a primary key; ${unsafe.join("; ")}`
      : "it needs a primary key, or a unique set of columns of which none may be null";
  const odd = key.columns.find((name) => /[{}]/.test(name));
  if (odd !== undefined) return `the key's column "${odd}" has a brace in its name, which an address can't carry`;
  if (!table.granted.update)
    return "this connection may not update it: grant UPDATE, on the table or on the columns that people may correct";
  if (!table.columns.some(mayChange)) return "it has no column that this connection may change";
  // A name that the form or JavaScript itself has taken.
  const taken = table.columns.find(({ name }) => name === tokenName || name === "__proto__");
  if (taken) return `a column is called "${taken.name}"`;
  return null;
}

const listed = (names: readonly string[]): string =>
  names.length < 2 ? names.join("") : `${names.slice(0, -1).join(", ")} and ${names.at(-1)}`;

/** Why there is no page for one of the tables behind a view; null where there can be one. */
function obstacleBehind(name: string, catalog: Pick<Catalog, "tables" | "unusable">): string | null {
  const table = findTable(catalog.tables, name);
  if (table) return obstacle(table);
  const other = catalog.unusable.find((each) => tableName(each) === name);
  return other ? unusableBecause(other, catalog) : "this connection can't see it";
}

/** Where to go instead of a view: to those of the tables behind it that can have a page. */
function insteadOf(what: string, { behind }: Unusable, catalog: Pick<Catalog, "tables" | "unusable">): string {
  if (behind.length === 0) return `${what} of no table: there is no record behind it to correct`;
  const found = behind.map((name) => ({ name, because: obstacleBehind(name, catalog) }));
  const can = found.filter(({ because }) => because === null).map(({ name }) => name);
  const [first] = found;
  if (behind.length === 1 && first)
    return first.because === null
      ? `${what} of ${first.name}: make a page for that table`
      : `${what} of ${first.name}, which can't have a page either: ${first.because}`;
  const joined = `${what} that joins ${listed(behind)}`;
  if (can.length === 0)
    return `${joined}, none of which can have a page: ${found.map(({ name, because }) => `${name}: ${because}`).join("; ")}`;
  return `${joined}: make a page for ${can.length === 1 ? `${can[0]}, the one of them that can have one` : `the one whose records people correct (${listed(can)} can have one)`}`;
}

/** Why a relation can't have a page, and where that leads. */
export function unusableBecause(relation: Unusable, catalog: Pick<Catalog, "tables" | "unusable">): string {
  switch (relation.because) {
    case "view":
      return insteadOf("a view", relation, catalog);
    case "materialized view":
      return insteadOf("a materialized view, which can't be written,", relation, catalog);
    case "foreign table":
      return "a foreign table, which has no keys here: make the page over the database that holds it";
    case "no schema":
      return `this connection may not use its schema: grant USAGE on the schema ${relation.schema}, and SELECT on the table`;
    case "some columns":
      return "this connection may read some of its columns only, and the change log needs the whole record: grant SELECT on the table";
    case "no select":
      return "this connection may not select from it: grant SELECT on the table";
  }
}
