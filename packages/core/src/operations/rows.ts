import { message, titleOfCode, word } from "../messages/messages.js";
import { takeName, tokenName } from "../page/names.js";
import { inRow, rowPage, saveRowName, saveTogetherName } from "../page/rows.js";
import { unavailabilityOf } from "../postgres/unavailable.js";
import { readSent } from "../steps/read.js";
import { readPairs } from "../steps/read-pairs.js";
import { readToken } from "../steps/token.js";
import { type Outcome, refused } from "../trip/outcome.js";
import type { Trip } from "../trip/trip.js";
import type { FormView, Problem } from "../views/form-view.js";
import type { ListView } from "../views/list-view.js";
import { manyChanges, oneChange } from "./change.js";
import { holderOf } from "./form.js";
import { failedForm, savedOutcome, stoppedForm } from "./form-outcome.js";
import { listAgain, listWithoutDatabase } from "./list.js";
import type { ReadRow, RowState } from "./row-forms.js";
import { asksOnly, givenOf } from "./save.js";
import type { Ending, Stopped } from "./save-kind.js";
import { noteRead } from "./save-notes.js";
import { saving } from "./saving.js";

type Pairs = readonly (readonly [string, string])[];

/** The rows of a list's form, each as the pairs of a form of its own, and which of its buttons was pressed. */
interface SentRows {
  readonly rows: ReadonlyMap<number, Pairs>;
  readonly pressed: number | "together" | null;
}

function rowsIn(pairs: Pairs): SentRows {
  const rows = new Map<number, [string, string][]>();
  let pressed: SentRows["pressed"] = null;
  for (const [name, value] of pairs) {
    const own = inRow(name);
    if (own) {
      rows.set(own.row, [...(rows.get(own.row) ?? []), [own.name, value]]);
      if (own.name === takeName) pressed = own.row;
    } else if (name === saveRowName && /^\d{1,3}$/.test(value)) pressed = Number(value);
    else if (name === saveTogetherName) pressed = "together";
  }
  return { rows, pressed };
}

const isTouched = ({ submission }: ReadRow): boolean =>
  submission.fields.some(({ touched }) => touched) || submission.take !== null;

/** A row's form with what is said of the row as a whole: of what stands at no field of its own. */
function stateOf({ key, submission }: ReadRow, form: FormView, problems: readonly Problem[] = form.problems): RowState {
  const above = problems.filter(({ field }) => !form.fields.some((each) => each.field.column.name === field));
  return { key, submission, form, said: above.map((each) => each.message).join(" ") || null };
}

/** The form of a row that is stopped. Of one that is gone, or not to be edited, what was typed is shown, and stops the others no longer. */
async function stoppedState(row: ReadRow, stop: Stopped): Promise<RowState> {
  const { key, submission } = row;
  if (stop.is === "gone" || stop.is === "locked")
    return { key, submission, form: null, said: stop.problems.map(({ message }) => message).join(" ") };
  return stateOf(row, await stoppedForm(stop, "edit"), stop.problems);
}

/** The list again with rows that were sent; where the database can't be asked, those rows alone. */
async function listOr(
  trip: Trip,
  states: readonly RowState[],
  sent: readonly ReadRow[],
  problem: string | null = null,
): Promise<ListView> {
  try {
    return await listAgain(trip, states, sent, problem);
  } catch (error) {
    if (!unavailabilityOf(error)) throw error;
    return listWithoutDatabase(trip, states, sent, problem);
  }
}

/**
 * How the save of rows is answered.
 *
 * @param saved the rows that were to be saved
 * @param others rows that were sent besides, which stay as they were typed
 */
