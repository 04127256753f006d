import type { Facts } from "../condition/facts.js";
import { givenValue } from "../condition/value.js";
import type { FieldChange } from "../log/field-change.js";
import type { MessageCode } from "../messages/catalog.js";
import { message } from "../messages/messages.js";
import { memoizePerPage } from "../page/memoize-per-page.js";
import { copyPrefix, withPrefix } from "../page/names.js";
import type { Check, Field, Page } from "../page/page.js";
import { encodeSegment } from "../page/path.js";
import type { Database, Row } from "../postgres/statement.js";
import { isInDoubt, unavailabilityOf } from "../postgres/unavailable.js";
import { createStatement, defaultsStatement, isConstant, shownDefaults } from "../statements/create.js";
import { afterStatement } from "../statements/routine.js";
import { checkAcross, checkFields } from "../steps/check.js";
import { readKey } from "../steps/key.js";
import { load, type StoredRecord } from "../steps/load.js";
import { lookUp } from "../steps/look-up.js";
import type { Submission, SubmittedField } from "../steps/read.js";
import { writeToken } from "../steps/token.js";
import { type OwnPart, refusedBy, retryOnConflict, setValues, type WriteResult, withOwn } from "../steps/write.js";
import { type Column, columnOf } from "../table/model.js";
import { formOf, invalid, type Outcome, shown } from "../trip/outcome.js";
import { Recorder } from "../trip/recording.js";
import { inside, logNoteOf, type Trip } from "../trip/trip.js";
import { readValue } from "../values/read-value.js";
import { OwnCodeFailed } from "../values/registry.js";
import type { FormView, Problem } from "../views/form-view.js";
import { whatWasMade } from "./doubt.js";
import { claimsFor, doubtingToken, type FormState, freshForm, layOut, makeForm, readForm, sentForm } from "./form.js";
import { noteFailure, Own } from "./own.js";
import { noteProblems, noteRead, noteWrite } from "./save-notes.js";

/** A new record as the table would make it, by its constant defaults, with what the page, another record and the address give. */
export async function defaults(trip: Trip): Promise<StoredRecord> {
  const { page, facts, request, recorder, dependencies } = trip;
  const columns = shownDefaults(page.table.columns);
  const [row] = columns.length > 0 ? await dependencies.database.run(defaultsStatement(columns)) : [];
  const given = { ...pageDefaults(page, facts), ...(await fromRecord(trip)), ...fromAddress(page, request.query) };
  recorder.note(
    "load",
    Object.entries({ ...row, ...given }).map(([name, value]) => ({
      name,
      value,
      note: Object.hasOwn(given, name) ? "given" : "default of the table",
    })),
  );
  // Without a prototype: a column may be called like something that every object has.
  const begun: Row = Object.assign(Object.create(null), row, given);
  return { row: begun, version: "", given: Object.keys(given) };
}

const takenOnNew = (page: Page): readonly Field[] => page.fields.filter(({ onNew }) => onNew);

/** What the page shows on the form of a new record: `now` as people write it, to the second. */
function pageDefaults(page: Page, facts: Facts): Row {
  const written = { ...facts, now: new Date(Math.floor(facts.now.getTime() / 1000) * 1000) };
  return Object.fromEntries(
    takenOnNew(page).flatMap((field) =>
      field.default ? [[field.column.name, givenValue(field.default, field.column, written, page.timeZone)]] : [],
    ),
  );
}

/** What an address gives: `?with.region_id=2`. What is no value of its column is left out. */
const fromAddress = (page: Page, query: Readonly<Record<string, string>>): Row =>
  Object.fromEntries(
    takenOnNew(page).flatMap(({ column }) => {
      const text = query[`${withPrefix}${column.name}`];
      const read = text === undefined ? null : readValue(column.type, text, page.timeZone);
      return read?.ok && read.value !== null ? [[column.name, read.value]] : [];
    }),
  );

