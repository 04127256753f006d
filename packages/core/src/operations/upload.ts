import * as v from "valibot";
import { boxName } from "../controls/check-box.js";
import { controlKind } from "../controls/index.js";
import { comparable, normal } from "../controls/show.js";
import { message, word } from "../messages/messages.js";
import { listQuery } from "../page/list-query.js";
import { carriedName, chosenName, fileName, reasonName, tokenName } from "../page/names.js";
import { rowPage } from "../page/rows.js";
import {
  markHeading,
  type SpreadsheetColumn,
  spreadsheetColumns,
  spreadsheetPage,
  tokenIn,
} from "../page/spreadsheet.js";
import { isRefusal } from "../postgres/unavailable.js";
import { encodeSegment } from "../settings/bound/path.js";
import { isAsShown, plainCell, truthOf, typedText, valueOfLabel } from "../spreadsheet/cells.js";
import { type ReadTable, readCsv } from "../spreadsheet/read-csv.js";
import { versionName } from "../statements/load.js";
import { loadManyStatement, placeName } from "../statements/load-many.js";
import { readKey } from "../steps/key.js";
import type { StoredRecord } from "../steps/load.js";
import { loadLists } from "../steps/offer.js";
import { titleOf } from "../steps/prefill.js";
import { readPairs, readSent, type Submission } from "../steps/read.js";
import { type Claims, fieldDigest, readToken, signerOfClaims, writeToken } from "../steps/token.js";
import { type Outcome, refused } from "../trip/outcome.js";
import type { Trip } from "../trip/trip.js";
import type { Offers, Problem } from "../views/form-view.js";
import { told } from "../views/told.js";
import type { UploadCell, UploadRow, UploadState, UploadView } from "../views/upload-view.js";
import { TakenBack, uploadChanges } from "./change.js";
import { claimsFor } from "./form.js";
import { savedOutcome } from "./form-outcome.js";
import type { Done, Given, Ready, Stopped } from "./save-kind.js";
import { prepare, saving } from "./saving.js";
import { fileTrip, noMark } from "./spreadsheet.js";

/** A file that went out longer ago is not taken any more, in milliseconds. */
const fileAge = 60 * 86_400_000;

/** So many records are loaded by one statement. */
const loadedAtOnce = 500;

/** So many rows are looked at until others are answered. */
const rowsAtATime = 100;

/** How often what is refused is left out and the rest tried again. */
const mostTurns = 8;

type Pairs = readonly (readonly [string, string])[];

/** A row that came back, as far as it was understood. */
interface CameBack {
  readonly line: number;
  readonly mark: string;
  readonly claims: Claims;
  readonly cells: ReadonlyMap<SpreadsheetColumn, string>;
}

/** What goes along from the preview to the save: a row's mark with the controls that are to be sent, and those that are in conflict. */
const carriedSchema = v.array(
  v.strictObject({
    line: v.number(),
    mark: v.string(),
    pairs: v.array(v.tuple([v.string(), v.string()])),
    open: v.array(v.tuple([v.string(), v.string()])),
  }),
);
type Carried = v.InferOutput<typeof carriedSchema>;

const viewOf = (trip: Trip, more: Partial<UploadView>): UploadView => ({
  page: trip.page,
  kept: listQuery(trip.page, trip.request.query),
  problem: null,
  read: null,
  rows: [],
  carried: null,
  saved: null,
  reason: null,
  ...more,
});

const shownUpload = (upload: UploadView): Outcome => ({ kind: "shown", view: { what: "upload", upload } });
const refusedUpload = (upload: UploadView): Outcome => ({ kind: "invalid", view: { what: "upload", upload } });

/** Where a file is uploaded. */
export async function uploading(trip: Trip): Promise<Outcome> {
  trip.recorder.note("load", []);
  trip.recorder.note("prefill", []);
  return shownUpload(viewOf(trip, {}));
}

/** The columns of a file by their headings: where they stand, whatever order they are in. */
function columnsIn(page: Trip["page"], heads: readonly string[]): ReadonlyMap<SpreadsheetColumn, number> | "twice" {
  const found = new Map<SpreadsheetColumn, number>();
  for (const column of spreadsheetColumns(page)) {
    const places = heads.flatMap((head, index) =>
      [column.heading, column.field.column.name].includes(plainCell(head).trim()) ? [index] : [],
    );
    if (places.length > 1) return "twice";
    if (places[0] !== undefined && column.isTaken) found.set(column, places[0]);
  }
  return found;
}

