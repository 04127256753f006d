import { message } from "../messages/messages.js";
import type { Page } from "../page/page.js";
import { saidOf, unavailabilityOf } from "../postgres/unavailable.js";
import { load, type StoredRecord, unknownRecord } from "../steps/load.js";
import { writeAgain, writeToken } from "../steps/token.js";
import { formOf, invalid, notFound, type Outcome, refused } from "../trip/outcome.js";
import type { FormKind, FormView } from "../views/form-view.js";
import { claimsFor, type FormState, layOut, makeForm, renewedForm, sentForm } from "./form.js";
import { lostTexts } from "./lost.js";
import { defaults } from "./new.js";
import { asProblem, type Done, type Ending, type Given, type Stopped } from "./save-kind.js";

type Failed = Extract<Ending, { is: "failed" }>;

/** What is answered of one record that was saved, or had the values already. */
export function savedOutcome(page: Page, done: Done, what: "changed" | "made"): Extract<Outcome, { page: Page }> {
  const { key, row, changes, entry, earlier } = done;
  if (entry !== null) return { kind: "saved", page, key, row, changes, what, entry };
  return { kind: "unchanged", page, key, row, ...(earlier === undefined ? {} : { earlier }) };
}

/** The form with what was typed and what keeps it from being saved. */
export async function stoppedForm({ given, problems, conflicts, ...stop }: Stopped, form: FormKind): Promise<FormView> {
  const { trip, submission } = given;
  const heading = stop.heading === undefined ? {} : { heading: stop.heading };
  if (form === "new") {
    const record = await defaults(trip);
    const state = { ...sentForm(submission, record, problems), ...heading };
    if (!stop.renewed) return makeForm(trip, "new", state);
    // Made anew, under the number that it had: it is still the same form.
    const claims = claimsFor(trip, "new", record, submission.claims.id);
    return makeForm(trip, "new", { ...state, token: writeToken(claims, trip.dependencies.signer) });
  }
  const record = stop.record ?? (await load(trip)) ?? nothingStored(given);
  return stop.renewed
    ? renewedForm(trip, submission, record, { ...heading, problems, conflicts, certain: stop.certain ?? true })
    : makeForm(trip, "edit", { ...sentForm(submission, record, problems), ...heading });
}

const nothingStored = ({ submission }: Given): StoredRecord => unknownRecord(submission.claims.row);

/** The form with what was typed and why it could not be saved: made of the submission alone where the database can't be asked. */
export async function failedForm(given: Given, form: FormKind, { code, certain, doubt }: Failed): Promise<FormView> {
  const { trip, submission } = given;
  const { page, dependencies } = trip;
  const problems = [asProblem(message(page.language, code))];
  // The next try asks first what became of this one.
  const token = doubt === undefined ? submission.token : writeAgain(submission.claims, { doubt }, dependencies.signer);
  const heading = certain ? "heading-not-saved" : "heading-in-doubt";
  const state = (record: StoredRecord): FormState => ({
    ...sentForm(submission, record, problems),
    token,
    certain,
    heading,
  });
  try {
    if (form === "edit") return await makeForm(trip, form, state((await load(trip)) ?? nothingStored(given)));
  } catch (error) {
    if (!unavailabilityOf(error)) throw error;
  }
  return layOut(trip, form, state(nothingStored(given)), new Map());
}

/** What is answered with a record's form; where the database goes away meanwhile, with what was typed. */
export async function withForm(given: Given, form: FormKind, make: () => Promise<Outcome>): Promise<Outcome> {
  try {
    return await make();
  } catch (error) {
    const unavailability = unavailabilityOf(error);
    if (!unavailability) throw error;
    given.trip.recorder.note("answer", [], saidOf(error as Error));
    const view = await failedForm(given, form, { is: "failed", code: unavailability.message, certain: true });
    return { kind: "failed", view: formOf(view) };
  }
}

/** How the save of one record is answered: with its form, unless it is saved. */
export const formOutcome = (given: Given, form: FormKind, ending: Ending): Promise<Outcome> =>
  withForm(given, form, async () => {
    const { page } = given.trip;
    if (ending.is === "failed") return { kind: "failed", view: formOf(await failedForm(given, form, ending)) };
    const [row] = ending.rows;
    if (!row) throw new Error("A save of one record ended without it.");
    if (!("problems" in row)) return savedOutcome(page, row, form === "new" ? "made" : "changed");
    const typed = (): Promise<ReadonlyMap<string, string>> => lostTexts(given.trip, row.given.submission);
    if (row.is === "gone") return notFound("record-gone", page, { typed: await typed() });
    if (row.is === "locked")
      return refused("may-not-edit", page, { because: row.problems[0]?.message ?? null, typed: await typed() });
    const view = await stoppedForm(row, form);
    return row.is === "conflict" ? { kind: "conflict", view: formOf(view) } : invalid(view);
  });
