import type { Column } from "../table/model.js";
import { quoted } from "./statement.js";

/**
 * A column's value as people read it. A cast gives PostgreSQL's own text form for every type but `inet`, where it adds the
 * prefix length of a single host that nobody typed (PostgreSQL documentation, 9.12: `text(inet)` and `abbrev(inet)`).
 *
 * @param alias the table's alias, quoted where it needs to be
 */
export const textForm = (alias: string, column: Column): string => castText(`${alias}.${quoted(column.name)}`, column);

/** What stands for a file (see `values/stamp.ts`); NULL for none. */
function stampOf(expression: string, { type }: Column): string {
  const bytes = type.kind === "text" ? `convert_to(${expression}, 'UTF8')` : expression;
  return `('sha256:' || encode(sha256(${bytes}), 'hex') || ':' || octet_length(${expression}))`;
}

/**
 * The same for any expression of the column's type. Of a text whose collation is not deterministic it is one that is, by which it can be
 * searched and told from others that are written otherwise.
 */
export const castText = (expression: string, column: Column): string =>
  column.stamped
    ? stampOf(expression, column)
    : column.type.cast === "inet"
      ? `abbrev(${expression})`
      : column.type.folded
        ? `(${expression}::text COLLATE "default")`
        : `${expression}::text`;
