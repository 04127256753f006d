import type { Facts } from "../condition/evaluate.js";
import type { Page } from "../page/page.js";
import { loadStatement, versionName } from "../statements/load.js";
import type { Database, Row } from "../statements/statement.js";

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

/** Whether there is such a record at all, seen by the actor or not: asked only to record why none was found. */
export async function exists(page: Page, key: readonly string[], facts: Facts, database: Database): Promise<boolean> {
  return (await database.run(loadStatement(page, key, facts, "any"))).length > 0;
}
