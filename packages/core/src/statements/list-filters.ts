import { Parameters, quoted, type Statement } from "../postgres/statement.js";
import type { Column } from "../table/model.js";

/** One thing that a filter asks of a column. */
export type FilterTerm =
  | { readonly column: Column; readonly is: "null" | "not null" }
  | { readonly column: Column; readonly is: "equal"; readonly value: string }
  /** With a zone the value is a day there, which is included as a whole. */
  | { readonly column: Column; readonly is: "from" | "to"; readonly value: string; readonly zone?: string };

/** The beginning of a day, or of the next one, as a value of the column: what an index on the column can be asked. */
function dayBound(
  { type }: Column,
  { placeholder, next, zone }: { readonly placeholder: string; readonly next: boolean; readonly zone: string },
  parameters: Parameters,
): string {
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
      const bound = dayBound(
        column,
        { placeholder: parameters.add(value, "date"), next: is === "to", zone },
        parameters,
      );
      return `${theirs} ${is === "from" ? ">=" : "<"} ${bound}`;
    }
  }
}

/** Asks PostgreSQL whether it takes what a term compares with; it touches no row. */
export function judgeTermStatement(term: FilterTerm): Statement {
  const { name, type } = term.column;
  const parameters = new Parameters();
  // What is not pulled up is not simplified away, so that the values are looked at.
  const row = `(SELECT NULL::${type.cast} AS ${quoted(name)} OFFSET 0)`;
  return {
    purpose: "judge a value",
    text: `SELECT (${filterPredicate(term, "t", parameters)})::text AS "holds" FROM ${row} AS t`,
    values: parameters.values,
  };
}
