import {
  type Actor,
  actorsStatement,
  beginStatement,
  changesIn,
  columnOf,
  type EntryQuery,
  endStatement,
  entriesSearched,
  findTable,
  isByIndex,
  keyIn,
  looksSecret,
  type Page,
  type Row,
  recordEntriesStatement,
  rowNowStatement,
  searchEntriesStatement,
  type Table,
  tableName,
} from "@loyal-quill/core";
import type { Loaded } from "@loyal-quill/runtime";
import type { EditedDatabase } from "../edited-database.js";
import type { ChangeAnswer, ChangesAnswer, RecordChangesAnswer } from "./answers/changes.js";
import { orderedKey } from "./pages.js";
import { referenceLabels } from "./reference-labels.js";

/** Entries in one part of a list, of a record that are read, and that are put back at once. */
export const part = 50;
export const mostPutBack = 200;
const mostOfRecord = 500;

/** What was saved at once is put back whole: an upload has so many records at most. */
const mostOfSave = 10_000;

/** The greatest number that an entry can have. */
const lastEntry = "9223372036854775807";

/** A search goes on by itself for so long, in milliseconds; then it is said how far it came. */
const searchFor = 1500;

/** Those who changed something are looked for among so many of the last entries. */
const lately = 20_000;

export type Key = Readonly<Record<string, string>>;

/** The names of the pages that somebody may open. */
type Open = ReadonlySet<string>;
export const openTo = ({ pages }: Pick<EditedDatabase, "pages">, actor: Actor): Open =>
  new Set(pages.openTo(actor, "").map(({ name }) => name));

/** An entry, as a row of one of the core's statements, as it is answered to whom some pages are open. */
export function changeOf(loaded: Loaded, row: Row, open: Open): ChangeAnswer {
  const page = row.page ?? "";
  const by = pageOf(loaded, row.table_name ?? "", keyIn(row.new_key ?? row.record_key), page);
  return {
    id: row.id ?? "",
    at: new Date(row.at ?? "").toISOString(),
    actorId: row.actor_id ?? "",
    actorName: row.actor_name ?? "",
    page,
    table: row.table_name ?? "",
    key: orderedKey(loaded, page, keyIn(row.record_key)),
    newKey: row.new_key ? orderedKey(loaded, page, keyIn(row.new_key)) : null,
    operation: row.operation ?? "",
    fields: changesIn(row.fields),
    requestId: row.request_id ?? null,
    reason: row.reason ?? null,
    way: row.way ?? "",
    origin: row.origin ? (JSON.parse(row.origin) as Record<string, string>) : null,
    undoes: row.undoes ? row.undoes.split(",") : [],
    canPutBack: by !== null && open.has(by.name),
  };
}

/** Entries that match, the newest first; where a search takes long, as far as it came. */
export async function changesFor(
  { store, pages }: Pick<EditedDatabase, "store" | "pages">,
  query: EntryQuery,
  actor: Actor,
): Promise<ChangesAnswer> {
  const open = openTo({ pages }, actor);
  const [[first], [last], people] = await Promise.all([
    store.onLog(beginStatement(query.to)),
    query.from === undefined ? [undefined] : store.onLog(endStatement(query.from)),
    store.onLog(actorsStatement(lately)),
  ]);
  const least = query.from === undefined ? 1n : BigInt(last?.end ?? lastEntry);
  const greatest = BigInt(first?.begin ?? "0");
  let begin = query.before === undefined ? greatest : BigInt(query.before) - 1n;
  if (begin > greatest) begin = greatest;
  const found: Row[] = [];
  const until = performance.now() + searchFor;
  let end = begin < least;
  while (!end && found.length <= part && performance.now() < until) {
    found.push(...(await store.onLog(searchEntriesStatement(query, String(begin), part + 1 - found.length))));
    begin -= BigInt(entriesSearched);
    end = isByIndex(query) || begin < least;
  }
  const changes = found.slice(0, part).map((row) => changeOf(pages.loaded(), row, open));
  const beyond = found.length > part ? (changes.at(-1)?.id ?? null) : end ? null : String(begin + 1n);
  return {
    changes,
    before: beyond,
    searchedAll: found.length > part || end,
    people: people.map(({ id, name }) => ({ id: id ?? "", name: name ?? "" })),
    pages: pages.loaded().pages.map(({ name }) => name),
  };
}

/** A table of the catalog; columns whose values are told to nobody are marked, by the pages that are made for it or by their names. */
export function tableOf(loaded: Loaded, name: string): Table | null {
  const table = findTable(loaded.catalog.tables, name);
  if (!table) return null;
  const made = loaded.pages.filter((page) => tableName(page.table) === name);
  const isSensitive = (column: string): boolean =>
    made.length === 0
      ? table.columns.some((each) => each.name === column && looksSecret(each))
      : made.some((page) => columnOf(page.table, column)?.sensitive === true);
  return {
    ...table,
    columns: table.columns.map((column) =>
      isSensitive(column.name) ? { ...column, sensitive: true as const } : column,
    ),
  };
}

