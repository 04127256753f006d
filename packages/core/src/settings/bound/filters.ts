import type { TableChoices } from "../../controls/choice-source.js";
import type { Column, Kind } from "../../table/model.js";

/** How a list is filtered by a column, and what is chosen from. */
type FilterWay =
  /** One of the values that the column can have. */
  | { readonly by: "choice"; readonly labels: readonly string[] }
  | { readonly by: "yes-no" }
  /** One of a table's records, from a list of all. */
  | { readonly by: "record"; readonly choices: TableChoices }
  /** A value that is typed: there are too many to choose from. */
  | { readonly by: "value" }
  /** From one value to another, both included. */
  | { readonly by: "range" }
  /** From one day to another, both included, in the page's time zone. */
  | { readonly by: "days" }
  /** Whether there is a value at all. */
  | { readonly by: "presence" };

export interface Filter {
  readonly column: Column;
  readonly label: string;
  readonly way: FilterWay;
}

const ranged: ReadonlySet<Kind> = new Set(["integer", "decimal", "float", "date"]);

/**
 * How a list can be filtered by a column; null where it can't: by a text that is never null and has no choices, for which there is the
 * search.
 *
 * @param labels the values that the column can have, where the table lists them
 * @param choices the records that it refers to
 */
export function filterWay(
  column: Column,
  labels: readonly string[] | null,
  choices: TableChoices | null,
): FilterWay | null {
  if (labels) return { by: "choice", labels };
  if (column.type.kind === "boolean") return { by: "yes-no" };
  // What was once on offer may be stored still.
  if (choices?.by === "list" && !choices.where) return { by: "record", choices };
  if (choices) return { by: "value" };
  if (ranged.has(column.type.kind)) return { by: "range" };
  if (column.type.kind === "timestamp" || column.type.kind === "timestamptz") return { by: "days" };
  return column.nullable ? { by: "presence" } : null;
}

/** The names of a filter's controls in an address. */
export const filterNames = ({ name }: Column) => ({ is: `is.${name}`, from: `from.${name}`, to: `to.${name}` });

/** What stands in an address for records that have no value, and for those that have one. */
export const withoutValue = "~empty";
export const withValue = "~filled";

/** A value in an address: one that begins with a tilde gets another before it, as keys do (see settings/bound/path.ts). */
export const filterText = (value: string): string => (value.startsWith("~") ? `~${value}` : value);
