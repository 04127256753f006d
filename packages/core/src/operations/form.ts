import type { Facts } from "../condition/facts.js";
import { controlKind } from "../controls/index.js";
import { show } from "../controls/show.js";
import type { Word } from "../messages/catalog.js";
import { word } from "../messages/messages.js";
import { listQuery } from "../page/list-query.js";
import { backName, reasonName } from "../page/names.js";
import type { Field, Page } from "../page/page.js";
import type { Row } from "../postgres/statement.js";
import { mayDelete, mayEdit } from "../steps/access.js";
import { readBack } from "../steps/back.js";
import { formValues } from "../steps/check.js";
import type { StoredRecord } from "../steps/load.js";
import { completeOffers, loadLists, type ShownValues } from "../steps/offer.js";
import { prefillFields, shownDigests, takenDigest, takenFields, titleOf } from "../steps/prefill.js";
import { read, type Submission, typedTexts } from "../steps/read.js";
import type { Holder, SubmittedField } from "../steps/read-field.js";
import { type Claims, fieldDigest, sessionMark, writeToken } from "../steps/token.js";
import { type Refusal, refused } from "../trip/outcome.js";
import type { Trip } from "../trip/trip.js";
import type { ChoiceSearch, Conflict, FieldView, FormKind, FormView, Offers, Problem } from "../views/form-view.js";
import { ownText } from "../views/own-text.js";
import type { Said } from "../views/said.js";

/** Why the record's form is locked, or null. */
export function lockedBecause(page: Page, record: StoredRecord, facts: Facts): string | null {
  if (mayEdit(page, record.row, facts)) return null;
  if (page.stopped.includes("edit")) return word(page.language, "stopped");
  return page.access.because ?? word(page.language, "locked");
}

/**
 * What a form made now for this record remembers; a new record has neither key nor version yet.
 *
 * @param id the form's own number: that of the request, unless an earlier form goes on under its own
 */
export function claimsFor(trip: Trip, form: Claims["form"], record: StoredRecord, id = trip.request.id): Claims {
  const { page, key, request, facts, dependencies } = trip;
  const undoes = record.undoes ?? trip.undoes?.[0];
  const fields = form === "delete" ? [] : takenFields(page, form, record.row, facts);
  const shown = shownDigests(page, fields, record.row, fieldDigest(dependencies.signer, id));
  return {
    id,
    form,
    page: page.name,
    version: page.version,
    key: [...key],
    actor: facts.actor.id,
    session: sessionMark(request.session, dependencies.signer),
    row: record.version,
    at: facts.now.toISOString(),
    shown,
    given: record.given?.length ? record.given : undefined,
    undoes,
    plain: plainOf(page, record.row, fields),
    taken: takenDigest(page, form, Object.keys(shown), dependencies.signer),
  };
}

/** The fields whose own control can't show what is stored, where there are any. */
function plainOf(page: Page, row: Row, fields: readonly Field[]): Claims["plain"] {
  const plain = fields.filter(
    (field) =>
      controlKind(field.control).refuses && show(field, row[field.column.name] ?? null, page).control !== field.control,
  );
  return plain.length > 0 ? plain.map(({ column }) => column.name) : undefined;
}

/** Whom a form that comes back must have been made for. */
export const holderOf = ({ page, key, facts, request, dependencies }: Trip, form: Claims["form"]): Holder => ({
  form,
  page,
  key: form === "new" ? [] : key,
  actor: facts.actor.id,
  session: request.session,
  now: facts.now,
  formAge: dependencies.formAge,
  files: request.body && "text" in request.body ? request.body.files : undefined,
});

/** Reads a form that came back, or refuses it with what was typed in it. */
export function readForm(trip: Trip, form: Claims["form"], body: string): Submission | Refusal {
  const { page, recorder, dependencies } = trip;
  const result = read(holderOf(trip, form), body, dependencies.signer);
  if (result.ok) return result.submission;
  recorder.note(
    "read",
    [...result.typed].map(([name, value]) => ({ name, value })),
    result.reason,
  );
  return refused(result.code, page, { typed: result.typed });
}

/** The heading of a form. */
const headingOf = (trip: Trip, form: FormKind, row: Row): string =>
  form === "new"
    ? (ownText({ page: trip.page, row, key: [] }, "create") ??
      word(trip.page.language, "new-in", { list: trip.page.plural }))
    : titleOf(trip.page, row, trip.key);

