import { boxName } from "../../controls/check-box.js";
import { reasonName, tokenName } from "../../page/names.js";
import { filePage, type SpreadsheetColumn } from "../../page/spreadsheet.js";
import { versionName } from "../../statements/load.js";
import { loadManyStatement, placeName } from "../../statements/load-many.js";
import type { StoredRecord } from "../../steps/load.js";
import { titleOf } from "../../steps/prefill.js";
import { readSent, type Submission } from "../../steps/read.js";
import type { Claims } from "../../steps/token.js";
import type { Trip } from "../../trip/trip.js";
import type { Offers, Problem } from "../../views/form-view.js";
import { told } from "../../views/told.js";
import type { UploadCell, UploadRow, UploadState } from "../../views/upload-view.js";
import { defaults } from "../new.js";
import type { Given, Stopped } from "../save-kind.js";
import type { Pairs } from "./came-back.js";
import { fileTrip } from "./download.js";

/* A row of a file on its way through a save, and what is said of it. */

/** A file that went out longer ago is not taken any more, in milliseconds. */
const fileAge = 60 * 86_400_000;

/** So many records are loaded by one statement. */
const loadedAtOnce = 500;

/** A row on its way: what was sent of it, and its record as it is stored; null of a new one. */
export interface Row {
  readonly came: { readonly line: number; readonly mark: string };
  readonly given: Given;
  readonly record: StoredRecord | null;
  readonly pairs: Pairs;
  /** The columns in which something was typed that is left out. */
  readonly ignored?: readonly SpreadsheetColumn[];
}

/** The records of some rows as they are stored now, by their keys. */
export async function storedOf(
  trip: Trip,
  keys: readonly (readonly string[])[],
): Promise<ReadonlyMap<string, StoredRecord>> {
  const page = filePage(trip.page);
  const found = new Map<string, StoredRecord>();
  for (let start = 0; start < keys.length; start += loadedAtOnce) {
    const part = keys.slice(start, start + loadedAtOnce);
    const rows = await trip.dependencies.database.run(loadManyStatement(page, part, trip.facts));
    for (const row of rows)
      found.set(JSON.stringify(part[Number(row[placeName])]), { row, version: row[versionName] ?? "" });
  }
  return found;
}

/** The trip of a row that is to be a new record: its form is the page's own, and nothing is given by an address. */
export const newTrip = (trip: Trip): Trip => ({
  ...trip,
  key: [],
  request: { ...trip.request, session: "", query: {} },
});

/** A new record as its form would begin it. */
export const begunRecord = (trip: Trip): Promise<StoredRecord> => defaults(newTrip(trip));

/** Each form of a request has a number of its own, by which it is known whether it made its record: the row's place in the place of the last digits. */
export const formOf = (request: string, place: number): string =>
  `${request.slice(0, 24)}${place.toString(16).padStart(12, "0")}`;

/** A row as a form of its record that was sent. */
export function readRow(
  trip: Trip,
  { mark, claims }: { readonly mark: string; readonly claims: Claims },
  pairs: Pairs,
  reason: string | null,
): Given | null {
  const own = claims.form === "new" ? newTrip(trip) : fileTrip(trip, claims.key);
  const read = readSent(
    {
      form: claims.form,
      page: own.page,
      key: own.key,
      actor: trip.facts.actor.id,
      session: "",
      now: trip.facts.now,
      formAge: fileAge,
    },
    [[tokenName, mark], ...pairs, ...(reason === null ? [] : [[reasonName, reason] as const])],
    trip.dependencies.signer,
  );
  return read.ok ? { trip: own, submission: read.submission } : null;
}

/** The pairs of some columns among those of a row. */
export function pairsOf(pairs: Pairs, columns: ReadonlySet<string>, { submission }: Given): Pairs {
  const names = new Set(
    submission.fields
      .filter(({ field }) => columns.has(field.column.name))
      .flatMap(({ field: { formName } }) => [formName, boxName(formName)]),
  );
  return pairs.filter(([name]) => names.has(name));
}

const isSaid = ({ fields }: Submission, problems: readonly Problem[]) =>
  fields.filter(({ field, touched }) => touched || problems.some((problem) => problem.field === field.column.name));

const cellsOf = (
  { given: { trip, submission }, record }: Row,
  problems: readonly Problem[],
  conflicts: Stopped["conflicts"],
  lists: Offers,
): readonly UploadCell[] =>
  isSaid(submission, problems).map(({ field, touched, text, value }) => {
    const { name } = field.column;
    const own = problems.filter((problem) => problem.field === name).map((problem) => problem.message);
    const say = (stored: string | null): string =>
      lists.get(name)?.options.find((option) => option.value === stored)?.label ??
      told(trip.page, field.column, stored) ??
      "–";
    const old = say(record?.row[name] ?? null);
    return {
      name,
      label: field.label,
      old,
      new: !touched ? old : value === null ? text || "–" : say(value),
      problem: own.join(" ") || null,
      theirs: conflicts.find((conflict) => conflict.field === name)?.stored ?? null,
    };
  });

/** What is seen of a row. */
export function rowView(
  page: Trip["page"],
  row: Row,
  state: UploadState,
  { lists, stop }: { readonly lists: Offers; readonly stop?: Pick<Stopped, "problems" | "conflicts"> },
): UploadRow {
  const cells = cellsOf(row, stop?.problems ?? [], stop?.conflicts ?? [], lists);
  const above = (stop?.problems ?? []).filter(({ field }) => cells.every(({ name }) => name !== field));
  return {
    line: row.came.line,
    title: row.record ? titleOf(page, row.record.row, row.given.trip.key) : "",
    state,
    cells,
    said: above.map((problem) => problem.message).join(" ") || null,
  };
}

export const stateOf = ({ is }: Stopped): UploadState => (is === "invalid" ? "refused" : is);
