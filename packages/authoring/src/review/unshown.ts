import type { Field, Page } from "@loyal-quill/core/page/page";
import { quoted, quotedTable, type Statement } from "@loyal-quill/core/postgres/statement";

/** At most this many are counted of one field. */
export const mostUnshown = 1000;

const outOfCalendar = (column: string): string =>
  `(NOT isfinite(${column}) OR ${column} < '0001-01-01' OR ${column} >= '10000-01-01')`;

/** Which stored values a field's control can't hold whole (see controls/show.ts); null where it holds all of its type. */
function unshown({ control, column }: Field): string | null {
  const name = `t.${quoted(column.name)}`;
  switch (control) {
    case "text":
    case "number":
      return ["text", "json", "other", "enum"].includes(column.type.kind) ? `${name}::text ~ '[\\n\\r]'` : null;
    case "date":
      return outOfCalendar(name);
    case "date-time":
      return `(${outOfCalendar(name)} OR extract(microseconds FROM ${name})::bigint % 1000 <> 0)`;
    default:
      return null;
  }
}

/** Counts the stored values that a field's control can't show, up to {@link mostUnshown} + 1; null where there can be none. */
export function unshownStatement(page: Page, field: Field): Statement | null {
  const where = unshown(field);
  if (where === null) return null;
  return {
    purpose: "what a control can't show",
    text: `SELECT count(*)::text AS "count" FROM (SELECT FROM ${quotedTable(page.table)} AS t WHERE ${where} LIMIT ${mostUnshown + 1}) AS f`,
    values: [],
  };
}
