import { loadedColumns } from "../page/columns.js";
import type { Row, Stored } from "../postgres/statement.js";
import { mostOptions } from "../statements/find-choices.js";
import { choicesName, listedFields, loadStatement, versionName } from "../statements/load.js";
import type { Trip } from "../trip/trip.js";
import type { Offers } from "../views/form-view.js";
import { constantLists } from "./offer.js";

/** A record as it is stored now. */
export interface StoredRecord {
  readonly row: Row;
  /** The row's version: `xmin`. */
  readonly version: string;
  /** Of a new record: the columns whose values the page, another record or the address gives, and not the table. */
  readonly given?: readonly string[];
  /** The entry of the change log whose old values are put into its form. */
  readonly undoes?: string;
}

type Asking = Pick<Trip, "page" | "key" | "facts" | "dependencies">;

/** Loads one record, and nothing that the actor may not see. */
export async function load({ page, key, facts, dependencies }: Asking): Promise<StoredRecord | null> {
  const [row] = await dependencies.database.run(loadStatement(page, key, facts));
  return row ? { row, version: row[versionName] ?? "" } : null;
}

/** Loads one record with the lists of its form. */
export async function loadForForm({
  page,
  key,
  facts,
  dependencies,
}: Asking): Promise<{ readonly record: StoredRecord; readonly lists: Offers } | null> {
  const [found] = await dependencies.database.run(loadStatement(page, key, facts, "accessible", true));
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
      searched: null,
    });
  }
  return { record: { row, version: found[versionName] ?? "" }, lists };
}

/** Whether there is such a record at all, seen by the actor or not: asked only to record why none was found. */
export async function exists({ page, key, facts, dependencies }: Asking): Promise<boolean> {
  return (await dependencies.database.run(loadStatement(page, key, facts, "any"))).length > 0;
}
