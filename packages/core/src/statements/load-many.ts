import type { Facts } from "../condition/facts.js";
import { predicate } from "../condition/to-sql.js";
import { loadedColumns } from "../page/columns.js";
import type { Page } from "../page/page.js";
import { Parameters, quoted, quotedTable, type Statement } from "../postgres/statement.js";
import { textForm } from "../postgres/text-form.js";
import { versionName } from "./load.js";

/** The name under which a record's place among the keys travels. */
export const placeName = "quill:place";

/** Loads records by their keys, as many as the actor may see: each with its place among the keys and its version. */
export function loadManyStatement(page: Page, keys: readonly (readonly string[])[], facts: Facts): Statement {
  const parameters = new Parameters();
  const lines = keys.map(
    (key, place) =>
      `(${[place, ...page.key.map((column, part) => parameters.add(key[part] ?? null, column.type.cast))].join(", ")})`,
  );
  const names = ["place", ...page.key.map((_, part) => `k${part}`)];
  const where = page.key.map((column, part) => `t.${quoted(column.name)} = g.k${part}`);
  if (page.access.rows) where.push(predicate(page.access.rows, parameters, facts, "t"));
  const columns = [
    `g.place::text AS ${quoted(placeName)}`,
    ...loadedColumns(page).map((column) => `${textForm("t", column)} AS ${quoted(column.name)}`),
    `t.xmin::text AS ${quoted(versionName)}`,
  ];
  return {
    purpose: "load many",
    text: `SELECT ${columns.join(", ")}\nFROM (VALUES ${lines.join(", ")}) AS g(${names.join(", ")})\nJOIN ${quotedTable(page.table)} AS t ON ${where.join(" AND ")}`,
    values: parameters.values,
    plannedAnew: true,
  };
}
