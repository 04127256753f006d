import * as v from "valibot";
import type { Row, Stored } from "./statement.js";

/* What statements of ours answer as JSON in a column of text: each shape is read by one parser. */

/**
 * Makes the parser of a shape.
 *
 * @param none the JSON that null stands for
 * @returns reads a column; throws a `ValiError` where it is of another shape, which is a fault of the statement
 */
export const parserOf = <Schema extends v.GenericSchema>(
  schema: Schema,
  none: string,
): ((text: Stored | undefined) => v.InferOutput<Schema>) => {
  const parse = v.parser(schema);
  return (text) => parse(JSON.parse(text ?? none));
};

// Valibot's `record` leaves out members such as "constructor", which may be a column's name.
const isRow = (given: unknown): boolean =>
  typeof given === "object" &&
  given !== null &&
  !Array.isArray(given) &&
  Object.values(given).every((value) => value === null || typeof value === "string");
export const rowShape = v.custom<Row>(isRow);
export const keyShape = v.custom<Readonly<Record<string, string>>>(
  (given) => isRow(given) && !Object.values(given as Row).includes(null),
);

/** A row, or a key, by its columns: each value in its text form. */
export const rowIn = parserOf(rowShape, "{}");

/** The key of a record, by its columns. */
export const keyIn = parserOf(keyShape, "{}");

/** A row that may not be there. */
export const rowOrNone = parserOf(v.nullable(rowShape), "null");

/** Names: of columns, tables, or whatever has one. */
export const namesIn = parserOf(v.array(v.string()), "[]");

/** The values of a row, in the order of its columns. */
export const valuesIn = parserOf(v.array(v.nullable(v.string())), "[]");

/** Numbers of columns (`pg_attribute.attnum`). */
export const numbersIn = parserOf(v.array(v.number()), "[]");