export type Ground = Pick<EditedDatabase, "store" | "pages" | "database">;

/** A record as it is now; null where there is none, or where its table or key are none any more. */
export async function rowNow({ database }: Ground, table: Table | null, key: Key): Promise<Row | null> {
  const parts = Object.entries(key);
  if (!table || parts.length === 0 || parts.some(([name]) => !columnOf(table, name))) return null;
  const [row] = await database.run(rowNowStatement(table, parts));
  return row ?? null;
}

/** The page by which a record is edited: that of an entry where there is one, else one with the same key. */
export function pageOf(loaded: Loaded, table: string, key: Key, wanted: string): Page | null {
  const fits = (page: Page): boolean =>
    tableName(page.table) === table &&
    page.key.length === Object.keys(key).length &&
    page.key.every(({ name }) => name in key);
  return loaded.pages.find((page) => page.name === wanted && fits(page)) ?? loaded.pages.find(fits) ?? null;
}

interface RecordAsked {
  readonly table: string;
  readonly key: Key;
  /** An entry that names it by this key; null where whoever had it last is meant. */
  readonly since: string | null;
}

/**
 * Everything that the log has of a record, and the record as it is now.
 *
 * @param actor whoever asks
 */
export async function recordChanges(
  ground: Ground,
  { table, key, since }: RecordAsked,
  actor: Actor,
): Promise<RecordChangesAnswer> {
  const open = openTo(ground, actor);
  const loaded = ground.pages.loaded();
  const entries = await ground.store.onLog(recordEntriesStatement(table, key, mostOfRecord + 1, since));
  const now = entries[0]?.now_key ? keyIn(entries[0].now_key) : key;
  const found = tableOf(loaded, table);
  const row = await rowNow(ground, found, now);
  const page = pageOf(loaded, table, now, entries.find(({ way }) => way === "page")?.page ?? "");
  const changes = entries.slice(0, mostOfRecord).map((each) => changeOf(loaded, each, open));
  const isSecret = (of: Table, column: string): boolean => {
    const told = tableOf(loaded, tableName(of));
    return told === null || columnOf(told, column)?.sensitive === true;
  };
  const columns = (found?.columns ?? []).map(async ({ name, type, sensitive }) => ({
    name,
    label: page?.fields.find(({ column }) => column.name === name)?.label ?? name,
    isNumber: ["integer", "decimal", "float"].includes(type.kind),
    isTold: sensitive !== true,
    labels: found
      ? await referenceLabels(
          { page, table: found, tables: loaded.catalog.tables, database: ground.database, isSecret },
          name,
          valuesOf(name, row, changes),
        )
      : {},
  }));
  return {
    table,
    key: orderedKey(loaded, page?.name ?? "", now),
    page: page?.name ?? null,
    changes,
    more: entries.length > mostOfRecord,
    now: row,
    columns: await Promise.all(columns),
  };
}

/** The values that a column has now, or has had. */
const valuesOf = (name: string, now: Row | null, changes: readonly ChangeAnswer[]): readonly string[] =>
  [
    now?.[name],
    ...changes.flatMap(({ fields }) =>
      fields.filter(({ field }) => field === name).flatMap((each) => [each.old, each.new]),
    ),
  ].filter((value) => typeof value === "string");

/** A search for what is to be put back goes on for so long, in milliseconds. */
const searchAllFor = 10_000;

/** The entries of a search that may be put back, the newest {@link mostPutBack}, or all of one save; and whether there are, or may be, more. */
export async function entriesFor(
  ground: Ground,
  query: EntryQuery,
  actor: Actor,
): Promise<{ readonly entries: readonly string[]; readonly more: boolean }> {
  if (query.request !== undefined) {
    const rows = await ground.store.onLog(searchEntriesStatement(query, lastEntry, mostOfSave + 1));
    const open = openTo(ground, actor);
    const loaded = ground.pages.loaded();
    const found = rows.map((row) => changeOf(loaded, row, open)).filter(({ canPutBack }) => canPutBack);
    return { entries: found.slice(0, mostOfSave).map(({ id }) => id), more: rows.length > mostOfSave };
  }
  const ids: string[] = [];
  const until = performance.now() + searchAllFor;
  let before: string | null | undefined = query.before;
  while (before !== null && ids.length <= mostPutBack && performance.now() < until) {
    const answer: ChangesAnswer = await changesFor(
      ground,
      { ...query, ...(before === undefined ? {} : { before }) },
      actor,
    );
    ids.push(...answer.changes.filter(({ canPutBack }) => canPutBack).map(({ id }) => id));
    before = answer.before;
  }
  return { entries: ids.slice(0, mostPutBack), more: ids.length > mostPutBack || before !== null };
}
