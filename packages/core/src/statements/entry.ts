import type { Page } from "../page/page.js";
import { type Column, tableName } from "../table/model.js";
import { type Parameters, quoted } from "./statement.js";
import { textForm } from "./text-form.js";

/** Who and what a change log entry names, besides the change itself. */
export interface LogNote {
  readonly actor: { readonly id: string; readonly name: string };
  readonly page: string;
  readonly pageVersion: string;
  readonly requestId: string;
}

/** A name as an SQL string literal (ISO 9075-2, 5.3): for names of the catalog only, never for a value. */
export const literal = (name: string): string =>
  name.includes("\\")
    ? ` E'${name.replaceAll("\\", "\\\\").replaceAll("'", "''")}'`
    : `'${name.replaceAll("'", "''")}'`;

/** One row of VALUES a column: position, name, text before, text after; null on the side that there is not. */
export const differences = (columns: readonly Column[], before: string | null, after: string | null): string =>
  columns
    .map((column, index) => {
      const side = (alias: string | null): string => (alias === null ? "NULL::text" : textForm(alias, column));
      return `(${index}, ${literal(column.name)}, ${side(before)}, ${side(after)})`;
    })
    .join(",\n    ");

/** The field changes of `"changed"` as a JSON array, in the order of the columns. */
export const changesArray = `json_agg(json_build_object('field', "field", 'old', "old", 'new', "new") ORDER BY "position")`;

/** A record's key as a JSON object of texts. */
export const keyObject = (page: Page, alias: string): string =>
  `jsonb_build_object(${page.key.map((column) => `${literal(column.name)}, ${textForm(alias, column)}`).join(", ")})`;

/** A whole row as a JSON object of texts. `jsonb_build_object` takes 100 arguments at most: a wider row is put together from several. */
export function rowObject(columns: readonly Column[], alias: string): string {
  const pairs = columns.map((column) => `${literal(column.name)}, ${textForm(alias, column)}`);
  const groups: string[] = [];
  for (let start = 0; start < pairs.length; start += 40)
    groups.push(`jsonb_build_object(${pairs.slice(start, start + 40).join(", ")})`);
  return groups.join(" || ");
}

/** What an entry says of the change itself, in SQL. */
export interface EntryParts {
  readonly operation: "insert" | "update" | "delete";
  readonly key: string;
  readonly newKey: string;
  /** Where the key comes from, and under which condition there is an entry. */
  readonly from: string;
}

/** The INSERT of a log entry inside a statement whose `"changed"` holds the field changes. */
export function entryInsert(page: Page, note: LogNote, parameters: Parameters, parts: EntryParts): string {
  const values = [
    parameters.add(note.actor.id, "text"),
    parameters.add(note.actor.name, "text"),
    parameters.add(note.page, "text"),
    parameters.add(note.pageVersion, "text"),
    parameters.add(tableName(page.table), "text"),
    parts.key,
    literal(parts.operation),
    `coalesce((SELECT ${changesArray}::jsonb FROM "changed"), '[]')`,
    parameters.add(note.requestId, "uuid"),
    "'page'",
    parts.newKey,
  ];
  return `INSERT INTO "quill_log"."change"
    ("actor_id", "actor_name", "page", "page_version", "table_name", "record_key", "operation", "fields", "request_id", "way", "new_key")
  SELECT ${values.join(",\n    ")}
  FROM ${parts.from}
  RETURNING ${quoted("id")}`;
}
