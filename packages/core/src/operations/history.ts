import { controlKind } from "../controls/index.js";
import { show } from "../controls/show.js";
import type { FieldChange } from "../log/field-change.js";
import { lastChangesStatement } from "../log/read.js";
import { word } from "../messages/messages.js";
import { isTaken } from "../page/columns.js";
import { listQuery } from "../page/list-query.js";
import type { Row, Stored } from "../postgres/statement.js";
import { mayEdit, maySeeHistory } from "../steps/access.js";
import { load } from "../steps/load.js";
import { completeOffers, loadLists } from "../steps/offer.js";
import { titleOf } from "../steps/prefill.js";
import { tableName } from "../table/model.js";
import { type Outcome, refused } from "../trip/outcome.js";
import type { Trip } from "../trip/trip.js";
import type { HistoryEntry, HistoryView } from "../views/history-view.js";
import { told, toldMoment } from "../views/told.js";
import { missing } from "./missing.js";

/** So many entries are shown at once. */
const mostEntries = 20;

const keyOf = ({ page, key }: Trip): Readonly<Record<string, string>> =>
  Object.fromEntries(page.key.map(({ name }, index) => [name, key[index] ?? ""]));

const isNumber = (text: string | undefined): text is string => text !== undefined && /^\d{1,18}$/.test(text);

/** The entries of a record, newest first; up to one of them where it is named. */
const entriesOf = (trip: Trip, upTo: string | null, most: number): Promise<readonly Row[]> =>
  trip.dependencies.database.run(lastChangesStatement(tableName(trip.page.table), keyOf(trip), upTo, most));

const changesIn = (entry: Row): readonly FieldChange[] => JSON.parse(entry.fields ?? "[]") as FieldChange[];

/** The fields of the page that were changed, as people read them; what is not on the page is not told. */
async function viewsOf(trip: Trip, entries: readonly Row[]): Promise<readonly HistoryEntry[]> {
  const { page } = trip;
  const values = new Map<string, Stored[]>();
  for (const { field, old, new: after } of entries.flatMap(changesIn))
    values.set(field, [...(values.get(field) ?? []), old, after]);
  const offers = await completeOffers(trip, await loadLists(trip), {}, values, null);
  return entries.map((entry) => {
    const changes = changesIn(entry).flatMap(({ field: name, old, new: after, hidden }) => {
      const field = page.fields.find((each) => each.column.name === name);
      if (!field) return [];
      const untold = word(page.language, "not-shown");
      if (hidden) return [{ label: field.label, old: untold, new: untold, isTaken: false }];
      const read = (value: Stored): string => {
        const label = offers.get(name)?.options.find((option) => option.value === value)?.label;
        const text = controlKind(field.control).told?.(value ?? "", page.language);
        return value === null ? "–" : (label ?? (text || (told(page, field.column, value) ?? "–")));
      };
      return [{ label: field.label, old: read(old), new: read(after), isTaken: isTaken(field, "edit") }];
    });
    return {
      id: entry.id ?? "",
      at: toldMoment(page, entry.at ?? ""),
      by: entry.actor_name ?? "",
      operation: entry.operation === "insert" || entry.operation === "delete" ? entry.operation : "update",
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
  const entries = await entriesOf(trip, before, mostEntries + 1);
  recorder.note("load", [{ name: "entries", value: String(Math.min(entries.length, mostEntries)) }]);
  recorder.note("prefill", []);
  const view: HistoryView = {
    page,
    key,
    title: titleOf(page, record.row, key),
    kept: listQuery(page, request.query),
    entries: await viewsOf(trip, entries.slice(0, mostEntries)),
    older: entries[mostEntries]?.id ?? null,
    editable: mayEdit(page, record.row, facts),
  };
  return { kind: "shown", view: { what: "history", history: view } };
}

/**
 * The texts that an entry of the log gives for a record's form: what its fields were before it. Null where the address names none, or one
 * that the actor may not see.
 */
export async function oldTexts(
  trip: Trip,
  row: Row,
): Promise<{ id: string; texts: ReadonlyMap<string, string>; at: string } | null> {
  const { page, facts, request } = trip;
  const { old } = request.query;
  if (!isNumber(old) || !maySeeHistory(page, row, facts)) return null;
  const [entry] = await entriesOf(trip, old, 1);
  if (entry?.id !== old) return null;
  const texts = changesIn(entry).flatMap(({ field: name, old: before, hidden }): [string, string][] => {
    if (hidden) return [];
    const field = page.fields.find((each) => each.column.name === name);
    return field && isTaken(field, "edit") ? [[name, show(field, before, page).text]] : [];
  });
  return { id: old, texts: new Map(texts), at: toldMoment(page, entry.at ?? "") };
}
