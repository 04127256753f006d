import { truthOf } from "../condition/evaluate.js";
import type { FieldChange } from "../log/field-change.js";
import { lastChangesStatement } from "../log/read.js";
import type { MessageCode } from "../messages/catalog.js";
import { message, word } from "../messages/messages.js";
import { memoizePerPage } from "../page/memoize-per-page.js";
import { reasonName } from "../page/names.js";
import type { Page } from "../page/page.js";
import type { Row } from "../postgres/statement.js";
import { isInDoubt, isRefusal, unavailabilityOf } from "../postgres/unavailable.js";
import type { Guard } from "../statements/save.js";
import { checkAcross, checkFields, conditionsOf, formValues } from "../steps/check.js";
import { type ComparedField, changedFields, compareWithShown, compareWithStored } from "../steps/compare.js";
import { exists, load, type StoredRecord } from "../steps/load.js";
import { lookUp } from "../steps/look-up.js";
import { type Stale, type Submission, typedTexts } from "../steps/read.js";
import { writeToken } from "../steps/token.js";
import { write } from "../steps/write.js";
import { writeByRoutine } from "../steps/write-by-routine.js";
import { tableName } from "../table/model.js";
import { formOf, invalid, notFound, type Outcome, refused, shown } from "../trip/outcome.js";
import type { Trip } from "../trip/trip.js";
import { OwnCodeFailed } from "../values/registry.js";
import type { Conflict, FormView, Problem } from "../views/form-view.js";
import { told, toldMoment } from "../views/told.js";
import { whatBecame } from "./doubt.js";
import {
  claimsFor,
  doubtingToken,
  type FormState,
  layOut,
  lockedBecause,
  makeForm,
  readForm,
  sentForm,
} from "./form.js";
import { addressOfNext } from "./neighbour.js";
import { noteFailure, Own } from "./own.js";
import { noteCompared, noteProblems, noteRead, noteWrite } from "./save-notes.js";

/** How often a save is compared and written anew because the row changed in between. */
const mostTries = 5;

/** The SAVE half from Read on: Read → Check → Compare → Write. Route, Key and Access are behind it, Answer comes after. */
export const save = async (trip: Trip, body: string): Promise<Outcome> => withNext(trip, await readAndSave(trip, body));

function readAndSave(trip: Trip, body: string): Promise<Outcome> | Outcome {
  const submission = readForm(trip, "edit", body);
  return "kind" in submission ? submission : saveRead(trip, submission);
}

/** The same for a form that was read already. */
export const saveRead = (trip: Trip, submission: Submission): Promise<Outcome> =>
  new Save({ ...trip, reason: submission.reason, ...undoneBy(submission) }).beyond(submission);

/** A save after which the next record of the list comes says where that is. */
async function withNext(trip: Trip, outcome: Outcome): Promise<Outcome> {
  if (trip.page.answer.saved !== "next" || (outcome.kind !== "saved" && outcome.kind !== "unchanged")) return outcome;
  try {
    return { ...outcome, to: await addressOfNext(trip, outcome.key) };
  } catch (error) {
    // It is saved, whatever becomes of the way on.
    if (!unavailabilityOf(error) && !isRefusal(error)) throw error;
    return outcome;
  }
}

/** What checks and conditional rules ask about: columns of the form and of the stored row. */
const askedByRules = memoizePerPage((page): readonly { from: "form" | "row"; name: string }[] =>
  conditionsOf(page).flatMap(({ formColumns, rowColumns }) => [
    ...formColumns.map((name) => ({ from: "form" as const, name })),
    ...rowColumns.map((name) => ({ from: "row" as const, name })),
  ]),
);

/** What breaks rules and checks in a form, held against the record as it is stored now; nothing where it is gone. */
export async function problemsOfSave(trip: Trip, submission: Submission): Promise<readonly Problem[]> {
  const { fields } = submission;
  const record = await load(trip);
  if (!record || lockedBecause(trip.page, record, trip.facts) !== null) return [];
  const known = knownProblems(trip, submission, record.row);
  return [...known, ...(await lookUp(trip, record.row, fields, known))];
}