/** What is copied from another record: `?copy.code=MV-014`. What must be the only one of its kind is left out. */
async function fromRecord(trip: Trip): Promise<Row> {
  const { page, request } = trip;
  const typed = page.key.map(({ name }) => request.query[`${copyPrefix}${name}`]);
  if (typed.some((each) => each === undefined)) return {};
  const read = readKey(
    page,
    typed.map((each) => encodeSegment(each ?? "")),
  );
  const record = read.ok ? await load({ ...trip, key: read.key }) : null;
  if (!record) return {};
  const isAlone = ({ column, rules }: Field): boolean =>
    page.key.includes(column) || rules.some(({ rule }) => rule === "unique");
  return Object.fromEntries(
    takenOnNew(page)
      .filter((field) => !isAlone(field))
      .map(({ column }) => [column.name, record.row[column.name] ?? null]),
  );
}

/** The form of a new record beside a list, of which the steps note nothing. */
export const newForm = async (trip: Trip): Promise<FormView> =>
  makeForm(trip, "new", freshForm(trip, "new", await defaults({ ...trip, recorder: new Recorder(() => 0) })));

/** The empty form, with the table's defaults in it. */
export async function openNew(trip: Trip): Promise<Outcome> {
  const form = await makeForm(trip, "new", freshForm(trip, "new", await defaults(trip)));
  trip.recorder.note(
    "prefill",
    form.fields.map(({ field, control, text }) => ({ name: field.column.name, value: text, note: control })),
  );
  return shown(form);
}

/** Whether the form decides what is stored: what was typed, and what has no default at all; the rest is the table's to give. */
const isDecided = ({ field, touched }: SubmittedField): boolean => touched || field.column.default === null;

/** Whether the form shows the value that the table will give. */
const isShownDefault = ({ default: given, written }: Column): boolean =>
  given !== null && written === "freely" && isConstant(given);

/**
 * What is judged of a new record before it is written: every field whose value is known then, as if it had been touched. Where the
 * table's own default is shown and was left as it is, what it says is judged by the page's rules; that the table takes its own
 * default goes without saying. An emptied text that has a default is stored as that default, so it is no missing value.
 */
const judgedFields = (fields: readonly SubmittedField[]): readonly SubmittedField[] =>
  fields.map((each): SubmittedField => {
    const { field, sent, text, problem } = each;
    if (isDecided(each)) return { field, sent, text, touched: true, value: each.value, problem };
    if (!sent || !isShownDefault(field.column)) return each;
    const value = each.value ?? (field.column.type.kind === "text" ? "" : null);
    const rules = field.rules.filter((rule) => rule.from === "page");
    return { field: { ...field, rules }, sent, text, touched: true, value, problem };
  });

/** The columns that rules and checks ask about. */
const askedColumns = memoizePerPage(
  (page): ReadonlySet<string> =>
    new Set([
      ...page.checks.flatMap(({ condition }) => [...condition.formColumns, ...condition.rowColumns]),
      ...page.fields.flatMap(({ column, rules }) =>
        rules.flatMap((rule) => [
          ...(rule.from === "page" ? [column.name] : []),
          ...(rule.when ? [...rule.when.formColumns, ...rule.when.rowColumns] : []),
        ]),
      ),
    ]),
);

/** Of the columns that rules and checks ask about, those whose values nobody knows before the record is written. */
function unknownColumns(page: Page, fields: readonly SubmittedField[]): readonly string[] {
  return [...askedColumns(page)].filter((name) => {
    const submitted = fields.find((each) => each.field.column.name === name);
    const column = columnOf(page.table, name);
    if (!column) return false;
    if (submitted) return !isDecided(submitted) && !(submitted.sent && isShownDefault(column));
    return column.default !== null || column.written === "always";
  });
}

/** The checks that can be judged before the record is written. */
const knownChecks = (page: Page, unknown: readonly string[]): readonly Check[] =>
  page.checks.filter(({ condition }) =>
    [...condition.formColumns, ...condition.rowColumns].every((name) => !unknown.includes(name)),
  );

/** The SAVE half for a new record: Read → Check → Write. There is nothing to compare with. */
export async function create(trip: Trip, body: string): Promise<Outcome> {
  const { recorder } = trip;
  const submission = readForm(trip, "new", body);
  if ("kind" in submission) return submission;
  noteRead(recorder, submission);
  return createRead(trip, submission);
}

