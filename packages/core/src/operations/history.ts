import { truthOf } from "../condition/evaluate.js";
import { controlKind } from "../controls/index.js";
import { show } from "../controls/show.js";
import type { FieldChange } from "../log/field-change.js";
import { changesIn } from "../log/field-change.js";
import { lastChangesStatement } from "../log/read.js";
import { word } from "../messages/messages.js";
import { isTaken } from "../page/columns.js";
import { listQuery } from "../page/list-query.js";
import { undoName } from "../page/names.js";
import type { Row, Stored } from "../postgres/statement.js";
import { mayEdit, maySeeHistory } from "../steps/access.js";
import { load } from "../steps/load.js";
import { completeOffers, loadLists } from "../steps/offer.js";
import { titleOf } from "../steps/prefill.js";
import { tableName } from "../table/model.js";
import { type Outcome, refused } from "../trip/outcome.js";
import type { Trip } from "../trip/trip.js";
import { byName } from "../values/by-name.js";
import type { HistoryEntry, HistoryView } from "../views/history-view.js";
import { told, toldMoment } from "../views/told.js";
import { missing } from "./missing.js";

/** So many entries are shown at once. */
const mostEntries = 20;

const keyOf = ({ page, key }: Trip): Readonly<Record<string, string>> =>
  Object.fromEntries(page.key.map(({ name }, index) => [name, key[index] ?? ""]));

const isNumber = (text: string | undefined): text is string => text !== undefined && /^\d{1,18}$/.test(text);

/** So many entries are read at once, and looked back at in all. */
const readAtOnce = 200;
const mostLookedBack = 10_000;

/** An entry that the actor may see, and which of its sides. */
interface SeenEntry {
  readonly entry: Row;
  readonly changes: readonly FieldChange[];
  /** Whether the record as it was before the entry was the actor's, and as it was after it. */
  readonly before: boolean;
  readonly after: boolean;
}

/** Whether a record in a state of its own past is one that the actor may see, with its history. */
function isSeen({ page, facts }: Trip, row: Row): boolean {
  const { rows } = page.access;
  return (rows === null || truthOf(rows.expression, { ...facts, row }) === true) && maySeeHistory(page, row, facts);
}

/** The record one entry earlier: null where that can't be told, as a value that the log does not keep decides who may see it. */
function stateBefore(page: Trip["page"], state: Row, changes: readonly FieldChange[]): Row | null {
  const asked = new Set([page.access.rows, page.access.history].flatMap((condition) => condition?.rowColumns ?? []));
  if (changes.some(({ field, hidden }) => hidden && asked.has(field))) return null;
  return byName({ ...state, ...Object.fromEntries(changes.map(({ field, old }) => [field, old])) });
}

/**
 * The entries of a record since it was made, newest first, of which the actor may see a side: what was written while the record was somebody
 * else's, or under its key of another record, is theirs.
 *
 * @param row the record as it is now
 * @param upTo the newest entry that is asked for; the newest of all where it is null
 */
async function entriesSeen(trip: Trip, row: Row, upTo: string | null, most: number): Promise<readonly SeenEntry[]> {
  const { page, dependencies } = trip;
  const seen: SeenEntry[] = [];
  const last = upTo === null ? null : BigInt(upTo);
  let state: Row | null = row;
  let cursor: string | null = null;
  for (let read = 0; read < mostLookedBack && state; read += readAtOnce) {
    const part: readonly Row[] = await dependencies.database.run(
      lastChangesStatement(tableName(page.table), keyOf(trip), cursor, readAtOnce),
    );
    for (const entry of part) {
      // This record is there: whatever was deleted under its key was another one.
      if (!state || entry.operation === "delete") return seen;
      const changes = changesIn(entry.fields);
      const isMade = entry.operation === "insert";
      // What was changed past the log is not in it: an entry's own values count.
      const then: Row = byName({
        ...state,
        ...Object.fromEntries(changes.flatMap(({ field, new: after, hidden }) => (hidden ? [] : [[field, after]]))),
      });
      const earlier = isMade ? null : stateBefore(page, then, changes);
      const sides = { before: earlier !== null && isSeen(trip, earlier), after: isSeen(trip, then) };
      const isAsked = last === null || BigInt(entry.id ?? "0") <= last;
      if (isAsked && (sides.before || sides.after)) seen.push({ entry, changes, ...sides });
      if (isMade || seen.length === most) return seen;
      state = earlier;
    }
    if (part.length < readAtOnce) return seen;
    cursor = String(BigInt(part.at(-1)?.id ?? "1") - 1n);
  }
  return seen;
}