/** Whether the stored row is needed before a form is judged: rules ask for what the form did not send. */
export function asksForRow(page: Page, { fields, search }: Submission): boolean {
  if (search || fields.every((each) => !each.touched)) return true;
  return askedByRules(page).some(({ from, name }) => {
    const submitted = fields.find((each) => each.field.column.name === name);
    // What was shown and left untouched is what is stored, on the word of the row's version; what was typed is the form's.
    return !submitted?.sent || (from === "row" && submitted.touched);
  });
}

/** What breaks rules and checks, as far as it can be said without the table. */
export const knownProblems = (trip: Trip, submission: Submission, row: Row): readonly Problem[] => [
  ...checkFields(trip, row, submission.fields),
  ...checkAcross(trip, row, submission.fields),
  ...reasonProblem(trip, submission, row),
];

/** A change of which the page asks why, and nobody said so. */
/** What the save of a form puts back that was opened with an entry's old values. */
const undoneBy = ({ claims }: Submission): Pick<Trip, "undoes"> =>
  claims.undoes === undefined ? {} : { undoes: [claims.undoes] };

function reasonProblem({ page, facts }: Trip, { fields, reason }: Submission, row: Row): readonly Problem[] {
  if (page.reason === null || reason !== null || fields.every(({ touched }) => !touched)) return [];
  const asks = truthOf(page.reason.expression, { ...facts, row, form: formValues(row, fields) }) === true;
  return asks ? [{ field: reasonName, message: word(page.language, "reason-needed") }] : [];
}

/** The conflicts of a comparison: what is stored instead, by whom and since when. */
export async function conflictsOf(
  { page, key, dependencies }: Trip,
  compared: readonly ComparedField[],
  record: StoredRecord,
): Promise<readonly Conflict[]> {
  if (compared.every(({ state }) => state !== "conflict")) return [];
  const recordKey = Object.fromEntries(page.key.map((column, index) => [column.name, key[index] ?? ""]));
  const entries = await dependencies.database.run(lastChangesStatement(tableName(page.table), recordKey));
  return compared.flatMap(({ submitted, state }): Conflict[] => {
    if (state !== "conflict") return [];
    const { name } = submitted.field.column;
    const entry = entries.find((row) =>
      (JSON.parse(row.fields ?? "[]") as FieldChange[]).some((change) => change.field === name),
    );
    const at = entry?.at ? toldMoment(page, entry.at) : null;
    const stored = told(page, submitted.field.column, record.row[name] ?? null) ?? "";
    return [{ field: name, stored, by: entry?.actor_name ?? null, at }];
  });
}

/** The form made anew upon what is stored now, with what was typed in the fields that were touched. */
export const renewedForm = (
  trip: Trip,
  submission: Submission,
  record: StoredRecord,
  problems: readonly Problem[],
  conflicts: readonly Conflict[],
): Promise<FormView> =>
  makeForm(trip, "edit", {
    ...sentForm(submission, record, problems),
    typed: touchedTexts(submission),
    token: writeToken(claimsFor(trip, "edit", record), trip.dependencies.signer),
    conflicts,
  });

class Save {
  private readonly page;
  private readonly key;
  private readonly request;
  private readonly facts;
  private readonly recorder;
  private readonly dependencies;
  /** Whether a statement that writes is on its way: where it fails now, nobody knows whether it took effect. */
  private writing = false;
  private readonly own: Own | null;

  constructor(private readonly trip: Trip) {
    ({
      page: this.page,
      key: this.key,
      request: this.request,
      facts: this.facts,
      recorder: this.recorder,
      dependencies: this.dependencies,
    } = trip);
    this.own = Own.of(trip, "change");
  }

  async beyond(submission: Submission): Promise<Outcome> {
    noteRead(this.recorder, submission);
    try {
      return (await this.earlier(submission)) ?? (await this.beyondRead(submission));
    } catch (error) {
      if (error instanceof OwnCodeFailed) {
        noteFailure(this.recorder, error);
        return this.failed(submission, "own-step-failed", submission.token);
      }
      const unavailability = unavailabilityOf(error);
      if (!unavailability) throw error;
      this.recorder.note("write", [], (error as Error).message);
      if (this.writing && isInDoubt(error)) return this.afterDoubt(submission);
      return this.failed(submission, unavailability.message, submission.token);
    }
  }

