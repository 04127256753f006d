import { type Database, fillTemplate, type Page, recordsStatement } from "@loyal-quill/core";
import type { RecordChoice } from "./types.js";

/** Records of a page whose key or title contains a text, by key: what the Sheet offers to choose from. */
export async function recordChoices(page: Page, database: Database, search: string): Promise<RecordChoice[]> {
  const rows = await database.run(recordsStatement(page, search.slice(0, 200)));
  return rows.map((row) => ({
    key: page.key.map((column) => row[column.name] ?? ""),
    text: fillTemplate(page.title, (name) => row[name] ?? null),
  }));
}