/** Whether a mark was made for this person and page, and its key is one of the page's as it is now: it may have had another when the file went out. */
const isOurs = ({ page, facts }: Trip, claims: Claims): boolean =>
  claims.form === "edit" &&
  claims.page === page.name &&
  claims.actor === facts.actor.id &&
  claims.session === "" &&
  claims.key.length === page.key.length &&
  readKey(page, claims.key.map(encodeSegment)).ok;

/** The rows of a file, each by its mark; and those that are told as they are. */
function rowsIn(trip: Trip, table: ReadTable) {
  const { page, facts, dependencies } = trip;
  const [heads = [], ...lines] = table.rows;
  const markAt = heads.findIndex((head) => head.trim() === markHeading);
  const columns = columnsIn(page, heads);
  if (markAt < 0 || columns === "twice") return markAt < 0 ? "no-marks" : "columns-twice";
  const rows: CameBack[] = [];
  const told: UploadRow[] = [];
  let unmarked = 0;
  const counts = new Map<string, number>();
  for (const [index, cells] of lines.entries()) {
    const mark = tokenIn(cells[markAt] ?? "");
    const line = index + 2;
    if (mark === null) {
      // One that could not be edited came back, too.
      if (cells[markAt]?.trim() !== noMark && cells.some((cell) => cell.trim() !== "")) unmarked += 1;
      continue;
    }
    const claims = readToken(mark, dependencies.signer);
    if (!claims || !isOurs(trip, claims)) {
      const said = word(page.language, claims && claims.actor !== facts.actor.id ? "upload-others" : "upload-foreign");
      told.push({ line, title: "", state: "foreign", cells: [], said });
      continue;
    }
    const key = JSON.stringify(claims.key);
    counts.set(key, (counts.get(key) ?? 0) + 1);
    rows.push({ line, mark, claims, cells: new Map([...columns].map(([column, at]) => [column, cells[at] ?? ""])) });
  }
  return { rows, told, unmarked, counts, number: lines.length };
}

/** The records of some rows as they are stored now, by their keys. */
async function storedOf(trip: Trip, keys: readonly (readonly string[])[]): Promise<ReadonlyMap<string, StoredRecord>> {
  const page = rowPage(spreadsheetPage(trip.page));
  const found = new Map<string, StoredRecord>();
  for (let start = 0; start < keys.length; start += loadedAtOnce) {
    const part = keys.slice(start, start + loadedAtOnce);
    const rows = await trip.dependencies.database.run(loadManyStatement(page, part, trip.facts));
    for (const row of rows)
      found.set(JSON.stringify(part[Number(row[placeName])]), { row, version: row[versionName] ?? "" });
  }
  return found;
}

/** What a form would send for the cells of a row that differ from what was shown. */
function touchedPairs(
  trip: Trip,
  { claims, cells }: CameBack,
  stored: StoredRecord | undefined,
  lists: Offers,
  hasDecimalComma: boolean,
): Pairs {
  const { page, dependencies } = trip;
  const digest = fieldDigest(signerOfClaims(claims, dependencies.signer), claims.id);
  const way = { language: page.language, hasDecimalComma };
  return [...cells].flatMap(([{ field }, cell]): [string, string][] => {
    const { name } = field.column;
    const kept = claims.shown[name];
    if (kept === undefined) return [];
    const now = stored ? comparable(field, stored.row[name] ?? null, page) : null;
    const shown = kept.startsWith("=") ? kept.slice(1) : now !== null && digest(name, now) === kept ? now : null;
    const options = lists.get(name)?.options ?? [];
    if (shown !== null && isAsShown(cell, shown, field, options, way)) return [];
    if (shown === null && digest(name, normal(field.control, plainCell(cell))) === kept) return [];
    return pairsFor(trip, field, cell, lists, way);
  });
}

function pairsFor(
  { page }: Trip,
  field: SpreadsheetColumn["field"],
  cell: string,
  lists: Offers,
  way: Parameters<typeof typedText>[2],
): [string, string][] {
  const { formName, column, choices, control } = field;
  if (controlKind(control).isBox) {
    const truth = truthOf(cell, page.language);
    return [[boxName(formName), ""], ...(truth === "false" ? [] : [[formName, truth ?? cell] as [string, string]])];
  }
  if (choices !== null) {
    const typed = plainCell(cell).trim();
    return [[formName, valueOfLabel(lists.get(column.name)?.options ?? [], cell) ?? typed]];
  }
  return [[formName, typedText(cell, field, way)]];
}

