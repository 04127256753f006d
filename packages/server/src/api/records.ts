import { extremesStatement, neighbourStatement } from "@loyal-quill/authoring";
import {
  type Actor,
  type Database,
  factsOf,
  keyPartName,
  listStatement,
  type Page,
  type Row,
  recordsStatement,
  renderTemplate,
} from "@loyal-quill/core";
import type { RecordChoice } from "./answers/sheet.js";

const choice = (page: Page, row: Row): RecordChoice => ({
  key: page.key.map((column) => row[column.name] ?? ""),
  text: renderTemplate(page, page.title, row),
});

/** Records of a page whose key or title contains a text, by key: what the Sheet offers to choose from. */
export async function recordChoices(page: Page, database: Database, search: string): Promise<RecordChoice[]> {
  const rows = await database.run(recordsStatement(page, search.slice(0, 200)));
  return rows.map((row) => choice(page, row));
}

/** Records of a page at its extremes: the longest text, the oldest, the emptiest. */
export async function extremeRecords(page: Page, database: Database): Promise<RecordChoice[]> {
  const statement = extremesStatement(page);
  if (!statement) return [];
  const rows = await database.run(statement);
  return rows.map((row) => ({ ...choice(page, row), extreme: row["quill:extreme"] ?? "" }));
}

/** The key of the record after or before another one; null at the end, and where there is no such record. */
export async function neighbour(
  page: Page,
  database: Database,
  key: readonly string[],
  by: 1 | -1,
): Promise<readonly string[] | null> {
  const [row] = await database.run(neighbourStatement(page, key, by));
  return row ? page.key.map((_, index) => row[String(index)] ?? "") : null;
}

/** The beginning of a list, as far as it has values to be sorted by. */
const fromTheFirst = { withValue: true, backward: false, beyond: null };

/** The key of the first record that somebody sees in the page's list; null where they see none. */
export async function firstSeen(page: Page, database: Database, actor: Actor): Promise<readonly string[] | null> {
  // Where rows may have no value to be sorted by, the first by key is as good.
  const [first] = page.key;
  const sort = first && page.list.sort.column.nullable ? { column: first, down: false } : page.list.sort;
  const statement = listStatement(
    { page: page, facts: factsOf(actor, new Date()) },
    { search: "", filters: [], sort },
    fromTheFirst,
    { most: 1 },
  );
  const [row] = await database.run(statement);
  return row ? page.key.map((_, index) => row[keyPartName(index)] ?? "") : null;
}