/** The fields of the page that were changed, as people read them; what is not on the page is not told. */
async function viewsOf(trip: Trip, entries: readonly SeenEntry[]): Promise<readonly HistoryEntry[]> {
  const { page } = trip;
  const values = new Map<string, Stored[]>();
  for (const { changes, before, after } of entries)
    for (const { field, old, new: now } of changes)
      values.set(field, [...(values.get(field) ?? []), ...(before ? [old] : []), ...(after ? [now] : [])]);
  const offers = await completeOffers(trip, await loadLists(trip), values);
  return entries.map(({ entry, changes: all, before, after }) => {
    const isMade = entry.operation === "insert";
    const changes = all.flatMap(({ field: name, old, new: now, hidden }) => {
      const field = page.fields.find((each) => each.column.name === name);
      if (!field) return [];
      const untold = word(page.language, "not-shown");
      if (hidden) return [{ label: field.label, old: untold, new: untold, isTaken: false }];
      const read = (value: Stored): string => {
        const label = offers.get(name)?.options.find((option) => option.value === value)?.label;
        const text = controlKind(field.control).told?.(value ?? "", page.language);
        return value === null ? "–" : (label ?? (text || (told(page, field.column, value) ?? "–")));
      };
      return [
        {
          label: field.label,
          old: before || isMade ? read(old) : untold,
          new: after ? read(now) : untold,
          isTaken: before && isTaken(field, "edit"),
        },
      ];
    });
    return {
      id: entry.id ?? "",
      at: toldMoment(page, entry.at ?? ""),
      by: entry.actor_name ?? "",
      operation: isMade ? "insert" : "update",
      reason: entry.reason ?? null,
      changes,
    };
  });
}

/** What was changed of a record, by whom, when and why: newest first, under the keys that it had before too. */
export async function history(trip: Trip): Promise<Outcome> {
  const { page, key, facts, request, recorder } = trip;
  const record = await load(trip);
  if (!record) return missing(trip);
  if (!maySeeHistory(page, record.row, facts)) {
    recorder.note("load", [], `history: ${page.access.history?.source ?? ""}`);
    return refused("may-not-see-history", page);
  }
  const before = isNumber(request.query.upto) ? request.query.upto : null;
  const entries = await entriesSeen(trip, record.row, before, mostEntries + 1);
  recorder.note("load", [{ name: "entries", value: String(Math.min(entries.length, mostEntries)) }]);
  recorder.note("prefill", []);
  const view: HistoryView = {
    page,
    key,
    title: titleOf(page, record.row, key),
    kept: listQuery(page, request.query),
    entries: await viewsOf(trip, entries.slice(0, mostEntries)),
    older: entries[mostEntries]?.entry.id ?? null,
    editable: mayEdit(page, record.row, facts),
  };
  return { kind: "shown", view: { what: "history", history: view } };
}

/**
 * The texts that an entry of the log gives for a record's form: what its fields were before it. Null where the address names none, or one
 * that the actor may not see.
 */
export async function oldTexts(trip: Trip, row: Row): Promise<OldTexts | null> {
  const { page, facts, request } = trip;
  const { old, [undoName]: undone } = request.query;
  if (isNumber(undone)) return undoneTexts(trip, row, undone);
  if (!isNumber(old) || !maySeeHistory(page, row, facts)) return null;
  const [seen] = await entriesSeen(trip, row, old, 1);
  if (seen?.entry.id !== old || !seen.before) return null;
  const at = toldMoment(page, seen.entry.at ?? "");
  return {
    before: { id: old, texts: textsBefore(page, seen.changes) },
    says: (button) => word(page.language, "old-values-here", { at, button }),
  };
}

/** What a record's form is opened with besides what is stored. */
interface OldTexts {
  /** What is said of it, with the text of the button that saves it. */
  readonly says: (button: string) => string;
  /** The entry that would be put back, and the texts of the fields before it; left out where nothing is to be put back. */
  readonly before?: { readonly id: string; readonly texts: ReadonlyMap<string, string> };
}

/** The texts of a form's fields before a change; what the log does not keep is left out. */
const textsBefore = (page: Trip["page"], changes: readonly FieldChange[]): ReadonlyMap<string, string> =>
  new Map(
    changes.flatMap(({ field: name, old, hidden }): [string, string][] => {
      const field = hidden ? undefined : page.fields.find((each) => each.column.name === name);
      return field && isTaken(field, "edit") ? [[name, show(field, old, page).text]] : [];
    }),
  );

/** The same for one's own last change, which is to be taken back: not where somebody has changed the record since. */
async function undoneTexts(trip: Trip, row: Row, id: string): Promise<OldTexts | null> {
  const { page, facts, dependencies } = trip;
  const [entry] = await dependencies.database.run(lastChangesStatement(tableName(page.table), keyOf(trip), null, 1));
  if (entry?.id !== id)
    return {
      says: () =>
        word(page.language, "undo-too-late", { by: entry?.actor_name ?? "–", at: toldMoment(page, entry?.at ?? "") }),
    };
  if (entry.actor_id !== facts.actor.id || entry.operation !== "update") return null;
  const changes = changesIn(entry.fields);
  // What was changed past the pages is in no log, unless the table is watched.
  const isAsLeft = changes.every(({ field: name, new: left, hidden }) => {
    const field = hidden ? undefined : page.fields.find((each) => each.column.name === name);
    return (
      !field || !isTaken(field, "edit") || show(field, left, page).text === show(field, row[name] ?? null, page).text
    );
  });
  if (!isAsLeft) return { says: () => word(page.language, "undo-too-late-past-pages") };
  return {
    before: { id, texts: textsBefore(page, changes) },
    says: (button) => word(page.language, "undo-here", { button }),
  };
}
