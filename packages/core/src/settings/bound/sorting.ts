import type { Column, Kind, Table } from "../../table/model.js";

/** Up to so many rows, as PostgreSQL estimates them, anything is sorted and counted quickly. */
export const smallTable = 20_000;

export const isSmall = (table: Table): boolean => table.rows !== null && table.rows <= smallTable;

/** Kinds whose order says something to people. */
const ordered: ReadonlySet<Kind> = new Set([
  "text",
  "integer",
  "decimal",
  "float",
  "boolean",
  "date",
  "time",
  "timestamp",
  "timestamptz",
  "uuid",
  "enum",
]);

/** The columns by which rows stand in order where they are sorted by one: the key tells those apart that are alike. */
export const orderColumns = (sort: Column, key: readonly Column[]): readonly Column[] => [
  sort,
  ...key.filter((column) => column.name !== sort.name),
];

/** Kinds with so few values that the rows of one of them may be any number. */
const fewValued: ReadonlySet<Kind> = new Set(["boolean", "enum"]);

/**
 * Whether an index leads to any place of the order: it begins with the column, and goes on with the key where one value may stand in
 * many rows: those without a value are a stretch of their own in which only the key tells, and so are those of a boolean or an enum.
 */
export function isIndexed(table: Table, sort: Column, key: readonly Column[]): boolean {
  const names = orderColumns(sort, key).map((column) => column.name);
  const wanted = sort.nullable || fewValued.has(sort.type.kind) ? names : names.slice(0, 1);
  return table.indexes.some((index) => wanted.every((name, place) => index[place] === name));
}

/** Whether a list can be sorted by a column without reading all of a large table. */
export const isSortable = (table: Table, column: Column, key: readonly Column[]): boolean =>
  ordered.has(column.type.kind) && (isSmall(table) || isIndexed(table, column, key));