  /** Asks what became of an earlier try with this form whose answer was lost; null where the way goes on. */
  private async earlier(submission: Submission): Promise<Outcome | null> {
    const { doubt } = submission.claims;
    if (doubt === undefined) return null;
    const became = await whatBecame(this.trip, doubt);
    if (became.kind === "nothing") return null;
    if (became.kind === "unknown") return this.failed(submission, "unavailable-doubt", submission.token, false);
    const record = await load({ ...this.trip, key: became.key });
    const { page } = this;
    const since = submission.fields.filter(
      ({ field, touched, value }) => touched && value !== (record?.row[field.column.name] ?? null),
    );
    this.recorder.note("write", [{ name: "log entry", value: became.entry, note: "of an earlier try" }]);
    if (since.length === 0 || !record)
      return { kind: "unchanged", page, key: became.key, row: record?.row ?? {}, earlier: became.at };
    // What was typed since is no part of that save: it is shown again, upon what is stored now.
    const said = message(page.language, "saved-earlier", { at: toldMoment(page, became.at) });
    const form = await renewedForm(this.trip, submission, record, [{ field: null, message: said }], []);
    return invalid({ ...form, certain: false, heading: "heading-look-again" });
  }

  /** The answer of the statement that writes was lost: the log is asked, at once where the database answers soon. */
  private async afterDoubt(submission: Submission): Promise<Outcome> {
    const { page } = this;
    const became = await whatBecame(this.trip, this.request.id);
    if (became.kind === "nothing") return this.failed(submission, "unavailable-lost", submission.token);
    if (became.kind === "unknown")
      return this.failed(submission, "unavailable-doubt", doubtingToken(this.trip, submission), false);
    const { key, changes, entry } = became;
    this.recorder.note("write", [{ name: "log entry", value: entry, note: "found after the connection was lost" }]);
    const record = await load({ ...this.trip, key });
    this.own?.saved([{ entry, changes: JSON.stringify(changes), row: JSON.stringify(record?.row ?? {}) }]);
    return { kind: "saved", page, key, row: record?.row ?? {}, changes, what: "changed" };
  }

  private async failed(submission: Submission, code: MessageCode, token: string, certain = true): Promise<Outcome> {
    const said = message(this.page.language, code);
    return { kind: "failed", view: formOf(await this.formWithoutDatabase(submission, said, token, certain)) };
  }

  /** A form that has to be looked at again comes back with what was typed, upon what is stored now, conflicts and all. */
  private async lookAgain(submission: Submission, stale: Stale): Promise<Outcome> {
    const record = await this.load();
    if (!record) return this.gone("check", submission);
    this.recorder.note("compare", [], `the form must be looked at again: ${staleWords[stale]}`);
    const locked = this.locked(record, submission);
    if (locked) return locked;
    const { fields, claims } = submission;
    const compared = compareWithStored(this.trip, record.row, fields, claims);
    const conflicts = record.version === claims.row ? [] : await conflictsOf(this.trip, compared, record);
    const problem = { field: null, message: message(this.page.language, `stale-${stale}`) };
    const form = await renewedForm(this.trip, submission, record, [problem], conflicts);
    return conflicts.length > 0
      ? { kind: "conflict", view: formOf(form) }
      : invalid({ ...form, heading: "heading-look-again" });
  }

  private async beyondRead(given: Submission): Promise<Outcome> {
    let submission = given;
    const { own } = this;
    const asks = asksForRow(this.page, submission) || own?.asksForRow === true;
    let record = asks ? await this.load() : null;
    if (asks && !record) return this.gone("check", submission);
    if (submission.search) return shown(await this.form(submission, record, [], []));
    if (submission.take !== null) return this.takeStored(submission, submission.take);
    if (submission.stale) return this.lookAgain(submission, submission.stale);
    if (own && record) submission = { ...submission, fields: await own.beforeCheck(submission.fields, record.row) };
    let known = knownProblems(this.trip, submission, record?.row ?? {});
    if (known.length > 0 && !record) {
      // What was shown may be out of date: before anything is refused, it is held against what is stored now.
      record = await this.load();
      if (!record) return this.gone("check", submission);
      known = knownProblems(this.trip, submission, record.row);
    }
    const row = record?.row ?? {};
    const all = [
      ...known,
      ...(await lookUp(this.trip, row, submission.fields, known)),
      ...(await this.ownProblems(submission, row)),
    ];
    if (all.length > 0) {
      noteProblems(this.recorder, all);
      return invalid(await this.form(submission, record, all, []));
    }
    this.recorder.note("check", [{ name: "problems", value: "none" }]);
    const compared = compareWithShown(submission.fields);
    noteCompared(this.recorder, compared);
    if (record && changedFields(compared).length === 0) return this.unchanged(record);
    return this.write(submission, compared, { by: "version", version: submission.claims.row }, 1, row);
  }

