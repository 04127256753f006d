import * as v from "valibot";
import { message, word } from "../../messages/messages.js";
import { rowPage } from "../../page/rows.js";
import { spreadsheetPage } from "../../page/spreadsheet.js";
import { loadLists } from "../../steps/offer.js";
import { type Claims, readToken, writeAgain } from "../../steps/token.js";
import { type Outcome, refused } from "../../trip/outcome.js";
import type { Trip } from "../../trip/trip.js";
import type { UploadRow } from "../../views/upload-view.js";
import { savedOutcome } from "../form-outcome.js";
import type { Done } from "../save-kind.js";
import { saving } from "../saving.js";
import { isOurs } from "./came-back.js";
import { uploadRows } from "./kind.js";
import { type Row, readRow, rowView, stateOf, storedOf } from "./rows.js";
import { type Carried, carriedSchema, goOn, jsonOf, refusedUpload, viewOf } from "./view.js";

/** How often what is refused is left out and the rest tried again. */
const mostTurns = 8;

/** Saves what was looked at: what is valid beside what is refused, or all of it or nothing, as the page has it. */
export async function saveLookedAt(
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
    if (claims && isOurs(trip, claims))
      sentRows.set(claims.form === "new" ? `new ${claims.id}` : JSON.stringify(claims.key), { claims, sent });
  }
  const keys = [...sentRows.values()].flatMap(({ claims }) => (claims.form === "new" ? [] : [claims.key]));
  const stored = await storedOf(trip, keys);
  for (const [index, [key, { claims, sent: given }]] of [...sentRows].entries()) {
    await goOn(trip, "checking", index, sentRows.size);
    const { line, mark, pairs, open } = given;
    // What is stored stays, unless the file's value is chosen.
    const sent = [...pairs, ...(chosen.get(String(line)) === "mine" ? open : [])];
    const read = sent.length > 0 ? readRow(trip, { mark, claims }, sent, reason) : null;
    const record = stored.get(key) ?? null;
    if (read && (record || claims.form === "new"))
      rows.push({ came: { line, mark }, given: { ...read, record }, record, pairs: sent });
  }
  let rest = rows;
  const left: UploadRow[] = [];
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
            carried: ending.doubt === undefined ? text : inDoubt(trip, parsed.output, ending.doubt),
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
