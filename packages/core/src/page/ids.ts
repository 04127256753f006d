import type { Field } from "./page.js";

/**
 * The id of a field's control: by its place on the page, since a column's name may hold what an id may not. The same field has the same
 * id in the form of every record.
 *
 * @param form what tells its form from others in one document
 */
export const idOf = ({ place }: Field, form = ""): string => `${form}field-${place + 1}`;

/** The id of a field's control in a row of a list. */
export const rowIdOf = (row: number, index: number): string => `row-${row}-${index}`;
