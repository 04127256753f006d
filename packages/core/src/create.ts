import { type FormState, freshForm, layOut, makeForm } from "./form.js";
import { message } from "./messages/messages.js";
import type { Outcome } from "./outcome.js";
import { noteProblems, noteRead, noteWrite } from "./save-notes.js";
import {
  createStatement,
  defaultsStatement,
  madeStatement,
  onceConstraint,
  shownDefaults,
} from "./statements/create.js";
import type { LogNote } from "./statements/entry.js";
import { DatabaseRefusal, type Row } from "./statements/statement.js";
import { checkAcross, checkFields } from "./steps/check.js";
import type { Record } from "./steps/load.js";
import { lookUp } from "./steps/look-up.js";
import type { FormView, Problem } from "./steps/prefill.js";
import { read, type Submission, type SubmittedField, typedTexts } from "./steps/read.js";
import { type FieldChange, isAnswerable, persistently, refusalOf, type WriteResult } from "./steps/write.js";
import type { Trip } from "./trip.js";
import { troubleOf } from "./trouble.js";

/** A new record as the table would make it: its constant defaults, and nothing else. */
async function defaults({ page, recorder, surroundings }: Trip): Promise<Record> {
  const columns = shownDefaults(page.table.columns);
  const [row] = columns.length > 0 ? await surroundings.database.run(defaultsStatement(columns)) : [];
  recorder.note(
    "load",
    Object.entries(row ?? {}).map(([name, value]) => ({ name, value, note: "default of the table" })),
  );
  return { row: row ?? {}, version: "" };
}

/** The empty form, with the table's defaults in it. */
export async function openNew(trip: Trip): Promise<Outcome> {
  const form = await makeForm(trip, "new", freshForm(trip, "new", await defaults(trip)));
  trip.recorder.note(
    "prefill",
    form.fields.map(({ field, control, text }) => ({ name: field.column.name, value: text, note: control })),
  );
  return { kind: "shown", form };
}

/**
 * What is judged and written of a new record: every field, as if it had been touched, but those that show the table's own default,
 * or may be left for it.
 */
const judgedFields = (fields: readonly SubmittedField[]): readonly SubmittedField[] =>
  fields.map(({ field, sent, text, touched, value, problem }) => ({
    field,
    sent,
    text,
    touched: touched || field.column.default === null,
    value,
    problem,
  }));

/** The SAVE half for a new record: Read → Check → Write. There is nothing to compare with. */
export async function create(trip: Trip, body: string): Promise<Outcome> {
  const { page, facts, request, recorder, surroundings } = trip;
  const holder = { form: "new" as const, page, key: [], actor: facts.actor.id, session: request.session };
  const result = read(holder, body, surroundings.signer);
  if (!result.ok) {
    recorder.note(
      "read",
      [...result.typed].map(([name, value]) => ({ name, value })),
      result.reason,
    );
    return { kind: "refused", code: result.code, page, because: null, typed: result.typed };
  }
  const { submission } = result;
  noteRead(recorder, submission);
  try {
    return await beyondRead(trip, submission);
  } catch (error) {
    const trouble = troubleOf(error);
    if (!trouble) throw error;
    recorder.note("write", [], (error as Error).message);
    const problems = [{ field: null, message: message(page.language, trouble.message) }];
    return {
      kind: "failed",
      form: layOut(trip, "new", sent(submission, { row: {}, version: "" }, problems), new Map()),
    };
  }
}

async function beyondRead(trip: Trip, submission: Submission): Promise<Outcome> {
  const { page, facts, recorder, surroundings } = trip;
  const again = (problems: readonly Problem[]): Promise<FormView> => formAgain(trip, submission, problems);
  if (submission.look) return { kind: "shown", form: await again([]) };
  const fields = judgedFields(submission.fields);
  const known = [...checkFields(page, fields, {}, facts), ...checkAcross(page, {}, fields, facts)];
  const problems = [...known, ...(await lookUp(page, null, {}, fields, known, facts, surroundings.database))];
  if (problems.length > 0) {
    noteProblems(recorder, problems);
    return { kind: "invalid", form: await again(problems) };
  }
  recorder.note("check", [{ name: "problems", value: "none" }]);
  const written = await write(trip, submission, fields);
  if (written === "sent twice") return madeBefore(trip, submission);
  noteWrite(recorder, written);
  if (written.kind === "refused") return { kind: "invalid", form: await again(written.problems) };
  if (written.kind !== "written") {
    const problem = { field: null, message: message(page.language, "new-not-yours") };
    recorder.note("write", [], `the new record would not meet ${page.access.rows?.source ?? "rows"}`);
    return { kind: "invalid", form: await again([problem]) };
  }
  const { row, changes } = written;
  const key = page.key.map(({ name }) => row[name] ?? "");
  return { kind: "saved", page, key, row, changes, what: "made" };
}

async function write(
  { page, facts, request, surroundings }: Trip,
  submission: Submission,
  fields: readonly SubmittedField[],
): Promise<WriteResult | "sent twice"> {
  const assignments = fields.flatMap(({ field, value }, index) => {
    const typed = submission.fields[index]?.touched === true;
    return typed || (value !== null && field.column.default === null) ? [{ column: field.column, value }] : [];
  });
  const note: LogNote = {
    actor: facts.actor,
    page: page.name,
    pageVersion: page.version,
    requestId: request.id,
  };
  const statement = createStatement(page, assignments, facts, note, submission.claims.id);
  let row: Row | undefined;
  try {
    [row] = await persistently(() => surroundings.database.run(statement));
  } catch (error) {
    if (!(error instanceof DatabaseRefusal) || !isAnswerable(error.sqlState)) throw error;
    if (error.constraint === onceConstraint) return "sent twice";
    return refusalOf(page, fields, error, surroundings.database);
  }
  if (!row) return { kind: "not-found" };
  return {
    kind: "written",
    entry: row.entry ?? "",
    changes: JSON.parse(row.changes ?? "[]") as FieldChange[],
    row: JSON.parse(row.row ?? "{}") as Row,
  };
}

/** The form came a second time: the answer is that of the first time, and nothing is made twice. */
async function madeBefore({ page, recorder, surroundings }: Trip, { claims }: Submission): Promise<Outcome> {
  const [found] = await surroundings.database.run(madeStatement(claims.id));
  const key = JSON.parse(found?.key ?? "{}") as Row;
  recorder.note("write", [{ name: "written", value: "nothing", note: "this form was sent before" }]);
  return { kind: "unchanged", page, key: page.key.map(({ name }) => key[name] ?? ""), row: key };
}

const sent = (submission: Submission, record: Record, problems: readonly Problem[]): FormState => {
  const { token, look } = submission;
  return {
    record,
    submission,
    typed: typedTexts(submission),
    problems,
    conflicts: [],
    look,
    token,
    locked: null,
    notice: null,
  };
};

const formAgain = async (trip: Trip, submission: Submission, problems: readonly Problem[]): Promise<FormView> =>
  makeForm(trip, "new", sent(submission, await defaults(trip), problems));
