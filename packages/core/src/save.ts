import { told, toldMoment } from "./controls/told.js";
import { claimsFor, type FormState, layOut, lockedBecause, makeForm } from "./form.js";
import { message } from "./messages/messages.js";
import type { Outcome } from "./outcome.js";
import { perPage } from "./page/per-page.js";
import { noteCompared, noteProblems, noteRead, noteWrite } from "./save-notes.js";
import { lastChangesStatement } from "./statements/log.js";
import type { Guard } from "./statements/save.js";
import type { Row } from "./statements/statement.js";
import { checkAcross, checkFields, conditionsOf } from "./steps/check.js";
import { type ComparedField, changedFields, compareWithShown, compareWithStored } from "./steps/compare.js";
import { exists, load, type Record } from "./steps/load.js";
import { lookUp } from "./steps/look-up.js";
import type { Conflict, FormView, Problem } from "./steps/prefill.js";
import { read, type Submission, typedTexts } from "./steps/read.js";
import { writeToken } from "./steps/token.js";
import { type FieldChange, write } from "./steps/write.js";
import { writeByRoutine } from "./steps/write-by-routine.js";
import { tableName } from "./table/model.js";
import type { Trip } from "./trip.js";
import { troubleOf } from "./trouble.js";

/** How often a save is compared and written anew because the row changed in between. */
const mostTries = 5;

/** The SAVE half from Read on: Read → Check → Compare → Write. Route, Key and Access are behind it, Answer comes after. */
export const save = (trip: Trip, body: string): Promise<Outcome> => new Save(trip).run(body);

const found = (result: Outcome | Record): result is Record => "version" in result;

/** What checks and conditional rules ask about: columns of the form and of the stored row. */
const askedByRules = perPage((page): readonly { from: "form" | "row"; name: string }[] =>
  conditionsOf(page).flatMap(({ formColumns, rowColumns }) => [
    ...formColumns.map((name) => ({ from: "form" as const, name })),
    ...rowColumns.map((name) => ({ from: "row" as const, name })),
  ]),
);

class Save {
  private readonly page;
  private readonly key;
  private readonly request;
  private readonly facts;
  private readonly recorder;
  private readonly surroundings;

  constructor(private readonly trip: Trip) {
    ({
      page: this.page,
      key: this.key,
      request: this.request,
      facts: this.facts,
      recorder: this.recorder,
      surroundings: this.surroundings,
    } = trip);
  }

  async run(body: string): Promise<Outcome> {
    const { page, key, facts } = this;
    const holder = { form: "edit" as const, page, key, actor: facts.actor.id, session: this.request.session };
    const result = read(holder, body, this.surroundings.signer);
    if (!result.ok) {
      this.recorder.note(
        "read",
        [...result.typed].map(([name, value]) => ({ name, value })),
        result.reason,
      );
      return { kind: "refused", code: result.code, page, because: null, typed: result.typed };
    }
    const { submission } = result;
    noteRead(this.recorder, submission);
    try {
      return await this.beyondRead(submission);
    } catch (error) {
      const trouble = troubleOf(error);
      if (!trouble) throw error;
      this.recorder.note("write", [], (error as Error).message);
      return {
        kind: "failed",
        form: await this.formWithoutDatabase(submission, message(this.page.language, trouble.message)),
      };
    }
  }

  private async beyondRead(submission: Submission): Promise<Outcome> {
    const { page, facts } = this;
    let record = this.asksForRow(submission) ? await this.load() : null;
    if (record && !found(record)) return this.stop("check", record, submission);
    if (submission.look) return { kind: "shown", form: await this.form(submission, record, [], []) };
    let known = this.problems(submission, record?.row ?? {});
    if (known.length > 0 && !record) {
      // What was shown may be out of date: before anything is refused, it is held against what is stored now.
      record = await this.load();
      if (!found(record)) return this.stop("check", record, submission);
      known = this.problems(submission, record.row);
    }
    const row = record?.row ?? {};
    const all = [
      ...known,
      ...(await lookUp(page, this.key, row, submission.fields, known, facts, this.surroundings.database)),
    ];
    if (all.length > 0) {
      noteProblems(this.recorder, all);
      return { kind: "invalid", form: await this.form(submission, record, all, []) };
    }
    this.recorder.note("check", [{ name: "problems", value: "none" }]);
    const compared = compareWithShown(submission.fields);
    noteCompared(this.recorder, compared);
    if (record && changedFields(compared).length === 0) return this.unchanged(record);
    return this.write(submission, compared, { by: "version", version: submission.claims.row }, 1);
  }