/** The same for a form that was read already. */
export async function createRead(trip: Trip, submission: Submission): Promise<Outcome> {
  const { recorder } = trip;
  try {
    return await beyondRead(trip, submission);
  } catch (error) {
    if (error instanceof OwnCodeFailed) {
      noteFailure(recorder, error);
      return unsaved(trip, submission, "own-step-failed", submission.token, true);
    }
    const unavailability = unavailabilityOf(error);
    if (!unavailability) throw error;
    recorder.note("write", [], (error as Error).message);
    if (!isInDoubt(error)) return unsaved(trip, submission, unavailability.message, submission.token, true);
    // The form's own number is in the log's keeping as soon as the record is made, so another try makes nothing twice.
    const made = await whatWasMade(trip, submission.claims.id);
    return made
      ? madeBefore(trip, made)
      : unsaved(trip, submission, "unavailable-doubt-new", doubtingToken(trip, submission), false);
  }
}

/** The form with what was typed, made of the submission alone. */
function unsaved(trip: Trip, submission: Submission, code: MessageCode, token: string, certain: boolean): Outcome {
  const problems = [{ field: null, message: message(trip.page.language, code) }];
  const heading = certain ? "heading-not-saved" : "heading-in-doubt";
  const state: FormState = { ...sentForm(submission, { row: {}, version: "" }, problems), token, certain, heading };
  return { kind: "failed", view: formOf(layOut(trip, "new", state, new Map())) };
}

async function beyondRead(trip: Trip, given: Submission): Promise<Outcome> {
  const { page, recorder } = trip;
  const own = Own.of(trip, "new");
  let submission = given;
  const again = (problems: readonly Problem[]): Promise<FormView> => formAgain(trip, submission, problems);
  if (submission.search) return shown(await again([]));
  if (submission.claims.doubt !== undefined) {
    const made = await whatWasMade(trip, submission.claims.id);
    if (made) return madeBefore(trip, made);
  }
  if (submission.stale) {
    recorder.note("check", [], `the form must be looked at again: ${submission.stale}`);
    const said = message(page.language, `stale-${submission.stale}`);
    return invalid(await again([{ field: null, message: said }]));
  }
  if (own) submission = { ...submission, fields: await own.beforeCheck(submission.fields, null) };
  const problems = [...(await problemsOfNew(trip, submission)), ...((await own?.check(submission.fields, null)) ?? [])];
  if (problems.length > 0) {
    // What the first sending of this form has made may be what the second one meets.
    const made = await whatWasMade(trip, submission.claims.id);
    if (made) return madeBefore(trip, made);
    noteProblems(recorder, problems);
    return invalid(await again(problems));
  }
  const part = (await own?.write(submission.fields, null)) ?? null;
  const written = await write(trip, submission, unknownColumns(page, submission.fields).length > 0, part);
  if (written.kind === "problems") {
    noteProblems(recorder, written.problems);
    return invalid(await again(written.problems));
  }
  recorder.note("check", [{ name: "problems", value: "none" }]);
  // Refused for what the same form made the first time, most likely: then the answer is that of the first time.
  const made = written.kind === "refused" ? await whatWasMade(trip, submission.claims.id) : null;
  if (made) return madeBefore(trip, made);
  noteWrite(recorder, written);
  if (written.kind === "refused") return invalid(await again(written.problems));
  if (written.kind !== "written") throw new Error("A new record was neither written nor refused.");
  const { row, changes, entry } = written;
  own?.saved([{ entry, changes: JSON.stringify(changes), row: JSON.stringify(row) }]);
  const key = page.key.map(({ name }) => row[name] ?? "");
  return { kind: "saved", page, key, row, changes, what: "made" };
}

/** What breaks rules and checks of what is known before the record is written. */
export async function problemsOfNew(trip: Trip, submission: Submission): Promise<readonly Problem[]> {
  const { page } = trip;
  const fields = judgedFields(submission.fields);
  const checks = knownChecks(page, unknownColumns(page, submission.fields));
  const known = [...checkFields(trip, {}, fields), ...checkAcross(trip, {}, fields, checks)];
  return [...known, ...(await lookUp(trip, {}, fields, known))];
}

