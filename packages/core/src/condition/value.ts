import type { Stored } from "../postgres/statement.js";
import type { Column } from "../table/model.js";
import { inZone } from "../values/in-zone.js";
import { expressionValue } from "./evaluate.js";
import type { ValueExpression } from "./expression.js";
import type { Facts } from "./facts.js";

/**
 * What an expression over `actor` and `now` gives for a column, in PostgreSQL's text form: a moment is the local time, or the day, of the
 * page's zone where the column has no zone of its own.
 */
export function givenValue({ expression }: ValueExpression, column: Column, facts: Facts, timeZone: string): Stored {
  const value = expressionValue(expression, facts);
  if (value === null) return null;
  const { kind } = column.type;
  const isMoment = /^\d{4}-\d\d-\d\d \d\d:\d\d:\d\d\.\d{3}\+00$/.test(value);
  if (!isMoment || kind === "timestamptz") return value;
  const local = inZone(value, timeZone)?.replace(/[+-]\d\d(:\d\d)?$/, "") ?? value;
  return kind === "date" ? local.slice(0, 10) : kind === "timestamp" ? local : value;
}
