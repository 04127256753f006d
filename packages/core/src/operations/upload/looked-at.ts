import { boxName } from "../../controls/check-box.js";
import { controlKind } from "../../controls/index.js";
import { show } from "../../controls/show.js";
import { word } from "../../messages/messages.js";
import { isTaken } from "../../page/columns.js";
import { markCell, type SpreadsheetColumn, spreadsheetColumns } from "../../page/spreadsheet.js";
import { isRefusal } from "../../postgres/unavailable.js";
import { readTable } from "../../spreadsheet/read-table.js";
import { mayMake } from "../../steps/access.js";
import type { StoredRecord } from "../../steps/load.js";
import { loadLists } from "../../steps/offer.js";
import { takenFields, titleOf } from "../../steps/prefill.js";
import { writeToken } from "../../steps/token.js";
import type { Outcome } from "../../trip/outcome.js";
import type { Trip } from "../../trip/trip.js";
import type { UploadRow } from "../../views/upload-view.js";
import { TakenBack } from "../change.js";
import { claimsFor } from "../form.js";
import type { Ready, Stopped } from "../save-kind.js";
import { prepare } from "../saving.js";
import {
  type Cells,
  type Pairs,
  pairsFor,
  rowsIn,
  touchedIn,
  typedForNothing,
  type Unmarked,
  type Way,
} from "./came-back.js";
import { withStored } from "./columns.js";
import { fileTrip } from "./download.js";
import { isNew, uploadRows } from "./kind.js";
import { type Left, leftOf } from "./left.js";
import { begunRecord, formOf, newTrip, pairsOf, type Row, readRow, rowView, stateOf, storedOf } from "./rows.js";
import { type Carried, goOn, refusedUpload, shownUpload, viewOf } from "./view.js";

const isStopped = (each: Ready | Stopped): each is Stopped => "problems" in each;

/** What a row comes to before anything is written: ready, or why not. */
async function judged({ given, record }: Row): Promise<Ready | Stopped> {
  if (!record) return prepare(uploadRows, given);
  const because = uploadRows.lockedBecause(given.trip, record);
  if (because !== null)
    return {
      given,
      is: "locked",
      problems: [{ field: null, message: because }],
      conflicts: [],
      record,
      renewed: false,
    };
  const ready = await prepare(uploadRows, { ...given, record });
  if ("problems" in ready || record.version === given.submission.claims.row) return ready;
  return uploadRows.compare(ready, record) as Promise<Ready | Stopped>;
}

const hasChanges = (each: Ready): boolean => isNew(each) || each.compared.some(({ state }) => state === "changed");

/** Tries to write what is ready, takes it back, and tells which rows the table refuses. */
async function triedRefusals(trip: Trip, ready: readonly Ready[]): Promise<readonly Stopped[]> {
  if (ready.length === 0) return [];
  const { work, ...rest } = trip.dependencies;
  const checking = work && {
    work: { ...work, tell: (_: unknown, done: number, of: number) => work.tell("checking", done, of) },
  };
  const own = { ...fileTrip(trip, []), dependencies: { ...rest, ...checking } };
  try {
    await trip.dependencies.database.transaction(async (database) => {
      await uploadRows.write({ ...own, dependencies: { ...own.dependencies, database } }, ready, []);
      throw new TakenBack();
    });
  } catch (error) {
    if (error instanceof TakenBack) return [];
    if (!isRefusal(error)) throw error;
    return (await uploadRows.refusedAmong?.(own, ready)) ?? [];
  }
  return [];
}

/** What the form of a new record would send, filled in from a row without a mark. */
function newPairs(trip: Trip, { cells }: Unmarked, begun: StoredRecord, way: Way): Pairs {
  const { page, facts } = trip;
  const columns = new Map(spreadsheetColumns(page).map((column) => [column.field.column.name, column]));
  return takenFields(page, "new", begun.row, facts).flatMap((field): Pairs => {
    const column = columns.get(field.column.name);
    const cell = column && (cells.get(column) ?? "");
    if (column && cell?.trim()) return pairsFor(trip, column, cell, way);
    const { text } = show(field, begun.row[field.column.name] ?? null, page);
    return controlKind(field.control).isBox
      ? [[boxName(field.formName), ""], ...(text === "true" ? [[field.formName, text] as const] : [])]
      : [[field.formName, text]];
  });
}

