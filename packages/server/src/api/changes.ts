import {
  type Actor,
  actorsStatement,
  beginStatement,
  columnOf,
  type EntryQuery,
  endStatement,
  entriesOfRequestStatement,
  entriesSearched,
  entriesStatement,
  type FieldChange,
  findTable,
  isByIndex,
  type JsonAnswer,
  looksSecret,
  type Page,
  putBack,
  type Row,
  reasonName,
  recordAddress,
  recordEntriesStatement,
  rowNowStatement,
  searchEntriesStatement,
  type Table,
  tableName,
  toldJson,
} from "@loyal-quill/core";
import type { Asked, Asking, Loaded } from "@loyal-quill/runtime";
import type { EditedDatabase } from "../edited-database.js";
import { orderedKey } from "./pages.js";
import { referenceLabels } from "./reference-labels.js";
import type { ChangeAnswer, ChangesAnswer, PutBackAnswer, PutBackRecord, RecordChangesAnswer } from "./types.js";

/** Entries in one part of a list, of a record that are read, and that are put back at once. */
const part = 50;
export const mostOfRecord = 500;
export const mostPutBack = 200;

/** What was saved at once is put back whole: an upload has so many records at most. */
const mostOfSave = 10_000;

/** The greatest number that an entry can have. */
const lastEntry = "9223372036854775807";

/** A search goes on by itself for so long, in milliseconds; then it is said how far it came. */
const searchFor = 1500;

/** Those who changed something are looked for among so many of the last entries. */
const lately = 20_000;

type Key = Readonly<Record<string, string>>;
const keyIn = (text: string | null | undefined): Key => JSON.parse(text ?? "{}") as Key;

/** The names of the pages that somebody may open. */
type Open = ReadonlySet<string>;
const openTo = ({ pages }: Pick<EditedDatabase, "pages">, actor: Actor): Open =>
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
    fields: JSON.parse(row.fields ?? "[]") as ChangeAnswer["fields"],
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

type Ground = Pick<EditedDatabase, "store" | "pages" | "database">;

/** A record as it is now; null where there is none, or where its table or key are none any more. */
async function rowNow({ database }: Ground, table: Table | null, key: Key): Promise<Row | null> {
  const parts = Object.entries(key);
  if (!table || parts.length === 0 || parts.some(([name]) => !columnOf(table, name))) return null;
  const [row] = await database.run(rowNowStatement(table, parts));
  return row ?? null;
}

