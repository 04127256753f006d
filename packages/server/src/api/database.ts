import {
  connectionStatement,
  isShown,
  obstacle,
  sampleStatement,
  sizesStatement,
  unusableBecause,
} from "@loyal-quill/authoring";
import {
  answeredOr,
  type Database,
  DatabaseAway,
  DatabaseRefusal,
  findTable,
  glanceAt,
  readLogState,
  type Table,
  tableName,
} from "@loyal-quill/core";
import type { Loaded } from "@loyal-quill/runtime";
import type { EditedDatabase } from "../edited-database.js";
import type { Store } from "../store/store.js";
import type { ConnectionAnswer, DatabaseAnswer, TableAnswer, TableSummary } from "./answers/database.js";
import { columnSheet } from "./sheet.js";

const mostSampled = 8;

/** Whether a page of a table is served: then its rows are somebody's to see already. */
export const isServed = ({ pages }: Pick<Loaded, "pages">, table: Table): boolean =>
  pages.some((page) => tableName(page.table) === tableName(table));

/** The names of the pages over each table, drafts that are not published included. */
async function pagesOf(loaded: Loaded, store: Store): Promise<ReadonlyMap<string, readonly string[]>> {
  const written = (text: string): Table | undefined => {
    const name = glanceAt(text).table;
    return name === null ? undefined : findTable(loaded.catalog.tables, name);
  };
  // What is served as it is written says its table; only of what isn't the text is read.
  const files = loaded.files.map(({ name, text, page, earlier }): [string, Table | undefined] => [
    name,
    page && earlier === undefined ? page.table : written(text),
  ]);
  const drafts = (await store.drafts.all()).map(({ page, text }): [string, Table | undefined] => [page, written(text)]);
  const found = new Map<string, string[]>();
  for (const [name, table] of [...files, ...drafts]) {
    if (!table) continue;
    const names = found.get(tableName(table)) ?? [];
    if (!names.includes(name)) found.set(tableName(table), [...names, name]);
  }
  return found;
}

async function sizes(database: Database): Promise<ReadonlyMap<string, number>> {
  const rows = await answeredOr(() => database.run(sizesStatement()), [], "unanswered");
  return new Map(rows.map((row) => [`${row.schema}.${row.name}`, Number(row.bytes)]));
}

const summaryOf = (
  table: Table,
  bytes: ReadonlyMap<string, number>,
  pages: ReadonlyMap<string, readonly string[]>,
  loaded: Loaded,
): TableSummary => ({
  table: tableName(table),
  comment: table.comment,
  columns: table.columns.length,
  rows: table.rows,
  bytes: bytes.get(tableName(table)) ?? null,
  keys: table.keys.map((key) => key.columns),
  pages: pages.get(tableName(table)) ?? [],
  isServed: isServed(loaded, table),
  because: obstacle(table),
});

/** Tests a connection, and tells what it may do. */
export async function connectionAnswer({
  name,
  mount,
  database,
  pages,
  logCare,
  exchange,
}: EditedDatabase): Promise<ConnectionAnswer> {
  const { catalog, files } = pages.loaded();
  const count = (test: (table: Table) => boolean): number => catalog.tables.filter(test).length;
  const known = {
    name,
    mount,
    pages: files.length,
    replicas: pages.replicas(),
    processes: exchange.processes(),
    hears: exchange.hears,
    rights: {
      read: catalog.tables.length,
      insert: count(({ granted }) => granted.insert),
      update: count(({ granted }) => granted.update),
      delete: count(({ granted }) => granted.delete),
    },
  };
  try {
    const [[who], log] = await Promise.all([database.run(connectionStatement()), readLogState(database)]);
    return {
      ...known,
      error: null,
      user: who?.user ?? "",
      database: who?.database ?? "",
      version: who?.version ?? "",
      superuser: who?.superuser === "true",
      log: log.usable ? "usable" : log.there ? "not open to this connection" : "not there",
      logNotice: logCare.notice(),
    };
  } catch (error) {
    if (!(error instanceof DatabaseRefusal || error instanceof DatabaseAway)) throw error;
    return {
      ...known,
      error: error.message,
      user: "",
      database: "",
      version: "",
      superuser: false,
      log: "not known",
      logNotice: null,
    };
  }
}

/** The whole database: which tables have pages, which could, which can't and why. */
export async function databaseAnswer(loaded: Loaded, database: Database, store: Store): Promise<DatabaseAnswer> {
  const [bytes, pages] = await Promise.all([sizes(database), pagesOf(loaded, store)]);
  return {
    tables: loaded.catalog.tables.map((table) => summaryOf(table, bytes, pages, loaded)),
    unusable: loaded.catalog.unusable.map((each) => ({
      table: tableName(each),
      because: unusableBecause(each, loaded.catalog),
    })),
  };
}

/**
 * One table with everything that a page over it would have to know; null where there is none of that name.
 *
 * @param isSteward whether rows of it are told where no page serves it
 */
export async function tableAnswer(
  name: string,
  loaded: Loaded,
  database: Database,
  store: Store,
  isSteward: boolean,
): Promise<TableAnswer | null> {
  const table = findTable(loaded.catalog.tables, name);
  if (!table) return null;
  const columns = table.columns.filter(isShown);
  const [bytes, pages, sample] = await Promise.all([
    sizes(database),
    pagesOf(loaded, store),
    isSteward || isServed(loaded, table)
      ? answeredOr(() => database.run(sampleStatement(table, columns, mostSampled)), null, "unanswered")
      : null,
  ]);
  return {
    ...summaryOf(table, bytes, pages, loaded),
    fields: table.columns.map((column) => columnSheet(table, column)),
    unsafeKeys: table.unsafeKeys.map(({ constraint, because }) => ({ constraint, because })),
    constraints: table.constraints.map(({ constraint, definition }) => ({ constraint, definition })),
    references: table.references.map(({ columns: from, to }) => ({
      columns: from,
      to: `${to.schema}.${to.table} (${to.columns.join(", ")})`,
    })),
    dependents: table.dependents.map((each) => ({
      table: `${each.schema}.${each.table}`,
      columns: each.columns,
      onDelete: each.onDelete,
    })),
    granted: table.granted,
    sample,
  };
}