/** A row as a form of its record that was sent. */
function readRow(trip: Trip, mark: string, claims: Claims, pairs: Pairs, reason: string | null): Submission | null {
  const own = fileTrip(trip, claims.key);
  const read = readSent(
    {
      form: "edit",
      page: own.page,
      key: claims.key,
      actor: trip.facts.actor.id,
      session: "",
      now: trip.facts.now,
      formAge: fileAge,
    },
    [[tokenName, mark], ...pairs, ...(reason === null ? [] : [[reasonName, reason] as const])],
    trip.dependencies.signer,
  );
  return read.ok ? read.submission : null;
}

/** A row on its way: what was sent of it, and what became of it so far. */
interface Row {
  readonly came: { readonly line: number; readonly mark: string };
  readonly given: Given;
  readonly record: StoredRecord;
  readonly pairs: Pairs;
}

const cellsOf = (
  { given: { trip, submission }, record }: Row,
  problems: readonly Problem[],
  conflicts: Stopped["conflicts"],
  lists: Offers,
): readonly UploadCell[] =>
  submission.fields.flatMap(({ field, touched, text, value }) => {
    const { name } = field.column;
    const own = problems.filter((problem) => problem.field === name).map((problem) => problem.message);
    if (!touched && own.length === 0) return [];
    const say = (stored: string | null): string =>
      lists.get(name)?.options.find((option) => option.value === stored)?.label ??
      told(trip.page, field.column, stored) ??
      "–";
    return [
      {
        name,
        label: field.label,
        old: say(record.row[name] ?? null),
        new: !touched ? say(record.row[name] ?? null) : value === null ? text || "–" : say(value),
        problem: own.join(" ") || null,
        theirs: conflicts.find((conflict) => conflict.field === name)?.stored ?? null,
      },
    ];
  });

function rowView(
  page: Trip["page"],
  row: Row,
  state: UploadState,
  lists: Offers,
  stop?: Pick<Stopped, "problems" | "conflicts">,
): UploadRow {
  const cells = cellsOf(row, stop?.problems ?? [], stop?.conflicts ?? [], lists);
  const above = (stop?.problems ?? []).filter(({ field }) => cells.every(({ name }) => name !== field));
  return {
    line: row.came.line,
    title: titleOf(page, row.record.row, row.given.trip.key),
    state,
    cells,
    said: above.map((problem) => problem.message).join(" ") || null,
  };
}

const stateOf = ({ is }: Stopped): UploadState => (is === "invalid" ? "refused" : is);

/** What a row comes to before anything is written: ready, or why not. */
async function judged(row: Row): Promise<Ready | Stopped> {
  const { given, record } = row;
  const because = uploadChanges.lockedBecause(given.trip, record);
  if (because !== null)
    return {
      given,
      is: "locked",
      problems: [{ field: null, message: because }],
      conflicts: [],
      record,
      renewed: false,
    };
  const ready = await prepare(uploadChanges, { ...given, record });
  if ("problems" in ready || record.version === given.submission.claims.row) return ready;
  return uploadChanges.compare(ready, record) as Promise<Ready | Stopped>;
}

const hasChanges = (each: Ready): boolean => each.compared.some(({ state }) => state === "changed");

const isStopped = (each: Ready | Stopped): each is Stopped => "problems" in each;

/** Tries to write what is ready, takes it back, and tells which rows the table refuses. */
async function triedRefusals(trip: Trip, ready: readonly Ready[]): Promise<readonly Stopped[]> {
  if (ready.length === 0) return [];
  const own = fileTrip(trip, []);
  try {
    await trip.dependencies.database.transaction(async (database) => {
      await uploadChanges.write({ ...own, dependencies: { ...own.dependencies, database } }, ready, []);
      throw new TakenBack();
    });
  } catch (error) {
    if (error instanceof TakenBack) return [];
    if (!isRefusal(error)) throw error;
    return (await uploadChanges.refusedAmong?.(own, ready)) ?? [];
  }
  return [];
}