async function rowsOutcome(
  trip: Trip,
  ending: Ending,
  saved: readonly ReadRow[],
  others: readonly ReadRow[],
): Promise<Outcome> {
  const { page } = trip;
  const typed = (states: readonly RowState[]): ReadRow[] =>
    [...saved, ...others].filter(({ key }) => !states.some((state) => state.key === key));
  if (ending.is === "failed") {
    const states = await Promise.all(
      saved.map(async (row) => ({
        key: row.key,
        submission: row.submission,
        form: await failedForm(givenOf(row.trip, row.submission), "edit", ending),
        said: null,
      })),
    );
    const list = await listOr(trip, states, typed(states), message(page.language, ending.code));
    return { kind: "failed", view: { what: "list", list } };
  }
  if (ending.is === "stopped") {
    const rows = ending.rows.flatMap((stop) => {
      const row = saved.find(({ trip: { key } }) => key === stop.given.trip.key);
      return row ? [{ row, stop }] : [];
    });
    const states = await Promise.all(rows.map(({ row, stop }) => stoppedState(row, stop)));
    const count =
      states.length === 1
        ? word(page.language, "row-stops")
        : word(page.language, "rows-stop", { count: states.length });
    const list = await listOr(trip, states, typed(states), ending.said ?? count);
    const isConflict = ending.rows.some((stop) => stop.is !== "invalid");
    return { kind: isConflict ? "conflict" : "invalid", view: { what: "list", list } };
  }
  const written = ending.rows.filter(({ entry }) => entry !== null);
  const first = written[0] ?? ending.rows[0];
  // Where nothing else was typed, the list is asked for anew; otherwise it is the answer, with what was typed.
  const list = others.length === 0 ? null : await listOr(trip, [], others);
  if (!first) return { kind: "unchanged", page, key: [], row: {}, list, rows: 0 };
  const whole = { ...savedOutcome(page, first, "changed"), list };
  if (saved.length === 1 && ending.rows.length === 1) return whole;
  const changes = written.flatMap((row) => row.changes);
  return { ...whole, rows: written.length, ...(whole.kind === "saved" ? { changes } : {}) };
}

/** What was read of a list's form, or why it can't be taken. */
function readRows(trip: Trip, rows: SentRows["rows"]): readonly ReadRow[] | Outcome {
  const { page, recorder, dependencies } = trip;
  const read: ReadRow[] = [];
  for (const [number, sent] of rows) {
    const token = sent.find(([name]) => name === tokenName)?.[1];
    const key = (token === undefined ? undefined : readToken(token, dependencies.signer)?.key) ?? [];
    const own: Trip = { ...trip, page: rowPage(page), key };
    const result = readSent(holderOf(own, "edit"), sent, dependencies.signer);
    if (!result.ok) {
      recorder.note("read", [], `row ${number}: ${result.reason}`);
      return refused(result.code, page, { typed: result.typed });
    }
    read.push({ number, key, submission: result.submission, trip: own });
  }
  return read;
}

/** What was sent of a list's rows: one that is saved by itself, or all that were touched at once. */
export async function saveRows(trip: Trip, body: string): Promise<Outcome> {
  const { page, recorder } = trip;
  const pairs = readPairs(body);
  if (typeof pairs === "string") {
    recorder.note("read", [], pairs);
    return refused("form-broken", page);
  }
  const { rows, pressed } = rowsIn(pairs);
  const read = readRows(trip, rows);
  if ("kind" in read) return read;
  const touched = read.filter(isTouched);
  const isTogether = pressed === "together" || (page.list.together && typeof pressed !== "number");
  const one = isTogether
    ? undefined
    : (read.find(({ number }) => number === pressed) ?? (touched.length === 1 ? touched[0] : undefined));
  const saved = isTogether ? touched : one ? [one] : [];
  const given = saved.map((row) => givenOf(row.trip, row.submission));
  noteRead(
    recorder,
    (saved.length > 0 ? saved : touched).map((row) => givenOf(row.trip, row.submission)),
    false,
  );
  const [first] = given;
  if (one && first) {
    const others = touched.filter((row) => row !== one);
    const asked = await asksOnly(first);
    if (asked) return askedOutcome(trip, one, asked, others);
    return rowsOutcome(trip, await saving(oneChange, first.trip, given), saved, others);
  }
  if (isTogether) return rowsOutcome(trip, await saving(manyChanges, trip, given), saved, []);
  // By the enter key, which presses no button of a row.
  const said = touched.length > 1 ? word(page.language, "which-row") : null;
  const list = await listAgain(trip, [], touched, said);
  return said ? { kind: "invalid", view: { what: "list", list } } : { kind: "shown", view: { what: "list", list } };
}

/** What a row's form asked for, in its row. */
async function askedOutcome(trip: Trip, row: ReadRow, asked: Outcome, others: readonly ReadRow[]): Promise<Outcome> {
  if (asked.kind === "saved" || asked.kind === "unchanged") return asked;
  const { view } = asked;
  if (view.what === "form") {
    const list = await listOr(trip, [stateOf(row, view.form)], others);
    return asked.kind === "failed"
      ? { kind: "failed", view: { what: "list", list } }
      : { kind: "shown", view: { what: "list", list } };
  }
  if (view.what !== "notice") return asked;
  const { code, because } = view.notice;
  const { title } = titleOfCode(row.trip.page.language, code);
  const said = because === null ? title : `${title}: ${because}`;
  const list = await listOr(trip, [{ key: row.key, submission: row.submission, form: null, said }], others);
  return { kind: "conflict", view: { what: "list", list } };
}
