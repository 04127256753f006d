import {
  type Actor,
  changesIn,
  columnOf,
  entriesOfRequestStatement,
  entriesStatement,
  type JsonAnswer,
  keyIn,
  type Page,
  putBack,
  type Row,
  reasonName,
  recordAddress,
  recordEntriesStatement,
  toldJson,
} from "@loyal-quill/core";
import type { Asked, Asking } from "@loyal-quill/runtime";
import type { PutBackAnswer, PutBackRecord } from "./answers/changes.js";
import { changeOf, type Ground, type Key, openTo, pageOf, rowNow, tableOf } from "./changes.js";
import { orderedKey } from "./pages.js";

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
    const wrote = changesIn(made.fields).map(({ field, old, new: now, hidden }) => {
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
