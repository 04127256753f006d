import type { Facts } from "../condition/facts.js";
import { predicate } from "../condition/to-sql.js";
import type { Page } from "../page/page.js";
import { Parameters, quoted, quotedTable, type Statement } from "../postgres/statement.js";
import { textForm } from "../postgres/text-form.js";
import { labelOf } from "./find-choices.js";
import { containing, toldText } from "./search.js";

/** The name under which a part of a row's key travels, by its place: a column's own name may be as long as a name can be. */
export const keyPartName = (index: number): string => `quill:key ${index}`;

/** The name under which travels whether a row meets the page's `edit` condition, where it has one. */
export const editableName = "quill:editable";

/** Records on one page of a list. */
export const listLength = 50;

/**
 * The records that the actor may see, sorted and cut into pages of {@link listLength}.
 *
 * @param search words that must all occur in what the list's columns show, without regard to case; empty for all
 * @param part which part of the list, from 0; one row more than a part holds is asked for, to know whether there is another
 */
export function listStatement(page: Page, facts: Facts, search: string, part: number): Statement {
  const parameters = new Parameters();
  const columns: string[] = [];
  const joins: string[] = [];
  const searched: string[] = [];
  for (const [index, column] of page.key.entries())
    columns.push(`${textForm("t", column)} AS ${quoted(keyPartName(index))}`);
  for (const [index, each] of page.list.columns.entries()) {
    let shown = textForm("t", each.column);
    let told = (): string => toldText(page, "t", each.column, parameters);
    if (each.choices) {
      const alias = `r${index}`;
      joins.push(
        `LEFT JOIN ${quotedTable(each.choices.table)} AS ${alias} ON ${alias}.${quoted(each.choices.key.name)} = t.${quoted(each.column.name)}`,
      );
      const label = labelOf(each.choices, alias);
      shown = label;
      told = () => label;
    }
    columns.push(`${shown} AS ${quoted(each.column.name)}`);
    if (search !== "") searched.push(told());
  }
  const where: string[] = [];
  if (page.access.rows) where.push(predicate(page.access.rows, parameters, facts, "t"));
  if (search !== "") where.push(containing(searched, search, parameters));
  if (page.access.edit)
    columns.push(`((${predicate(page.access.edit, parameters, facts, "t")}) IS TRUE)::text AS ${quoted(editableName)}`);
  const { sort } = page.list;
  const order = [
    `t.${quoted(sort.column.name)}${sort.down ? " DESC" : ""}`,
    ...page.key.map((column) => `t.${quoted(column.name)}`),
  ];
  const lines = [
    `SELECT ${columns.join(", ")}`,
    `FROM ${quotedTable(page.table)} AS t`,
    ...joins,
    ...(where.length > 0 ? [`WHERE ${where.join(" AND ")}`] : []),
    `ORDER BY ${order.join(", ")}`,
    `LIMIT ${listLength + 1} OFFSET ${parameters.add(String(part * listLength), "bigint")}`,
  ];
  return { purpose: "list", text: lines.join("\n"), values: parameters.values };
}

/** How many records are offered to choose from. */
const mostRecords = 20;

/**
 * Records to choose from in the workbench: key and title, by key, whose key and title contain every word of a search. Asked for by builders
 * only, so without the page's conditions.
 */
export function recordsStatement(page: Page, search: string): Statement {
  const parameters = new Parameters();
  const names = [...new Set([...page.key.map((column) => column.name), ...page.title.columns])];
  const columns = names.map((name) => `t.${quoted(name)}::text AS ${quoted(name)}`);
  const texts = names.map((name) => `t.${quoted(name)}::text`);
  const where = search.trim() === "" ? "" : `\nWHERE ${containing(texts, search, parameters)}`;
  const order = page.key.map((column) => `t.${quoted(column.name)}`).join(", ");
  return {
    purpose: "choose a record",
    text: `SELECT ${columns.join(", ")}\nFROM ${quotedTable(page.table)} AS t${where}\nORDER BY ${order}\nLIMIT ${mostRecords}`,
    values: parameters.values,
  };
}