/** What stands on a form besides its fields, and what its fields show instead of what is stored. */
export interface FormState {
  readonly record: StoredRecord;
  /** What was sent, where something was. */
  readonly submission: Submission | null;
  /** Those of the submitted texts that are shown again; without a submission what is stored is shown. */
  readonly typed: ReadonlyMap<string, string>;
  readonly problems: readonly Problem[];
  readonly conflicts: readonly Conflict[];
  readonly search: ChoiceSearch | null;
  readonly token: string;
  readonly locked: string | null;
  readonly notice: Said | null;
  /** False where the answer of a save was lost, so that nobody can say that nothing was saved; true where it is left out. */
  readonly certain?: boolean;
  readonly heading?: Word;
}

/** A form as it is before anything was sent. */
export const freshForm = (trip: Trip, form: FormKind, record: StoredRecord): FormState => ({
  record,
  submission: null,
  typed: new Map(),
  problems: [],
  conflicts: [],
  search: null,
  token: writeToken(claimsFor(trip, form, record), trip.dependencies.signer),
  locked: null,
  notice: null,
});

/** Every value that a control will show, stored and typed, by column. */
const shownValues = (row: Row, fields: readonly SubmittedField[]): ShownValues => ({
  get: (name) => [
    row[name] ?? null,
    ...fields.flatMap(({ field, sent, value }) => (sent && field.column.name === name ? [value] : [])),
  ],
});

/** A field with what is wrong with it. */
const withWrong = (view: FieldView, problems: readonly Problem[], conflicts: readonly Conflict[]): FieldView => ({
  ...view,
  problems: problems.filter((problem) => problem.field === view.field.column.name).map((problem) => problem.message),
  conflict: conflicts.find((conflict) => conflict.field === view.field.column.name) ?? null,
});

/** The form with its fields filled from what the offers hold. */
export function layOut(trip: Trip, form: FormKind, state: FormState, offers: Offers): FormView {
  const { page, key, facts } = trip;
  const { record, problems, conflicts } = state;
  const back = readBack(trip.request.query, trip.dependencies.signer);
  const filled = prefillFields(trip, form, record, { offers, typed: state.typed });
  const isRight = problems.length === 0 && conflicts.length === 0;
  const fields = isRight ? filled : filled.map((view) => withWrong(view, problems, conflicts));
  return {
    page,
    form,
    ids: trip.request.ids ?? "",
    key,
    title: headingOf(trip, form, record.row),
    kept: {
      ...listQuery(page, trip.request.query),
      ...(back === null ? {} : { [backName]: trip.request.query[backName] ?? "" }),
    },
    back,
    fields,
    begins: record.row,
    token: state.token,
    problems,
    conflicts,
    locked: state.locked,
    removable: form === "edit" && mayDelete(page, record.row, facts),
    reason:
      page.reason && form === "edit"
        ? {
            text: state.submission?.reason ?? "",
            problem: problems.find(({ field }) => field === reasonName)?.message ?? null,
          }
        : null,
    notice: state.notice,
    certain: state.certain ?? true,
    heading: state.heading ?? null,
  };
}

/** A form that comes back as it was sent. */
export const sentForm = (submission: Submission, record: StoredRecord, problems: readonly Problem[]): FormState => ({
  record,
  submission,
  typed: typedTexts(submission),
  problems,
  conflicts: [],
  search: submission.search,
  token: submission.token,
  locked: null,
  notice: null,
});

/**
 * Makes a form: asks for what its fields offer and fills it.
 *
 * @param lists the lists that were asked for already, together with the record
 */
export async function makeForm(trip: Trip, form: FormKind, state: FormState, lists?: Offers): Promise<FormView> {
  const { row } = state.record;
  const submitted = state.submission?.fields ?? [];
  const offers = await completeOffers(trip, lists ?? (await loadLists(trip)), shownValues(row, submitted), {
    form: () => formValues(row, submitted),
    search: state.search,
  });
  return layOut(trip, form, state, offers);
}

const touchedTexts = (submission: Submission): ReadonlyMap<string, string> =>
  new Map(submission.fields.filter((each) => each.touched).map((each) => [each.field.column.name, each.text]));

/** The form made anew upon what is stored now, with what was typed in the fields that were touched. */
export const renewedForm = (
  trip: Trip,
  submission: Submission,
  record: StoredRecord,
  told: Pick<FormState, "conflicts"> & Partial<FormState>,
): Promise<FormView> =>
  makeForm(trip, "edit", {
    ...sentForm(submission, record, []),
    typed: touchedTexts(submission),
    token: writeToken(claimsFor(trip, "edit", record), trip.dependencies.signer),
    ...told,
  });
