import * as v from "valibot";
import { boxName } from "../../controls/check-box.js";
import { message, word } from "../../messages/messages.js";
import { rowPage } from "../../page/rows.js";
import { spreadsheetPage } from "../../page/spreadsheet.js";
import { loadLists } from "../../steps/offer.js";
import { titleOf } from "../../steps/prefill.js";
import { type Claims, readToken, writeAgain } from "../../steps/token.js";
import { type Outcome, refused } from "../../trip/outcome.js";
import type { Trip } from "../../trip/trip.js";
import type { Offers } from "../../views/form-view.js";
import { told } from "../../views/told.js";
import type { UploadRow } from "../../views/upload-view.js";
import { savedOutcome } from "../form-outcome.js";
import type { Done } from "../save-kind.js";
import { saving } from "../saving.js";
import { isOurs, unknownRow } from "./came-back.js";
import { uploadRows } from "./kind.js";
import { type Row, readRow, rowView, stateOf, storedOf } from "./rows.js";
import { type Carried, carriedSchema, goOn, jsonOf, refusedUpload, viewOf } from "./view.js";

/** How often what is refused is left out and the rest tried again. */
const mostTurns = 8;

/** A file that was looked at, as it comes back to be saved. */
export interface LookedAt {
  /** Its rows: see {@link carriedSchema}. */
  readonly carried: string;
  /** What was chosen in conflicts, by the rows' lines. */
  readonly chosen: ReadonlyMap<string, string>;
  readonly reason: string | null;
}

/** The rows of a file that was looked at, on their way; and those that can't go on it any more. */
interface OnTheWay {
  readonly carried: Carried;
  readonly rows: readonly Row[];
  readonly left: readonly UploadRow[];
  readonly lists: Offers;
}

/**
 * Reads the rows that come back.
 *
 * @param pairsOf what is to be sent of a row; a row of which that is nothing stays out
 * @returns null where it is nothing that was made here
 */
async function rowsOf(
  trip: Trip,
  { carried: text, reason }: LookedAt,
  pairsOf: (given: Carried[number]) => Carried[number]["pairs"],
): Promise<OnTheWay | null> {
  const { page, dependencies } = trip;
  const parsed = v.safeParse(carriedSchema, jsonOf(text));
  if (!parsed.success) return null;
  const rows: Row[] = [];
  const left: UploadRow[] = [];
  const lists = await loadLists(trip);
  const sentRows = new Map<string, { readonly claims: Claims; readonly sent: Carried[number] }>();
  for (const sent of parsed.output) {
    const claims = readToken(sent.mark, dependencies.signer);
    if (claims && isOurs(trip, claims))
      sentRows.set(claims.form === "new" ? `new ${claims.id}` : JSON.stringify(claims.key), { claims, sent });
    else left.push(unknownRow(trip, sent.line, claims));
  }
  const keys = [...sentRows.values()].flatMap(({ claims }) => (claims.form === "new" ? [] : [claims.key]));
  const stored = await storedOf(trip, keys);
  for (const [index, [key, { claims, sent }]] of [...sentRows].entries()) {
    await goOn(trip, "checking", index, sentRows.size);
    const { line, mark } = sent;
    const pairs = pairsOf(sent);
    if (pairs.length === 0) continue;
    const read = readRow(trip, { mark, claims }, pairs, reason);
    const record = stored.get(key) ?? null;
    if (!read) left.push(unknownRow(trip, line, undefined));
    else if (record || claims.form === "new")
      rows.push({ came: { line, mark }, given: { ...read, record }, record, pairs });
    else {
      const said = word(page.language, "row-gone");
      left.push({ line, title: titleOf(page, {}, claims.key), state: "gone", cells: [], said });
    }
  }
  return { carried: parsed.output, rows, left, lists };
}