  /** What the developer's own check says of a form that changes anything. */
  private async ownProblems({ fields }: Submission, row: Row): Promise<readonly Problem[]> {
    return this.own && fields.some(({ touched }) => touched) ? this.own.check(fields, row) : [];
  }

  /** The form again with what is stored in one field, in the place of what was typed there; the rest stays as it was typed. */
  private async takeStored(submission: Submission, name: string): Promise<Outcome> {
    const record = await this.load();
    if (!record) return this.gone("compare", submission);
    const locked = this.locked(record, submission);
    if (locked) return locked;
    const fields = submission.fields.filter(({ field }) => field.column.name !== name);
    const compared = compareWithStored(this.trip, record.row, fields, submission.claims).map((each) => {
      const { field, touched, value } = each.submitted;
      const { name: own } = field.column;
      const isTold = submission.told.includes(own) && touched && value !== (record.row[own] ?? null);
      return isTold ? { ...each, state: "conflict" as const } : each;
    });
    this.recorder.note("compare", [{ name, value: record.row[name] ?? null, note: "what is stored is taken" }]);
    const others = { ...submission, fields };
    return shown(await renewedForm(this.trip, others, record, [], await conflictsOf(this.trip, compared, record)));
  }

  /** Writes, and where the row was changed meanwhile, compares with what is stored now and tries again. */
  private async write(
    submission: Submission,
    compared: readonly ComparedField[],
    guard: Guard,
    turn: number,
    stored: Row,
  ): Promise<Outcome> {
    const { page, key } = this;
    const own = (await this.own?.write(submission.fields, stored)) ?? null;
    this.writing = true;
    const result = page.routine
      ? await writeByRoutine(this.trip, page.routine, guard, submission.fields, own)
      : await write(this.trip, guard, changedFields(compared), own);
    this.writing = false;
    noteWrite(this.recorder, result);
    if (result.kind === "written") {
      const { row, changes, entry } = result;
      this.own?.saved([{ entry, changes: JSON.stringify(changes), row: JSON.stringify(row) }]);
      // Where the key itself was changed, the answer goes to the new address.
      return {
        kind: "saved",
        page,
        key: page.key.map(({ name }, index) => row[name] ?? key[index] ?? ""),
        row,
        changes,
        what: "changed",
      };
    }
    if (result.kind === "refused") return invalid(await this.form(submission, null, result.problems, []));
    const record = await this.load();
    if (!record) return this.gone("compare", submission);
    const locked = this.locked(record, submission);
    if (locked) return locked;
    if (result.kind === "no-difference") return this.unchanged(record);
    if (guard.by === "version" && record.version === guard.version) return this.unwritable(submission, record);
    return this.merge(submission, record, turn);
  }

  /** Different fields merge; the same field with another value is a conflict. */
  private async merge(submission: Submission, record: StoredRecord, turn: number): Promise<Outcome> {
    const compared = compareWithStored(this.trip, record.row, submission.fields, submission.claims);
    noteCompared(this.recorder, compared);
    if (compared.some((each) => each.state === "conflict")) {
      const conflicts = await conflictsOf(this.trip, compared, record);
      return { kind: "conflict", view: formOf(await this.form(submission, record, [], conflicts)) };
    }
    const problems = [
      ...knownProblems(this.trip, submission, record.row),
      ...(await this.ownProblems(submission, record.row)),
    ];
    if (problems.length > 0) {
      noteProblems(this.recorder, problems);
      return invalid(await this.form(submission, record, problems, []));
    }
    if (changedFields(compared).length === 0) return this.unchanged(record);
    // Others were faster every time: as good as too many at once.
    if (turn >= mostTries) {
      const problem = { field: null, message: message(this.page.language, "unavailable-busy") };
      return { kind: "failed", view: formOf(await this.form(submission, record, [problem], [])) };
    }
    return this.write(submission, compared, this.guardOf(compared, record), turn + 1, record.row);
  }

