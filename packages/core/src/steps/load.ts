import type { Facts } from "../condition/evaluate.js";
import { loadedColumns } from "../page/columns.js";
import type { Page } from "../page/page.js";
import type { Database, Row, Stored } from "../postgres/statement.js";
import { mostOptions } from "../statements/choices.js";
import { choicesName, listedFields, loadStatement, versionName } from "../statements/load.js";
import type { Offers } from "../views/form-view.js";
import { constantLists } from "./offer.js";

/** A record as it is stored now. */
export interface Record {
  readonly row: Row;
  /** The row's version: `xmin`. */
  readonly version: string;
}

/** Loads one record, and nothing that the actor may not see. */
export async function load(
  page: Page,
  key: readonly string[],
  facts: Facts,
  database: Database,
): Promise<Record | null> {
  const [row] = await database.run(loadStatement(page, key, facts));
  return row ? { row, version: row[versionName] ?? "" } : null;
}

/** Loads one record with the lists of its form. */
export async function loadForForm(
  page: Page,
  key: readonly string[],
  facts: Facts,
  database: Database,
): Promise<{ readonly record: Record; readonly lists: Offers } | null> {
  const [found] = await database.run(loadStatement(page, key, facts, "accessible", true));
  if (!found) return null;
  const row: { [column: string]: Stored } = {};
  for (const { name } of loadedColumns(page)) row[name] = found[name] ?? null;
  const lists = new Map(constantLists(page));
  for (const [index] of listedFields(page)) {
    const pairs = JSON.parse(found[choicesName(index)] ?? "[]") as [string, string | null][];
    const name = page.fields[index]?.column.name;
    if (name === undefined || pairs.length > mostOptions) continue;
    lists.set(name, {
      options: pairs.map(([value, label]) => ({ value, label: label ?? value })),
      by: "list",
      looked: null,
    });
  }
  return { record: { row, version: found[versionName] ?? "" }, lists };
}

/** Whether there is such a record at all, seen by the actor or not: asked only to record why none was found. */
export async function exists(page: Page, key: readonly string[], facts: Facts, database: Database): Promise<boolean> {
  return (await database.run(loadStatement(page, key, facts, "any"))).length > 0;
}