/** The page by which a record is edited: that of an entry where there is one, else one with the same key. */
function pageOf(loaded: Loaded, table: string, key: Key, wanted: string): Page | null {
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

/** What is asked to be put back. */
export interface PutBackAsked {
  readonly entries: readonly string[];
  /** The fields that are put back, of one entry; all where it is left out. */
  readonly fields?: readonly string[] | undefined;
}

/** A record of a plan, with what it is done by. */
interface Planned {
  readonly told: PutBackRecord;
  readonly page: Page | null;
}

/** What putting entries back comes to, record by record. */
async function plan(ground: Ground, { entries: ids, fields }: PutBackAsked, actor: Actor): Promise<readonly Planned[]> {
  const open = openTo(ground, actor);
  const loaded = ground.pages.loaded();
  const entries = await ground.store.onLog(entriesStatement(ids));
  const records = new Map<string, { table: string; key: Key; entries: Row[] }>();
  for (const entry of entries) {
    const table = entry.table_name ?? "";
    const [own] = await ground.store.onLog(recordEntriesStatement(table, keyIn(entry.record_key), 1, entry.id ?? null));
    const key = keyIn(own?.now_key ?? entry.record_key);
    const name = `${table} ${JSON.stringify(Object.entries(key).sort())}`;
    const known = records.get(name) ?? { table, key, entries: [] };
    known.entries.push(entry);
    records.set(name, known);
  }
  const planned: Planned[] = [];
  for (const { table: name, key, entries: own } of records.values()) {
    const table = tableOf(loaded, name);
    const page = pageOf(loaded, name, key, own.find(({ way }) => way === "page")?.page ?? "");
    const row = await rowNow(ground, table, key);
    const undone = own.map((entry) => changeOf(loaded, entry, open));
    const back = withNulls(page, putBack(undone, row, fields ? new Set(fields) : null));
    const told = toldPlan(page, name, orderedKey(loaded, page?.name ?? "", key), back);
    planned.push({ page, told: { ...told, isOpen: page !== null && open.has(page.name) } });
  }
  return planned;
}

/** A record that is made anew has no value where it had none: the log does not tell of these, and the table would give them its defaults. */
function withNulls(page: Page | null, back: ReturnType<typeof putBack>): ReturnType<typeof putBack> {
  if (!page || back.does !== "new") return back;
  const told = new Set([...back.fields.map(({ field }) => field), ...back.untold]);
  const without = page.fields.filter(
    ({ column, onNew }) => onNew && column.nullable && column.default !== null && !told.has(column.name),
  );
  const none = { now: null, left: null, becomes: null, isConflict: false };
  return { ...back, fields: [...back.fields, ...without.map(({ column }) => ({ field: column.name, ...none }))] };
}

/** Why a field can't be put back by its page's form; null where it can. */
function barred(
  page: Page,
  does: "change" | "new" | "delete" | "nothing",
  name: string,
): PutBackRecord["fields"][number]["barred"] {
  const field = page.fields.find(({ column }) => column.name === name);
  if (!field) return "not-on-page";
  if (field.control === "file") return "file";
  if (does !== "new" && field.readOnly) return "read-only";
  return null;
}

function toldPlan(
  page: Page | null,
  table: string,
  key: Key,
  back: ReturnType<typeof putBack>,
): Omit<PutBackRecord, "isOpen"> {
  return {
    table,
    key,
    page: page?.name ?? null,
    does: back.does,
    stands: back.stands,
    entries: back.entries,
    untold: back.untold,
    fields: back.fields.map((each) => ({
      ...each,
      label: page?.fields.find(({ column }) => column.name === each.field)?.label ?? each.field,
      barred: page ? barred(page, back.does, each.field) : null,
    })),
  };
}

export const putBackPlan = async (
  ground: Ground,
  asked: PutBackAsked,
  actor: Actor,
): Promise<readonly PutBackRecord[]> => (await plan(ground, asked, actor)).map(({ told }) => told);

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

/** The members of a JSON object that put a record's fields back. */
const membersOf = (page: Page, fields: PutBackRecord["fields"]): Record<string, JsonAnswer> =>
  Object.fromEntries(
    fields.flatMap(({ field, becomes, barred: why }) => {
      const column = columnOf(page.table, field);
      return column && why === null ? [[field, toldJson(column, becomes)]] : [];
    }),
  );

type Came = Pick<PutBackAnswer["records"][number], "state" | "said" | "entry" | "wrote">;
const skipped = (state: "nothing" | "no-page" | "conflict"): Came => ({ state, said: [], entry: null, wrote: [] });

/** What a page's own answer says of what was asked. @param isPart whether there is more than the page can put back */
async function cameOf(
  { store }: Ground,
  page: Page,
  { status, json, recorded }: Asking,
  isPart: boolean,
): Promise<Came> {
  const [made] = await store.onLog(entriesOfRequestStatement(recorded.id));
  if (made?.id) {
    const wrote = (JSON.parse(made.fields ?? "[]") as FieldChange[]).map(({ field, old, new: now, hidden }) => {
      const label = page.fields.find(({ column }) => column.name === field)?.label ?? field;
      return { field, label, old, new: now, hidden: hidden === true };
    });
    return { state: isPart ? "in-part" : "put-back", said: [], entry: made.id, wrote };
  }
  if (status === 200 || status === 204) return skipped("nothing");
  const { title, detail, errors } = (json ?? {}) as {
    title?: string;
    detail?: string;
    errors?: readonly { detail?: string }[];
  };
  const said = errors?.flatMap((each) => (each.detail ? [each.detail] : [])) ?? [];
  return {
    ...skipped("nothing"),
    state: "refused",
    said: said.length > 0 ? said : [detail ?? title ?? `It was answered ${status}.`],
  };
}

/** Whether something of what the entries did stays, as its page can't put it back. What others changed since is theirs: nothing of the entries is left in it. */
const isInPart = ({ does, fields, untold }: PutBackRecord): boolean =>
  does !== "delete" && (untold.length > 0 || fields.some(({ barred: why }) => why !== null));

/** Why nothing is done with a record; null where something is. */
function whyNot({ told, page }: Planned, despite: boolean): Came | null {
  const { does, stands, fields } = told;
  if (does === "nothing") return skipped("nothing");
  if (!page) return skipped("no-page");
  if (stands !== "as-left" && !(despite && stands === "changed-since")) return skipped("conflict");
  const canBe = fields.some(({ isConflict, barred: why }) => why === null && (despite || !isConflict));
  if (does !== "change" || canBe) return null;
  return skipped(fields.some(({ isConflict }) => isConflict) ? "conflict" : "nothing");
}

interface PutBackHow {
  readonly actor: Actor;
  readonly reason: string | null;
  /** Whether what others changed since is put back as well. */
  readonly despite: boolean;
}

/**
 * Puts the entries of one record back. Its version is read before it is looked at once more: whatever comes after that, its page refuses, so
 * nothing is overwritten that was not seen.
 */
async function putRecordBack(
  ground: Ground,
  first: Planned,
  only: PutBackAsked["fields"],
  { actor, reason, despite }: PutBackHow,
): Promise<Came> {
  const { page } = first;
  const early = whyNot(first, despite);
  if (early || !page) return early ?? skipped("no-page");
  const { key, entries: undoes } = first.told;
  const ask = async (told: PutBackRecord, asked: Omit<Asked, "actor">): Promise<Came> => {
    const isPart = isInPart(told);
    // What is put back in part only is not undone.
    const way = { actor, asIs: true, ...(isPart ? {} : { undoes }) };
    return cameOf(ground, page, await ground.pages.ask({ ...way, ...asked }), isPart);
  };
  const withReason = page.reason && reason !== null ? { [reasonName]: reason } : {};
  const members = ({ fields }: PutBackRecord) => ({
    ...membersOf(
      page,
      fields.filter(({ isConflict }) => despite || !isConflict),
    ),
    ...withReason,
  });
  if (first.told.does === "new")
    return ask(first.told, { method: "POST", path: page.path.list, json: members(first.told) });
  const values = page.key.map(({ name }) => key[name] ?? "");
  const path = recordAddress(page.path, values);
  const seen = await ground.pages.ask({ actor, method: "GET", path });
  if (seen.status !== 200) return cameOf(ground, page, seen, false);
  const [now = first] = await plan(ground, { entries: undoes, fields: only }, actor);
  const late = whyNot(now, despite);
  if (late) return late;
  if (now.told.does === "delete") return ask(now.told, { method: "DELETE", path, ifMatch: seen.etag });
  return ask(now.told, { method: "PATCH", path, json: members(now.told), ifMatch: seen.etag });
}

/** Puts entries back, record by record, each by its page's form, access, rules and steps, as whoever asks. */
export async function putBackNow(ground: Ground, asked: PutBackAsked, how: PutBackHow): Promise<PutBackAnswer> {
  const records: PutBackAnswer["records"][number][] = [];
  for (const each of await plan(ground, asked, how.actor)) {
    const { table, key } = each.told;
    records.push({ table, key, ...(await putRecordBack(ground, each, asked.fields, how)) });
  }
  return { records };
}
