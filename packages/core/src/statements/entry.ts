import type { Page } from "../page/page.js";
import { perPage } from "../page/per-page.js";
import { tableName } from "../table/model.js";
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

const listDifferences = ({ table }: Page, before: string | null, after: string | null): string =>
  table.columns
    .map((column, index) => {
      const side = (alias: string | null): string => (alias === null ? "NULL::text" : textForm(alias, column));
      return `(${index}, ${literal(column.name)}, ${side(before)}, ${side(after)})`;
    })
    .join(",\n    ");

/** One row of VALUES a column: position, name, text before, text after; null on the side that there is not. */
export const differences = {
  update: perPage((page) => listDifferences(page, '"before"', '"after"')),
  insert: perPage((page) => listDifferences(page, null, '"after"')),
  delete: perPage((page) => listDifferences(page, '"gone"', null)),
};

/** The field changes of `"changed"` as a JSON array, in the order of the columns. */
export const changesArray = `json_agg(json_build_object('field', "field", 'old', "old", 'new', "new") ORDER BY "position")`;

/** A record's key as a JSON object of texts. */
export const keyObject = (page: Page, alias: string): string =>
  `jsonb_build_object(${page.key.map((column) => `${literal(column.name)}, ${textForm(alias, column)}`).join(", ")})`;

/** A row as a JSON object of texts: what an answer asks for, the key and what title and message name. `jsonb_build_object` takes 100 arguments at most: a wider row is put together from several. */
export const rowObject = {
  after: perPage((page) => listRow(page, '"after"')),
  gone: perPage((page) => listRow(page, '"gone"')),
};

function listRow({ table, key, title, answer }: Page, alias: string): string {
  const asked = new Set([...key.map(({ name }) => name), ...title.columns, ...(answer.message?.columns ?? [])]);
  const pairs = table.columns
    .filter(({ name }) => asked.has(name))
    .map((column) => `${literal(column.name)}, ${textForm(alias, column)}`);
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

/** The first values of every entry: actor's id and name, page, its version, table. */
export const whoAndWhere = (page: Page, note: LogNote, parameters: Parameters): string[] =>
  [note.actor.id, note.actor.name, note.page, note.pageVersion, tableName(page.table)].map((value) =>
    parameters.add(value, "text"),
  );

/** Where the values of a note stand in a statement. */
export interface NotePlaces {
  readonly who: readonly string[];
  readonly request: string;
}

/** Adds the values of a note to a statement's parameters. */
export const notePlaces = (page: Page, note: LogNote, parameters: Parameters): NotePlaces => ({
  who: whoAndWhere(page, note, parameters),
  request: parameters.add(note.requestId, "uuid"),
});

/** The INSERT of a log entry inside a statement whose `"changed"` holds the field changes. */
export function entryInsert(places: NotePlaces, parts: EntryParts): string {
  const values = [
    ...places.who,
    parts.key,
    literal(parts.operation),
    `coalesce((SELECT ${changesArray}::jsonb FROM "changed"), '[]')`,
    places.request,
    "'page'",
    parts.newKey,
  ];
  return `INSERT INTO "quill_log"."change"
    ("actor_id", "actor_name", "page", "page_version", "table_name", "record_key", "operation", "fields", "request_id", "way", "new_key")
  SELECT ${values.join(",\n    ")}
  FROM ${parts.from}
  RETURNING ${quoted("id")}`;
}
