import { controlKind } from "@loyal-quill/core/controls/index";
import type { Field, Page } from "@loyal-quill/core/page/page";
import { quoted, quotedTable, type Statement } from "@loyal-quill/core/postgres/statement";

/** At most this many are counted of one field. */
export const mostUnshown = 1000;

/** Counts the stored values that a field's control can't show, up to {@link mostUnshown} + 1; null where there can be none. */
export function unshownStatement(page: Page, field: Field): Statement | null {
  const { control, column } = field;
  const where = controlKind(control).unshown?.(`t.${quoted(column.name)}`, column) ?? null;
  if (where === null) return null;
  return {
    purpose: "what a control can't show",
    text: `SELECT count(*)::text AS "count" FROM (SELECT FROM ${quotedTable(page.table)} AS t WHERE ${where} LIMIT ${mostUnshown + 1}) AS f`,
    values: [],
  };
}
