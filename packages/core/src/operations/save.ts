import { isRefusal, unavailabilityOf } from "../postgres/unavailable.js";
import { compareWithStored } from "../steps/compare.js";
import { load } from "../steps/load.js";
import type { Submission } from "../steps/read.js";
import { notFound, type Outcome, refused, shown } from "../trip/outcome.js";
import type { Trip } from "../trip/trip.js";
import { conflictsOf, oneChange } from "./change.js";
import { lockedBecause, makeForm, readForm, renewedForm, sentForm } from "./form.js";
import { formOutcome, withForm } from "./form-outcome.js";
import { lostTexts } from "./lost.js";
import { addressOfNext } from "./neighbour.js";
import type { Given } from "./save-kind.js";
import { noteRead } from "./save-notes.js";
import { saving } from "./saving.js";

/** The SAVE half for a record's form: Read → Check → Compare → Write. Route, Key and Access are behind it, Answer comes after. */
export async function save(trip: Trip, body: string): Promise<Outcome> {
  const submission = readForm(trip, "edit", body);
  return "kind" in submission ? submission : withNext(trip, await saveRead(trip, submission));
}

/** The record of a form that was read, with why it is saved, and what it puts back where it was opened with an entry's old values. */
export const givenOf = (trip: Trip, submission: Submission): Given => {
  const { reason, claims } = submission;
  const undoes = claims.undoes === undefined ? {} : { undoes: [claims.undoes] };
  return { trip: { ...trip, reason, ...undoes }, submission };
};

/** The same for a form that was read already. */
export async function saveRead(trip: Trip, submission: Submission): Promise<Outcome> {
  const given = givenOf(trip, submission);
  noteRead(trip.recorder, [given]);
  return asksOnly(given) ?? formOutcome(given, "edit", await saving(oneChange, given.trip, [given]));
}

/** What a form asks for that is not to be saved yet: choices, or what is stored of a field; null where it is to be saved. */
export function asksOnly(given: Given): Promise<Outcome> | null {
  const { search, take } = given.submission;
  if (search === null && take === null) return null;
  return withForm(given, "edit", () => (take === null || search !== null ? searched(given) : takeStored(given, take)));
}

async function searched({ trip, submission }: Given): Promise<Outcome> {
  const record = await load(trip);
  if (!record) return notFound("record-gone", trip.page, { typed: await lostTexts(trip, submission) });
  return shown(await makeForm(trip, "edit", sentForm(submission, record, [])));
}

/** The form again with what is stored in one field, in the place of what was typed there; the rest stays as it was typed. */
async function takeStored({ trip, submission }: Given, name: string): Promise<Outcome> {
  const { page } = trip;
  const record = await load(trip);
  if (!record) return notFound("record-gone", page, { typed: await lostTexts(trip, submission) });
  const because = lockedBecause(page, record, trip.facts);
  if (because !== null) return refused("may-not-edit", page, { because, typed: await lostTexts(trip, submission) });
  const fields = submission.fields.filter(({ field }) => field.column.name !== name);
  const compared = compareWithStored(trip, record.row, fields, submission.claims).map((each) => {
    const { field, touched, value } = each.submitted;
    const { name: own } = field.column;
    const isTold = submission.told.includes(own) && touched && value !== (record.row[own] ?? null);
    return isTold ? { ...each, state: "conflict" as const } : each;
  });
  trip.recorder.note("compare", [{ name, value: record.row[name] ?? null, note: "what is stored is taken" }]);
  const conflicts = await conflictsOf(trip, compared, record);
  return shown(await renewedForm(trip, { ...submission, fields }, record, { conflicts }));
}

/** A save after which the next record of the list comes says where that is. */
async function withNext(trip: Trip, outcome: Outcome): Promise<Outcome> {
  if (trip.page.answer.saved !== "next" || (outcome.kind !== "saved" && outcome.kind !== "unchanged")) return outcome;
  try {
    const changed = outcome.kind === "saved" ? outcome.changes[0]?.field : undefined;
    return { ...outcome, ...(await addressOfNext(trip, outcome.key, changed)) };
  } catch (error) {
    // It is saved, whatever becomes of the way on.
    if (!unavailabilityOf(error) && !isRefusal(error)) throw error;
    return outcome;
  }
}
