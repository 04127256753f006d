import { type Condition, type Expression, withParts } from "./expression.js";

/** An expression with the stored row in the place of the form. */
const stored = (expression: Expression): Expression =>
  expression.op === "column" ? { ...expression, from: "row" } : withParts(expression, stored);

/**
 * A condition as it speaks of stored records: what it asks of the form, it asks of the row, as if every record were sent
 * untouched.
 */
export function overStored(condition: Condition): Condition {
  const rowColumns = [...new Set([...condition.rowColumns, ...condition.formColumns])];
  return { source: condition.source, expression: stored(condition.expression), rowColumns, formColumns: [] };
}