  private problems({ fields }: Submission, row: Row): readonly Problem[] {
    const { page, facts } = this;
    return [...checkFields(page, fields, row, facts), ...checkAcross(page, row, fields, facts)];
  }

  /** Whether the stored row is needed beforehand: rules ask for what the form did not send. Otherwise a save is one trip. */
  private asksForRow({ fields, look }: Submission): boolean {
    if (look || fields.every((each) => !each.touched)) return true;
    return askedByRules(this.page).some(({ from, name }) => {
      const submitted = fields.find((each) => each.field.column.name === name);
      // What was shown and left untouched is what is stored, on the word of the row's version; what was typed is the form's.
      return !submitted?.sent || (from === "row" && submitted.touched);
    });
  }

  /** Writes, and where the row was changed meanwhile, compares with what is stored now and tries again. */
  private async write(
    submission: Submission,
    compared: readonly ComparedField[],
    guard: Guard,
    turn: number,
  ): Promise<Outcome> {
    const { page, key, facts, request } = this;
    const note = { actor: facts.actor, page: page.name, pageVersion: page.version, requestId: request.id };
    const { database } = this.surroundings;
    const result = page.routine
      ? await writeByRoutine(page, page.routine, key, guard, submission.fields, facts, note, database)
      : await write(page, key, guard, changedFields(compared), facts, note, database);
    noteWrite(this.recorder, result);
    if (result.kind === "written") {
      const { row, changes } = result;
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
    if (result.kind === "refused")
      return { kind: "invalid", form: await this.form(submission, null, result.problems, []) };
    const record = await this.load();
    if (!found(record)) return this.stop("compare", record, submission);
    const locked = lockedBecause(page, record, facts);
    if (locked !== null) {
      this.recorder.note("compare", [], `edit: ${page.access.edit?.source ?? ""}`);
      return { kind: "refused", code: "may-not-edit", page, because: locked, typed: typedTexts(submission) };
    }
    if (result.kind === "no-difference") return this.unchanged(record);
    if (guard.by === "version" && record.version === guard.version) return this.unwritable(submission, record);
    return this.merge(submission, record, turn);
  }

  /** Different fields merge; the same field with another value is a conflict. */
  private async merge(submission: Submission, record: Record, turn: number): Promise<Outcome> {
    const compared = compareWithStored(
      this.page,
      record.row,
      submission.fields,
      submission.claims,
      this.surroundings.signer,
    );
    noteCompared(this.recorder, compared);
    if (compared.some((each) => each.state === "conflict")) {
      const conflicts = await this.conflicts(compared, record);
      return { kind: "conflict", form: await this.form(submission, record, [], conflicts) };
    }
    const problems = this.problems(submission, record.row);
    if (problems.length > 0) {
      noteProblems(this.recorder, problems);
      return { kind: "invalid", form: await this.form(submission, record, problems, []) };
    }
    if (changedFields(compared).length === 0) return this.unchanged(record);
    // Others were faster every time: as good as too many at once.
    if (turn >= mostTries) {
      const problem = { field: null, message: message(this.page.language, "trouble-busy") };
      return { kind: "failed", form: await this.form(submission, record, [problem], []) };
    }
    return this.write(submission, compared, this.guardOf(compared, record), turn + 1);
  }

  /** What a save that was compared with the stored row rests on: the fields it changes and those that the checks ask for. */
  private guardOf(compared: readonly ComparedField[], record: Record): Guard {
    const asked = askedByRules(this.page).map(({ name }) => name);
    const names = new Set([...changedFields(compared).map((each) => each.field.column.name), ...asked]);
    return {
      by: "values",
      columns: this.page.table.columns.filter((column) => names.has(column.name)),
      row: record.row,
    };
  }

  private async load(): Promise<Record | Outcome> {
    const { page, key, facts } = this;
    const { database } = this.surroundings;
    const record = await load(page, key, facts, database);
    if (record) return record;
    const there = await exists(page, key, facts, database);
    const because = there ? `exists, but not under ${page.access.rows?.source ?? "rows"}` : null;
    return { kind: "not-found", code: "no-such-record", page, because };
  }

  /** Ends the way where the record is gone or not open to the actor; which of the two is for the record, not for the person. */
  private stop(step: "check" | "compare", outcome: Outcome, submission: Submission): Outcome {
    if (outcome.kind !== "not-found") return outcome;
    this.recorder.note(
      step,
      [],
      outcome.because ? `the record ${outcome.because}` : "there is no record with this key",
    );
    return { ...outcome, code: "record-gone", because: null, typed: typedTexts(submission) };
  }

  /** The record is there as it was shown and meets the page's conditions, and yet could not be locked: the table lets it be read only. */
  private async unwritable(submission: Submission, record: Record): Promise<Outcome> {
    const problem = { field: null, message: message(this.page.language, "read-only-by-policy") };
    this.recorder.note("write", [], "row level security lets the record be read, not changed");
    return { kind: "invalid", form: await this.form(submission, record, [problem], []) };
  }

  private unchanged(record: Record): Outcome {
    this.recorder.note("write", [{ name: "written", value: "nothing", note: "no value differs" }]);
    return { kind: "unchanged", page: this.page, key: this.key, row: record.row };
  }

  private async conflicts(compared: readonly ComparedField[], record: Record): Promise<readonly Conflict[]> {
    const { page, key, surroundings } = this;
    const recordKey = Object.fromEntries(page.key.map((column, index) => [column.name, key[index] ?? ""]));
    const entries = await surroundings.database.run(lastChangesStatement(tableName(page.table), recordKey));
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

  /** The form again with what was typed. After a conflict it is made anew upon what is stored, since that was now seen. */
  private async form(
    submission: Submission,
    known: Record | null,
    problems: readonly Problem[],
    conflicts: readonly Conflict[],
  ): Promise<FormView> {
    const loaded = known ?? (await this.load());
    const record: Record = found(loaded) ? loaded : { row: {}, version: submission.claims.row };
    const seen = conflicts.length > 0;
    return makeForm(this.trip, "edit", {
      ...this.sent(submission, record, problems),
      typed: seen ? touchedTexts(submission) : typedTexts(submission),
      token: seen ? writeToken(claimsFor(this.trip, "edit", record), this.trip.surroundings.signer) : submission.token,
      conflicts,
    });
  }

  private sent(submission: Submission, record: Record, problems: readonly Problem[]): FormState {
    const { token, look } = submission;
    const typed = typedTexts(submission);
    return { record, submission, typed, problems, conflicts: [], look, token, locked: null, notice: null };
  }

  /** The form with what was typed, made of the submission alone where the database can't be asked. */
  private async formWithoutDatabase(submission: Submission, said: string): Promise<FormView> {
    const problems = [{ field: null, message: said }];
    try {
      return await this.form(submission, null, problems, []);
    } catch (error) {
      if (!troubleOf(error)) throw error;
      const record = { row: {}, version: submission.claims.row };
      return layOut(this.trip, "edit", this.sent(submission, record, problems), new Map());
    }
  }
}

const touchedTexts = (submission: Submission): ReadonlyMap<string, string> =>
  new Map(submission.fields.filter((each) => each.touched).map((each) => [each.field.column.name, each.text]));
