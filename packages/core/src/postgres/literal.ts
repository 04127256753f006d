import type { Stored } from "./statement.js";

/**
 * A literal of SQL (ISO 9075-2, 5.3), with an escape string where there is a backslash, so that it reads the same whatever
 * `standard_conforming_strings` says. For names of the catalog, and for statements that a person reads and runs; the values of a
 * request always travel as parameters.
 */
export function literal(value: Stored): string {
  if (value === null) return "NULL";
  const doubled = value.replaceAll("'", "''");
  return value.includes("\\") ? ` E'${doubled.replaceAll("\\", "\\\\")}'` : `'${doubled}'`;
}
