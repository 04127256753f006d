import type { Facts } from "../condition/evaluate.js";
import type { Condition, Expression } from "../condition/expression.js";
import { predicate } from "../condition/to-sql.js";
import { keyPredicate } from "../statements/load.js";
import { Parameters, quotedTable, type Statement } from "../statements/statement.js";
import type { Column, Table } from "../table/model.js";

/** An expression with the stored row in the place of the form. */
function stored(expression: Expression): Expression {
  switch (expression.op) {
    case "column":
      return { ...expression, from: "row" };
    case "compare":
    case "and":
    case "or":
    case "arithmetic":
      return { ...expression, left: stored(expression.left), right: stored(expression.right) };
    case "in":
      return { ...expression, value: stored(expression.value), list: stored(expression.list) };
    case "some":
    case "every":
      return { ...expression, list: stored(expression.list), body: stored(expression.body) };
    case "not":
    case "is-null":
    case "size":
      return { ...expression, of: stored(expression.of) };
    case "startsWith":
    case "endsWith":
    case "contains":
      return { ...expression, of: stored(expression.of), part: stored(expression.part) };
    case "choose":
      return {
        ...expression,
        condition: stored(expression.condition),
        chosen: stored(expression.chosen),
        otherwise: stored(expression.otherwise),
      };
    case "list":
      return { ...expression, members: expression.members.map(stored) };
    default:
      return expression;
  }
}

/**
 * A condition as it speaks of stored records: what it asks of the form, it asks of the row, as if every record were sent
 * untouched.
 */
export function overStored(condition: Condition): Condition {
  const rowColumns = [...new Set([...condition.rowColumns, ...condition.formColumns])];
  return { source: condition.source, expression: stored(condition.expression), rowColumns, formColumns: [] };
}

/** Counts the rows for which a condition is true, and all rows, in one pass. */
export function admittedStatement(table: Table, condition: Condition, facts: Facts): Statement {
  const parameters = new Parameters();
  const where = predicate(overStored(condition), parameters, facts, "t");
  return {
    purpose: "count what a condition admits",
    text: `SELECT count(*) FILTER (WHERE ${where})::text AS "admitted", count(*)::text AS "rows"\nFROM ${quotedTable(table)} AS t`,
    values: parameters.values,
  };
}

/** Asks what a condition says of one record: `true`, `false`, or null where it can't be told. */
export function hereStatement(
  table: Table,
  key: readonly Column[],
  values: readonly string[],
  condition: Condition,
  facts: Facts,
): Statement {
  const parameters = new Parameters();
  const truth = predicate(overStored(condition), parameters, facts, "t");
  return {
    purpose: "hold a condition against a record",
    text: `SELECT (${truth})::text AS "here"\nFROM ${quotedTable(table)} AS t\nWHERE ${keyPredicate(key, values, parameters, "t")}`,
    values: parameters.values,
  };
}