/** An uploaded file, looked at: nothing is written. */
async function preview(trip: Trip, bytes: Uint8Array, reason: string | null): Promise<Outcome> {
  const { page, recorder, dependencies } = trip;
  const table = readCsv(bytes);
  const found = typeof table === "string" ? table : rowsIn(trip, table);
  if (typeof found === "string" || typeof table === "string") {
    const problem = word(page.language, `upload-${typeof found === "string" ? found : "no-table"}`);
    recorder.note("read", [], problem);
    return refusedUpload(viewOf(trip, { problem, reason }));
  }
  const { rows: came, told: alien, unmarked, counts, number } = found;
  const [stored, lists] = await Promise.all([
    storedOf(
      trip,
      came.map(({ claims }) => claims.key),
    ),
    loadLists(trip),
  ]);
  const views: UploadRow[] = [...alien];
  const carried: Carried = [];
  const rows: Row[] = [];
  for (const [index, each] of came.entries()) {
    const { claims, mark, line } = each;
    if (index % rowsAtATime === 0) await dependencies.pause(0);
    const record = stored.get(JSON.stringify(claims.key));
    const pairs = touchedPairs(trip, each, record, lists, table.hasDecimalComma);
    if (pairs.length === 0) continue;
    const title = titleOf(page, record?.row ?? {}, claims.key);
    if ((counts.get(JSON.stringify(claims.key)) ?? 0) > 1) {
      views.push({ line, title, state: "twice", cells: [], said: word(page.language, "upload-twice") });
      continue;
    }
    if (!record) {
      views.push({ line, title, state: "gone", cells: [], said: word(page.language, "row-gone") });
      continue;
    }
    const submission = readRow(trip, mark, claims, pairs, reason);
    if (!submission) {
      views.push({ line, title, state: "foreign", cells: [], said: word(page.language, "upload-foreign") });
      continue;
    }
    if (submission.fields.every(({ touched }) => !touched)) continue;
    rows.push({ came: each, given: { trip: fileTrip(trip, claims.key), submission }, record, pairs });
  }
  recorder.note("read", [
    { name: "rows", value: String(number) },
    { name: "changed rows", value: String(rows.length) },
  ]);
  const answers: (Ready | Stopped)[] = [];
  for (const [index, row] of rows.entries()) {
    if (index % rowsAtATime === 0) await dependencies.pause(0);
    answers.push(await judged(row));
  }
  const ready = answers.filter((each): each is Ready => !isStopped(each) && hasChanges(each));
  const refusals = new Map((await triedRefusals(trip, ready)).map((stop) => [stop.given.trip, stop]));
  for (const [index, row] of rows.entries()) {
    const answer = refusals.get(row.given.trip) ?? answers[index];
    if (!answer) continue;
    const { line } = row.came;
    if (!isStopped(answer)) {
      if (!hasChanges(answer)) continue;
      const isMerged = row.record.version !== row.given.submission.claims.row;
      views.push(rowView(page, row, isMerged ? "merged" : "changed", lists));
      carried.push({ line, mark: row.came.mark, pairs: row.pairs.map(([a, b]) => [a, b]), open: [] });
      continue;
    }
    views.push(rowView(page, row, stateOf(answer), lists, answer));
    if (answer.is !== "conflict") continue;
    // Made anew upon what is stored now: whichever value is chosen is chosen over this one.
    const mark = writeToken(claimsFor(row.given.trip, "edit", row.record), dependencies.signer);
    const disputed = new Set(
      answer.conflicts
        .flatMap(({ field }) => page.fields.filter((one) => one.column.name === field))
        .flatMap(({ formName }) => [formName, boxName(formName)]),
    );
    const isOpen = ([name]: readonly [string, string]): boolean => disputed.has(name);
    carried.push({
      line,
      mark,
      pairs: row.pairs.filter((pair) => !isOpen(pair)).map(([a, b]) => [a, b]),
      open: row.pairs.filter(isOpen).map(([a, b]) => [a, b]),
    });
  }
  recorder.note("check", [
    { name: "refused rows", value: String(views.filter(({ state }) => state === "refused").length) },
  ]);
  const changed = views.filter(({ state }) => state === "changed" || state === "merged" || state === "conflict");
  return shownUpload(
    viewOf(trip, {
      read: { rows: number, untouched: number - unmarked - views.length, unmarked },
      rows: views.sort((a, b) => a.line - b.line),
      carried: changed.length > 0 ? JSON.stringify(carried) : null,
      reason,
    }),
  );
}

