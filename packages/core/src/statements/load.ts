import type { Facts } from "../condition/evaluate.js";
import { predicate } from "../condition/to-sql.js";
import { loadedColumns, type Page } from "../page/page.js";
import type { Column } from "../table/model.js";
import { Parameters, quoted, quotedTable, type Statement } from "./statement.js";
import { textForm } from "./text-form.js";

/** The name under which a row's version (`xmin`) travels; no column can be called so without being quoted the same way. */
export const versionName = "quill:version";

/** `t."code" = $1::text AND …`: the key is a unique and not-null set of columns, so at most one row. */
export const keyPredicate = (
  key: readonly Column[],
  values: readonly string[],
  parameters: Parameters,
  alias: string,
): string =>
  key
    .map(
      (column, index) => `${alias}.${quoted(column.name)} = ${parameters.add(values[index] ?? null, column.type.cast)}`,
    )
    .join(" AND ");

const asText = (column: Column): string => `${textForm("t", column)} AS ${quoted(column.name)}`;

/**
 * Loads one record by its key, with the page's `rows` condition in the WHERE.
 *
 * @param seen `accessible` asks with the `rows` condition; `any` asks whether the record exists at all
 */
export function loadStatement(
  page: Page,
  key: readonly string[],
  facts: Facts,
  seen: "accessible" | "any" = "accessible",
): Statement {
  const parameters = new Parameters();
  const where = [keyPredicate(page.key, key, parameters, "t")];
  if (seen === "accessible" && page.access.rows) where.push(predicate(page.access.rows, parameters, facts, "t"));
  const columns = [...loadedColumns(page).map(asText), `t.xmin::text AS ${quoted(versionName)}`];
  return {
    purpose: seen === "accessible" ? "load" : "look closer",
    text: `SELECT ${columns.join(", ")}\nFROM ${quotedTable(page.table)} AS t\nWHERE ${where.join(" AND ")}`,
    values: parameters.values,
  };
}
