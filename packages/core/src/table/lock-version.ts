import type { Column } from "./model.js";

const certain = /^(lock_?version|row_?version|opt(imistic)?_?lock(_?version)?)$/i;

/**
 * Whether a column is a version number by which another application notices that somebody else has changed a record (optimistic locking): each save has
 * to increment it.
 */
export const isLockVersion = ({ name, type }: Pick<Column, "name" | "type">): boolean =>
  type.kind === "integer" && certain.test(name);

/** The same of a column whose name may also say something else: `version`. */
export const mayBeLockVersion = (column: Pick<Column, "name" | "type" | "nullable">): boolean =>
  isLockVersion(column) || (column.type.kind === "integer" && !column.nullable && /^version$/i.test(column.name));

/** What a page sets such a column to: one more, and where the table gives none to a new record, 0. */
export const incremented = ({
  name,
  nullable,
  default: given,
}: Column): string | { readonly to: string; readonly on: "save" } =>
  nullable || given === null ? `form.${name} == null ? 0 : form.${name} + 1` : { to: `form.${name} + 1`, on: "save" };
