import { titleOfCode, word } from "../messages/messages.js";
import { takeName, tokenName } from "../page/names.js";
import { inRow, rowPage, saveRowName, saveTogetherName } from "../page/rows.js";
import { type Holder, readPairs, readSent } from "../steps/read.js";
import { readToken } from "../steps/token.js";
import { type Outcome, refused } from "../trip/outcome.js";
import type { Trip } from "../trip/trip.js";
import { holderOf, layOut, sentForm } from "./form.js";
import { listAgain } from "./list.js";
import type { ReadRow, RowState } from "./row-forms.js";
import { saveRead } from "./save.js";
import { saveTogether } from "./together.js";

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

/** What is answered of one row: its form as it comes back, or what is said of it where there is none. */
function stateOf(row: ReadRow, outcome: Outcome): RowState | null {
  if (outcome.kind === "saved" || outcome.kind === "unchanged") return null;
  const { view } = outcome;
  if (view.what === "form") {
    const above = view.form.problems.filter(
      ({ field }) => !view.form.fields.some((each) => each.field.column.name === field),
    );
    return { key: row.key, form: view.form, said: above.map((each) => each.message).join(" ") || null };
  }
  if (view.what !== "notice") return null;
  const { code, because } = view.notice;
  const { title } = titleOfCode(row.trip.page.language, code);
  const form = layOut(row.trip, "edit", sentForm(row.submission, { row: {}, version: "" }, []), new Map());
  return { key: row.key, form, said: because === null ? title : `${title}: ${because}` };
}

const statusOfKind = { shown: "shown", invalid: "invalid", conflict: "conflict", failed: "failed" } as const;

/** Saves one row of the list by its key; the others stay as they were typed. */
async function saveOne(trip: Trip, row: ReadRow, all: readonly ReadRow[]): Promise<Outcome> {
  const outcome = await saveRead(row.trip, row.submission);
  const others = all.filter((each) => each !== row && isTouched(each));
  if (outcome.kind === "saved" || outcome.kind === "unchanged") {
    const whole = { ...outcome, page: trip.page };
    // Where nothing else was typed, the list is asked for anew; otherwise it is the answer, with what was typed.
    return { ...whole, list: others.length === 0 ? null : await listAgain(trip, [], others) };
  }
  const state = stateOf(row, outcome);
  if (!state) return outcome;
  const list = await listAgain(trip, [state], others);
  const kind = outcome.kind === "refused" || outcome.kind === "not-found" ? "conflict" : statusOfKind[outcome.kind];
  return { kind, view: { what: "list", list } };
}

/** What was sent of a list's rows: one that is saved by itself, or all that were touched at once. */
export async function saveRows(trip: Trip, body: string): Promise<Outcome> {
  const { page, recorder, dependencies } = trip;
  const pairs = readPairs(body);
  if (typeof pairs === "string") {
    recorder.note("read", [], pairs);
    return refused("form-broken", page);
  }
  const { rows, pressed } = rowsIn(pairs);
  const read: ReadRow[] = [];
  for (const [number, sent] of rows) {
    const token = sent.find(([name]) => name === tokenName)?.[1];
    const key = (token === undefined ? undefined : readToken(token, dependencies.signer)?.key) ?? [];
    const own: Trip = { ...trip, page: rowPage(page), key };
    const holder: Holder = holderOf(own, "edit");
    const result = readSent(holder, sent, dependencies.signer);
    if (!result.ok) {
      recorder.note("read", [], `row ${number}: ${result.reason}`);
      return refused(result.code, page, { typed: result.typed });
    }
    read.push({ number, key, submission: result.submission, trip: own });
  }
  if (pressed === "together" || (page.list.together && typeof pressed !== "number"))
    return saveTogether(trip, read.filter(isTouched));
  const touched = read.filter(isTouched);
  const row = read.find(({ number }) => number === pressed) ?? (touched.length === 1 ? touched[0] : undefined);
  if (row) return saveOne(trip, row, read);
  noteTouched(trip, touched);
  // By the enter key, which presses no button of a row.
  const said = touched.length > 1 ? word(page.language, "which-row") : null;
  const list = await listAgain(trip, [], touched, said);
  return said ? { kind: "invalid", view: { what: "list", list } } : { kind: "shown", view: { what: "list", list } };
}

const noteTouched = ({ recorder }: Trip, touched: readonly ReadRow[]): void =>
  recorder.note(
    "read",
    touched.map(({ key }) => ({ name: "row", value: key.join(", "), note: "touched" })),
  );
