import type { Stored } from "../postgres/statement.js";
import type { Column } from "../table/model.js";
import { microseconds } from "../values/instant.js";
import type { ValueType } from "./expression.js";

const number = /^[+-]?(\d{1,400}\.?\d{0,400}|\.\d{1,400})(e[+-]?\d{1,2})?$/i;
const special = /^(NaN|-?Infinity)$/;

/** Whether a text is a value of a type, for PostgreSQL and for the evaluator alike. */
function fits(text: string, type: ValueType, column: Column | undefined): boolean {
  switch (type) {
    case "integer":
      return /^[+-]?\d{1,18}$/.test(text);
    case "decimal":
    case "float":
      return number.test(text) || special.test(text);
    case "boolean":
      return text === "true" || text === "false";
    case "uuid":
      return /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i.test(text);
    case "enum":
      return column === undefined || column.type.labels.includes(text);
    case "date":
      return /^\d{4}-\d\d-\d\d$/.test(text) && microseconds(text) !== undefined;
    case "timestamp":
      return /^\d{4}-\d\d-\d\d([ T][\d:.]+)?$/.test(text) && microseconds(text) !== undefined;
    case "timestamptz":
      return /^\d{4}-/.test(text) && microseconds(text) !== undefined;
    default:
      return !text.includes("\0");
  }
}

/**
 * A value that does not come from the table, as a value of the type in which it is compared; null (unknown) where it is
 * none, so that no attribute of an actor makes a statement fail or means something else here than there.
 */
export const fitting = (value: Stored, type: ValueType, column: Column | undefined): Stored =>
  value !== null && fits(value, type, column) ? value : null;