/** Whether something stands in a cell that a new record's form takes. */
const hasSome = ({ cells }: Unmarked): boolean =>
  [...cells].some(([{ field }, cell]) => isTaken(field, "new") && cell.trim() !== "");

/** The rows without a mark, as forms of new records: where they are asked for. */
async function newRows(
  trip: Trip,
  unmarked: readonly Unmarked[],
  way: Way,
  reason: string | null,
): Promise<readonly Row[]> {
  const begun = await begunRecord(trip);
  return unmarked.flatMap((each): Row[] => {
    const claims = claimsFor(newTrip(trip), "new", begun, formOf(trip.request.id, each.line));
    const mark = writeToken(claims, trip.dependencies.signer);
    const pairs = newPairs(trip, each, begun, way);
    const given = readRow(trip, { mark, claims }, pairs, reason);
    return given ? [{ came: { line: each.line, mark }, given, record: null, pairs }] : [];
  });
}

/** A row whose cells of read-only columns were changed is told of that, whatever else becomes of it. */
const ignoredIn = ({ page }: Trip, columns: readonly SpreadsheetColumn[]): string | null =>
  columns.length === 0
    ? null
    : word(page.language, "upload-ignored-cells", { fields: columns.map(({ field }) => field.label).join(", ") });

/** What is seen of a row that was judged, what goes along of it to be saved, and what of it where it can't be; null where nothing of it is a change. */
function seenRow(
  trip: Trip,
  way: Way,
  row: Row,
  { answer, cells }: { readonly answer: Ready | Stopped; readonly cells: Cells },
): { readonly told: UploadRow; readonly carried?: Carried[number]; readonly left?: Left } | null {
  const { page, dependencies } = trip;
  const { came, given, record } = row;
  const also = ignoredIn(trip, row.ignored ?? []);
  const withAlso = (told: UploadRow): UploadRow =>
    also === null ? told : { ...told, said: [told.said, also].filter(Boolean).join(" ") };
  if (!isStopped(answer)) {
    if (!hasChanges(answer)) return null;
    const isAsShown = record?.version === given.submission.claims.row;
    const told = withAlso(rowView(page, row, !record ? "new" : isAsShown ? "changed" : "merged", way));
    return { told, carried: { line: came.line, mark: came.mark, pairs: sendable(row.pairs), open: [] } };
  }
  const told = withAlso(rowView(page, row, stateOf(answer), { ...way, stop: answer }));
  if (!record) return { told, left: leftOf(trip, way, told, { mark: "", cells }) };
  // Made anew upon what is stored now: whichever value is chosen is chosen over this one.
  const mark = writeToken(claimsFor(fileTrip(trip, given.trip.key), "edit", record), dependencies.signer);
  const left = leftOf(trip, way, told, { mark: markCell(mark), cells, record });
  if (answer.is !== "conflict") return { told, left };
  const open = pairsOf(row.pairs, new Set(answer.conflicts.map(({ field }) => field)), given);
  const rest = row.pairs.filter((pair) => !open.includes(pair));
  return { told, left, carried: { line: came.line, mark, pairs: sendable(rest), open: sendable(open) } };
}

const sendable = (pairs: Pairs): [string, string][] => pairs.map(([name, value]) => [name, value]);

/** How a file is to be looked at. */
export interface Asked {
  readonly reason: string | null;
  /** Whether rows without a mark are to be new records. */
  readonly takesNew: boolean;
}

