import { type Parameters, quoted } from "../postgres/statement.js";
import type { Column } from "../table/model.js";

/** One thing that a filter asks of a column. */
export type FilterTerm =
  | { readonly column: Column; readonly is: "null" | "not null" }
  | { readonly column: Column; readonly is: "equal"; readonly value: string }
  /** With a zone the value is a day there, which is included as a whole. */
  | { readonly column: Column; readonly is: "from" | "to"; readonly value: string; readonly zone?: string };

/** The beginning of a day, or of the next one, as a value of the column: what an index on the column can be asked. */
function dayBound({ type }: Column, placeholder: string, next: boolean, zone: string, parameters: Parameters): string {
  const day = next ? `(${placeholder} + 1)::timestamp` : `${placeholder}::timestamp`;
  return type.kind === "timestamptz" ? `(${day} AT TIME ZONE ${parameters.add(zone, "text")})` : day;
}

/** A filter's term as a predicate over a row. */
export function filterPredicate(term: FilterTerm, alias: string, parameters: Parameters): string {
  const { column } = term;
  const theirs = `${alias}.${quoted(column.name)}`;
  switch (term.is) {
    case "null":
      return `${theirs} IS NULL`;
    case "not null":
      return `${theirs} IS NOT NULL`;
    case "equal":
      return `${theirs} = ${parameters.add(term.value, column.type.cast)}`;
    case "from":
    case "to": {
      const { zone, value, is } = term;
      if (zone === undefined)
        return `${theirs} ${is === "from" ? ">=" : "<="} ${parameters.add(value, column.type.cast)}`;
      const bound = dayBound(column, parameters.add(value, "date"), is === "to", zone, parameters);
      return `${theirs} ${is === "from" ? ">=" : "<"} ${bound}`;
    }
  }
}