/** What breaks a rule or a check in a record as it was stored: thrown inside the transaction, so that nothing of it stays. */
class BreaksRules extends Error {
  constructor(readonly problems: readonly Problem[]) {
    super("the new record breaks the page's rules");
  }
}

/** Judges the record as the table has made it, defaults, generated columns and triggers included. */
async function judgeStored(trip: Trip): Promise<void> {
  const { page, key, facts, dependencies } = trip;
  const [row] = await dependencies.database.run(afterStatement(page, key, facts));
  if (!row) return;
  const fields = page.fields
    .filter((field) => field.rules.some((rule) => rule.from === "page"))
    .map((field): SubmittedField => storedField(field, row));
  const known = [...checkFields(trip, row, fields), ...checkAcross(trip, row, fields, page.checks, "all")];
  const problems = [...known, ...(await lookUp(trip, row, fields, known))];
  if (problems.length > 0) throw new BreaksRules(problems);
}

const storedField = (field: Field, row: Row): SubmittedField => {
  const value = row[field.column.name] ?? null;
  const rules = field.rules.filter((rule) => rule.from === "page");
  return { field: { ...field, rules }, sent: true, touched: true, value, text: value ?? "", problem: null };
};

type Written = WriteResult | { readonly kind: "problems"; readonly problems: readonly Problem[] };

/** @param judged whether the record has to be judged as it was stored: then it is written in a transaction, otherwise by one statement */
async function write(trip: Trip, submission: Submission, judged: boolean, own: OwnPart | null): Promise<Written> {
  const { page, facts, dependencies } = trip;
  const assignments = submission.fields.flatMap((each) => {
    const { field, value, touched } = each;
    return touched || (value !== null && isDecided(each)) ? [{ column: field.column, value }] : [];
  });
  assignments.push(...setValues(trip, "new"));
  const values = withOwn(assignments, own);
  const statement = createStatement(page, values, facts, logNoteOf(trip), submission.claims.id);
  const within = own?.within ?? null;
  const insert = async (database: Database): Promise<Row | undefined> => (await database.run(statement))[0];
  try {
    const row = await retryOnConflict(() =>
      judged || within
        ? dependencies.database.transaction(async (database) => {
            const made = await insert(database);
            const stored = JSON.parse(made?.row ?? "{}") as Row;
            const key = page.key.map(({ name }) => stored[name] ?? "");
            if (judged) await judgeStored(inside(trip, database, key));
            if (made) await within?.(database, [made]);
            return made;
          })
        : insert(dependencies.database),
    );
    return {
      kind: "written",
      entry: row?.entry ?? "",
      changes: JSON.parse(row?.changes ?? "[]") as FieldChange[],
      row: JSON.parse(row?.row ?? "{}") as Row,
    };
  } catch (error) {
    if (error instanceof BreaksRules) return { kind: "problems", problems: error.problems };
    return refusedBy(trip, submission.fields, error);
  }
}

/** The form came a second time, or its answer was lost: the answer is that of the first time, and nothing is made twice. */
async function madeBefore(
  { page, recorder }: Trip,
  made: { readonly key: Row; readonly at: string },
): Promise<Outcome> {
  recorder.note("write", [{ name: "written", value: "nothing", note: "this form was sent before" }]);
  const { key, at } = made;
  return { kind: "unchanged", page, key: page.key.map(({ name }) => key[name] ?? ""), row: key, earlier: at };
}

async function formAgain(trip: Trip, submission: Submission, problems: readonly Problem[]): Promise<FormView> {
  const record = await defaults(trip);
  const state = sentForm(submission, record, problems);
  if (submission.stale === null) return makeForm(trip, "new", state);
  // Made anew, under the number that it had: it is still the same form.
  const claims = claimsFor(trip, "new", record, submission.claims.id);
  return makeForm(trip, "new", {
    ...state,
    heading: "heading-look-again",
    token: writeToken(claims, trip.dependencies.signer),
  });
}
