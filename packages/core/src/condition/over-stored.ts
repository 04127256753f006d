import type { Condition, Expression } from "./expression.js";

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
