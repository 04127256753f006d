import { Parameters, type Statement, type Stored } from "../postgres/statement.js";
import type { Column } from "../table/model.js";

/** Asks PostgreSQL whether it takes a text as a value of a column's own type, domain included; it touches no row. */
export function judgeStatement(column: Column, value: Stored): Statement {
  const parameters = new Parameters();
  return {
    purpose: "judge a value",
    text: `SELECT ${parameters.add(value, column.type.shown)}::text AS "value"`,
    values: parameters.values,
  };
}