/** Shows once more what was looked at and is to be saved. Nothing is written. */
export async function showAgain(trip: Trip, looked: LookedAt): Promise<Outcome> {
  const { page } = trip;
  const { carried: text, chosen, reason } = looked;
  const found = await rowsOf(trip, looked, ({ pairs, open }) => [...pairs, ...open]);
  if (!found) return refused("form-broken", page);
  const { carried, rows, left, lists } = found;
  const openIn = new Map(carried.map(({ line, open }) => [line, new Set(open.map(([name]) => name))]));
  const views = rows.map((row): UploadRow => {
    const { record, given, came } = row;
    const open = openIn.get(came.line);
    const conflicts = given.submission.fields.flatMap(({ field: { formName, column } }) =>
      open?.has(formName) || open?.has(boxName(formName))
        ? [
            {
              field: column.name,
              stored: told(page, column, record?.row[column.name] ?? null) ?? "",
              by: null,
              at: null,
            },
          ]
        : [],
    );
    if (conflicts.length === 0) {
      const isAsShown = record?.version === given.submission.claims.row;
      return rowView(page, row, !record ? "new" : isAsShown ? "changed" : "merged", { lists });
    }
    const isMine = chosen.get(String(came.line)) === "mine";
    return { ...rowView(page, row, "conflict", { lists, stop: { problems: [], conflicts } }), isMine };
  });
  return refusedUpload(
    viewOf(trip, {
      problem: message(page.language, "stale-session"),
      rows: [...views, ...left].sort((a, b) => a.line - b.line),
      carried: rows.length > 0 ? text : null,
      reason,
    }),
  );
}

/** Saves what was looked at: what is valid beside what is refused, or all of it or nothing, as the page has it. */
export async function saveLookedAt(trip: Trip, looked: LookedAt): Promise<Outcome> {
  const { page, recorder } = trip;
  const { carried: text, chosen, reason } = looked;
  // What is stored stays, unless the file's value is chosen.
  const found = await rowsOf(trip, looked, ({ line, pairs, open }) => [
    ...pairs,
    ...(chosen.get(String(line)) === "mine" ? open : []),
  ]);
  if (!found) return refused("form-broken", page);
  const { carried, rows, lists } = found;
  const isAll = page.list.spreadsheet?.save === "all";
  const left: UploadRow[] = [...found.left];
  const noneSaved = (said: string | null): Outcome =>
    refusedUpload(
      viewOf(trip, { problem: said ?? word(page.language, "upload-none-saved"), rows: left, saved: 0, reason }),
    );
  if (left.length > 0 && (isAll || rows.length === 0)) return noneSaved(null);
  let rest = rows;
  for (let turn = 0; turn < mostTurns; turn++) {
    if (rest.length === 0) return savedUpload(trip, [], left);
    const ending = await saving(
      uploadRows,
      { ...trip, page: rowPage(spreadsheetPage(page)) },
      rest.map(({ given }) => given),
    );
    if (ending.is === "failed")
      return {
        kind: "failed",
        view: {
          what: "upload",
          upload: viewOf(trip, {
            problem: message(page.language, ending.code),
            carried: ending.doubt === undefined ? text : inDoubt(trip, carried, ending.doubt),
            reason,
          }),
        },
      };
    if (ending.is === "saved") return savedUpload(trip, ending.rows, left);
    const byTrip = new Map(rest.map((row) => [row.given.trip, row]));
    const stopped = ending.rows.flatMap((stop) => {
      const row = byTrip.get(stop.given.trip);
      return row ? [{ row, stop }] : [];
    });
    left.push(...stopped.map(({ row, stop }) => rowView(page, row, stateOf(stop), { lists, stop })));
    if (isAll || stopped.length === 0) return noneSaved(ending.said ?? null);
    const out = new Set(stopped.map(({ row }) => row));
    rest = rest.filter((row) => !out.has(row));
    recorder.note("check", [{ name: "rows left out", value: String(left.length) }]);
  }
  return refusedUpload(viewOf(trip, { problem: message(page.language, "unavailable-busy"), carried: text, reason }));
}

/** The rows as they are sent again where nobody knows whether they were saved: that is asked first then. */
function inDoubt({ dependencies: { signer } }: Trip, carried: Carried, doubt: string): string {
  return JSON.stringify(
    carried.map((row) => {
      const claims = readToken(row.mark, signer);
      return claims ? { ...row, mark: writeAgain(claims, { doubt }, signer) } : row;
    }),
  );
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