/** Saves what was looked at: what is valid beside what is refused, or all of it or nothing, as the page has it. */
async function save(
  trip: Trip,
  text: string,
  chosen: ReadonlyMap<string, string>,
  reason: string | null,
): Promise<Outcome> {
  const { page, recorder, dependencies } = trip;
  const parsed = v.safeParse(carriedSchema, jsonOf(text));
  if (!parsed.success) return refused("form-broken", page);
  const rows: Row[] = [];
  const lists = await loadLists(trip);
  const sentRows = new Map<string, { readonly claims: Claims; readonly sent: Carried[number] }>();
  for (const sent of parsed.output) {
    const claims = readToken(sent.mark, dependencies.signer);
    if (claims && isOurs(trip, claims)) sentRows.set(JSON.stringify(claims.key), { claims, sent });
  }
  const stored = await storedOf(
    trip,
    [...sentRows.values()].map(({ claims }) => claims.key),
  );
  for (const [index, [key, { claims, sent: given }]] of [...sentRows].entries()) {
    if (index % rowsAtATime === 0) await dependencies.pause(0);
    const { line, mark, pairs, open } = given;
    // What is stored stays, unless the file's value is chosen.
    const sent = [...pairs, ...(chosen.get(String(line)) === "mine" ? open : [])];
    const submission = sent.length > 0 ? readRow(trip, mark, claims, sent, reason) : null;
    const record = stored.get(key);
    if (submission && record)
      rows.push({
        came: { line, mark },
        given: { trip: fileTrip(trip, claims.key), submission, record },
        record,
        pairs: sent,
      });
  }
  let rest = rows;
  const left: UploadRow[] = [];
  for (let turn = 0; turn < mostTurns; turn++) {
    if (rest.length === 0) return savedUpload(trip, [], left);
    const ending = await saving(
      uploadChanges,
      { ...trip, page: rowPage(spreadsheetPage(page)) },
      rest.map(({ given }) => given),
    );
    if (ending.is === "failed")
      return {
        kind: "failed",
        view: {
          what: "upload",
          upload: viewOf(trip, { problem: message(page.language, ending.code), carried: text, reason }),
        },
      };
    if (ending.is === "saved") return savedUpload(trip, ending.rows, left);
    const byTrip = new Map(rest.map((row) => [row.given.trip, row]));
    const stopped = ending.rows.flatMap((stop) => {
      const row = byTrip.get(stop.given.trip);
      return row ? [{ row, stop }] : [];
    });
    left.push(...stopped.map(({ row, stop }) => rowView(page, row, stateOf(stop), lists, stop)));
    const isAll = page.list.spreadsheet?.save === "all";
    if (isAll || stopped.length === 0)
      return refusedUpload(
        viewOf(trip, {
          problem: ending.said ?? word(page.language, "upload-none-saved"),
          rows: left,
          saved: 0,
          reason,
        }),
      );
    const out = new Set(stopped.map(({ row }) => row));
    rest = rest.filter((row) => !out.has(row));
    recorder.note("check", [{ name: "rows left out", value: String(left.length) }]);
  }
  return refusedUpload(viewOf(trip, { problem: message(page.language, "unavailable-busy"), carried: text, reason }));
}

/** What is answered of a file that was saved: the list, or which of its rows were left out. */
function savedUpload(trip: Trip, done: readonly Done[], left: readonly UploadRow[]): Outcome {
  const { page } = trip;
  const written = done.filter(({ entry }) => entry !== null);
  const first = written[0] ?? done[0];
  const view = viewOf(trip, { rows: left, saved: written.length });
  const upload = left.length > 0 ? { upload: view } : {};
  if (!first) return { kind: "unchanged", page, key: [], row: {}, list: null, rows: 0, ...upload };
  const whole = { ...savedOutcome(page, first, "changed"), list: null, rows: written.length, ...upload };
  return whole.kind === "saved" ? { ...whole, changes: written.flatMap(({ changes }) => changes) } : whole;
}

function jsonOf(text: string): unknown {
  try {
    return JSON.parse(text) as unknown;
  } catch {
    return undefined;
  }
}

/** A file that came back, or what was looked at of it and is to be saved. */
export async function upload(trip: Trip, body: string): Promise<Outcome> {
  const { page, request, recorder } = trip;
  const pairs = readPairs(body);
  if (typeof pairs === "string") {
    recorder.note("read", [], pairs);
    return refused("form-broken", page);
  }
  const sent = new Map(pairs);
  const reason = sent.get(reasonName)?.trim() || null;
  const files = request.body && "files" in request.body ? request.body.files : undefined;
  const file = files?.get(fileName);
  if (file) return preview(trip, file.bytes, reason);
  const carried = sent.get(carriedName);
  const chosen = new Map(
    pairs.flatMap(([name, value]) =>
      name.startsWith(chosenName) ? [[name.slice(chosenName.length), value] as const] : [],
    ),
  );
  if (carried !== undefined) return save(trip, carried, chosen, reason);
  return refusedUpload(viewOf(trip, { problem: word(page.language, "upload-no-file"), reason }));
}