  /** What a save that was compared with the stored row rests on: the fields it changes and those that the checks ask for. */
  private guardOf(compared: readonly ComparedField[], record: StoredRecord): Guard {
    const asked = askedByRules(this.page).map(({ name }) => name);
    const names = new Set([...changedFields(compared).map((each) => each.field.column.name), ...asked]);
    return {
      by: "values",
      columns: this.page.table.columns.filter((column) => names.has(column.name)),
      row: record.row,
    };
  }

  /** The record as it is stored now; null where it is gone or not open to the actor. */
  private load(): Promise<StoredRecord | null> {
    return load(this.trip);
  }

  /** Ends the way where there is no record; which of the reasons it is, is for the recorded request, not for the person. */
  private async gone(step: "check" | "compare", submission: Submission): Promise<Outcome> {
    const { page, recorder, trip } = this;
    const there = await exists(trip);
    recorder.note(
      step,
      [],
      there
        ? `the record exists, but not under ${page.access.rows?.source ?? "rows"}`
        : "there is no record with this key",
    );
    return notFound("record-gone", page, { typed: typedTexts(submission) });
  }

  /** The record is there as it was shown and meets the page's conditions, and yet could not be locked: the table lets it be read only. */
  private async unwritable(submission: Submission, record: StoredRecord): Promise<Outcome> {
    const problem = { field: null, message: message(this.page.language, "read-only-by-policy") };
    this.recorder.note("write", [], "row level security lets the record be read, not changed");
    return invalid(await this.form(submission, record, [problem], []));
  }

  /** The refusal of a record whose state does not allow an edit. */
  private locked(record: StoredRecord, submission: Submission): Outcome | null {
    const { page } = this;
    const because = lockedBecause(page, record, this.facts);
    if (because === null) return null;
    this.recorder.note("compare", [], `edit: ${page.access.edit?.source ?? ""}`);
    return refused("may-not-edit", page, { because, typed: typedTexts(submission) });
  }

  private unchanged(record: StoredRecord): Outcome {
    this.recorder.note("write", [{ name: "written", value: "nothing", note: "no value differs" }]);
    return { kind: "unchanged", page: this.page, key: this.key, row: record.row };
  }

  /** The form again with what was typed, as it was made. */
  private async form(
    submission: Submission,
    known: StoredRecord | null,
    problems: readonly Problem[],
    conflicts: readonly Conflict[],
  ): Promise<FormView> {
    const record = known ?? (await this.load()) ?? { row: {}, version: submission.claims.row };
    // After a conflict it is made anew upon what is stored, since that was now seen.
    if (conflicts.length > 0) return renewedForm(this.trip, submission, record, problems, conflicts);
    return makeForm(this.trip, "edit", sentForm(submission, record, problems));
  }

  /** The form with what was typed, made of the submission alone where the database can't be asked. */
  private async formWithoutDatabase(
    submission: Submission,
    said: string,
    token: string,
    certain: boolean,
  ): Promise<FormView> {
    const problems = [{ field: null, message: said }];
    const heading = certain ? "heading-not-saved" : "heading-in-doubt";
    const state = (record: StoredRecord): FormState => ({
      ...sentForm(submission, record, problems),
      token,
      certain,
      heading,
    });
    try {
      const record = (await this.load()) ?? { row: {}, version: submission.claims.row };
      return await makeForm(this.trip, "edit", state(record));
    } catch (error) {
      if (!unavailabilityOf(error)) throw error;
      return layOut(this.trip, "edit", state({ row: {}, version: submission.claims.row }), new Map());
    }
  }
}

/** Why a form had to be looked at again, for the recorded request. */
const staleWords: Readonly<Record<Stale, string>> = {
  session: "it is of another session",
  age: "it is too old",
  version: "it is of an earlier version of the page",
};

const touchedTexts = (submission: Submission): ReadonlyMap<string, string> =>
  new Map(submission.fields.filter((each) => each.touched).map((each) => [each.field.column.name, each.text]));