/** An uploaded file, looked at: nothing is written. */
export async function lookAt(trip: Trip, bytes: Uint8Array, { reason, takesNew }: Asked): Promise<Outcome> {
  const { page, facts, recorder } = trip;
  const table = await readTable(bytes);
  const found = typeof table === "string" ? table : rowsIn(trip, table);
  if (typeof found === "string" || typeof table === "string") {
    const problem = word(page.language, `upload-${typeof found === "string" ? found : "no-table"}`);
    recorder.note("read", [], problem);
    return refusedUpload(viewOf(trip, { problem, reason, takesNew }));
  }
  const { rows: came, foreign, counts, number } = found;
  const keys = came.map(({ claims }) => claims.key);
  const [stored, offered] = await Promise.all([storedOf(trip, keys), loadLists(trip)]);
  const lists = await withStored(trip, offered, (name) => [
    ...[...stored.values()].map(({ row }) => row[name] ?? null),
    // What it showed, where something else is stored by now.
    ...came.map(({ claims }) => (claims.shown[name]?.startsWith("=") ? claims.shown[name].slice(1) : null)),
  ]);
  const way: Way = { lists, hasDecimalComma: table.hasDecimalComma };
  const views: UploadRow[] = foreign.map(({ told }) => told);
  const left: Left[] = foreign.map(({ told, mark, cells }) => leftOf(trip, way, told, { mark, cells }));
  const rows: Row[] = [];
  const tell = (told: UploadRow, { mark, cells }: (typeof came)[number], record: StoredRecord | null = null): void => {
    views.push(told);
    if (told.state !== "ignored") left.push(leftOf(trip, way, told, { mark: markCell(mark), cells, record }));
  };
  for (const [index, each] of came.entries()) {
    const { claims, line } = each;
    await goOn(trip, "reading", index, came.length);
    const key = JSON.stringify(claims.key);
    const record = stored.get(key);
    const touched = touchedIn(trip, each, record, way);
    const ignored = record ? typedForNothing(trip, each, record, way) : [];
    if (touched.length === 0 && ignored.length === 0) continue;
    const base = { line, title: titleOf(page, record?.row ?? {}, claims.key), cells: [] };
    const pairs = touched.flatMap((column) => pairsFor(trip, column, each.cells.get(column) ?? "", way));
    const given = pairs.length > 0 && record ? readRow(trip, each, pairs, reason) : null;
    if (touched.length > 0 && (counts.get(key) ?? 0) > 1)
      tell({ ...base, state: "twice", said: word(page.language, "upload-twice") }, each);
    else if (!record) tell({ ...base, state: "gone", said: word(page.language, "row-gone") }, each);
    else if (pairs.length > 0 && !given)
      tell({ ...base, state: "foreign", said: word(page.language, "upload-foreign") }, each);
    else if (given?.submission.fields.some((field) => field.touched))
      rows.push({ came: each, given: { ...given, record }, record, pairs, ignored });
    else if (ignored.length > 0) tell({ ...base, state: "ignored", said: ignoredIn(trip, ignored) }, each);
  }
  const some = found.unmarked.filter(hasSome);
  const isAllowed = takesNew && mayMake(page, facts);
  if (isAllowed && some.length > 0) rows.push(...(await newRows(trip, some, way, reason)));
  recorder.note("read", [
    { name: "rows", value: String(number) },
    { name: "changed rows", value: String(rows.length) },
  ]);
  const answers: (Ready | Stopped)[] = [];
  for (const [index, row] of rows.entries()) {
    await goOn(trip, "checking", index, rows.length);
    answers.push(await judged(row));
  }
  const ready = answers.filter((each): each is Ready => !isStopped(each) && hasChanges(each));
  const refusals = new Map((await triedRefusals(trip, ready)).map((stop) => [stop.given.trip, stop]));
  const cellsOfLine = new Map([...came, ...some].map(({ line, cells }) => [line, cells]));
  const carried: Carried = [];
  for (const [index, row] of rows.entries()) {
    const answer = refusals.get(row.given.trip) ?? answers[index];
    const seen = answer && seenRow(trip, way, row, { answer, cells: cellsOfLine.get(row.came.line) ?? new Map() });
    if (!seen) continue;
    views.push(seen.told);
    if (seen.left) left.push(seen.left);
    if (seen.carried) carried.push(seen.carried);
  }
  recorder.note("check", [
    { name: "refused rows", value: String(views.filter(({ state }) => state === "refused").length) },
  ]);
  const unmarked = isAllowed ? 0 : some.length;
  return shownUpload(
    viewOf(trip, {
      read: {
        rows: number,
        untouched: number - unmarked - found.readOnly - views.length,
        unmarked,
        readOnly: found.readOnly,
      },
      rows: views.sort((a, b) => a.line - b.line),
      carried: carried.length > 0 ? JSON.stringify(carried) : null,
      left: left.length > 0 ? { rows: JSON.stringify(left), number: left.length, format: table.format } : null,
      reason,
      takesNew,
    }),
  );
}
