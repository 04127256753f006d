import { memoizePerPage } from "../page/memoize-per-page.js";
import type { Check, Field, Page } from "../page/page.js";
import { rowIn } from "../postgres/answered.js";
import type { Row } from "../postgres/statement.js";
import { createStatement, isConstant } from "../statements/create.js";
import { afterStatement } from "../statements/routine.js";
import { checkAcross, checkFields, formValues, inFormOrder } from "../steps/check.js";
import { lookUp } from "../steps/look-up.js";
import type { Submission } from "../steps/read.js";
import type { SubmittedField } from "../steps/read-field.js";
import { refusalOf } from "../steps/refusal.js";
import { checkTable } from "../steps/table-checks.js";
import { type OwnPart, RefusedInside, sendWrite, setValues, withOwn } from "../steps/write.js";
import { type Column, columnOf } from "../table/model.js";
import { type Outcome, shown } from "../trip/outcome.js";
import { inside, logNoteOf, type Trip } from "../trip/trip.js";
import type { Problem } from "../views/form-view.js";
import { becameOfNew } from "./ending.js";
import { makeForm, readForm, sentForm } from "./form.js";
import { formOutcome } from "./form-outcome.js";
import { defaults } from "./new.js";
import type { Given, Ready, SaveKind } from "./save-kind.js";
import { noteRead } from "./save-notes.js";
import { saving } from "./saving.js";

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
    const raw = each.raw === undefined ? {} : { raw: each.raw };
    if (isDecided(each)) return { field, sent, text, ...raw, touched: true, value: each.value, problem };
    if (!sent || !isShownDefault(field.column)) return each;
    const value = each.value ?? (field.column.type.kind === "text" ? "" : null);
    const rules = field.rules.filter((rule) => rule.from === "page");
    return { field: { ...field, rules }, sent, text, ...raw, touched: true, value, problem };
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
  const submission = readForm(trip, "new", body);
  return "kind" in submission ? submission : createRead(trip, submission);
}

/** The same for a form that was read already. */
export async function createRead(trip: Trip, submission: Submission): Promise<Outcome> {
  const given = { trip, submission };
  noteRead(trip.recorder, [given]);
  if (submission.search) return shown(await makeForm(trip, "new", sentForm(submission, await defaults(trip), [])));
  return formOutcome(given, "new", await saving(newRecord, trip, [given]));
}

/** What breaks rules and checks of what is known before the record is written. */
function judge({ trip, submission }: Given): { fields: readonly SubmittedField[]; problems: readonly Problem[] } {
  const { page } = trip;
  const fields = judgedFields(submission.fields);
  const checks = knownChecks(page, unknownColumns(page, submission.fields));
  const problems = [...checkFields(trip, {}, fields), ...checkAcross(trip, {}, fields, { checks })];
  return { fields, problems: inFormOrder(page, [...problems, ...checkTable(trip, {}, fields, problems)]) };
}

/** Judges the record as the table has made it, defaults, generated columns and triggers included. */
async function judgeStored(trip: Trip): Promise<void> {
  const { page, key, facts, dependencies } = trip;
  const [row] = await dependencies.database.run(afterStatement(page, key, facts));
  if (!row) return;
  const fields = page.fields
    .filter((field) => field.rules.some((rule) => rule.from === "page"))
    .map((field): SubmittedField => storedField(field, row));
  const known = [...checkFields(trip, row, fields), ...checkAcross(trip, row, fields, { which: "all" })];
  const problems = [...known, ...(await lookUp(trip, row, fields, known))];
  // Thrown inside the transaction, so that nothing of it stays.
  if (problems.length > 0) throw new RefusedInside(problems);
}

const storedField = (field: Field, row: Row): SubmittedField => {
  const value = row[field.column.name] ?? null;
  const rules = field.rules.filter((rule) => rule.from === "page");
  return { field: { ...field, rules }, sent: true, touched: true, value, text: value ?? "", problem: null };
};

/** A record is judged as it was stored where it could not be beforehand: then it is written in a transaction, otherwise by one statement. */
async function write(
  _: Trip,
  [ready]: readonly Ready[],
  [own = null]: readonly (OwnPart | null)[],
): Promise<(Row | null)[]> {
  if (!ready) return [];
  const { trip, submission } = ready;
  const { page, dependencies } = trip;
  const assignments = submission.fields.flatMap((each) => {
    const { field, value, touched } = each;
    return touched || (value !== null && isDecided(each)) ? [{ column: field.column, value }] : [];
  });
  const values = withOwn([...assignments, ...setValues(trip, "new", () => formValues({}, submission.fields))], own);
  const statement = createStatement(trip, values, logNoteOf(trip), submission.claims.id);
  const isJudged = unknownColumns(page, submission.fields).length > 0;
  const within: OwnPart["within"] =
    isJudged || own?.within
      ? async (database, rows) => {
          const stored = rowIn(rows[0]?.row);
          const key = page.key.map(({ name }) => stored[name] ?? "");
          if (isJudged) await judgeStored(inside(trip, database, key));
          await own?.within?.(database, rows);
        }
      : null;
  const [row] = await sendWrite(dependencies.database, statement, within);
  return [row ?? {}];
}

/** A new record: there is no stored row, and a form makes it once. */
export const newRecord: SaveKind = {
  operation: () => "new",
  asksForRow: () => false,
  judge,
  lockedBecause: () => null,
  write,
  compare: () => {
    throw new Error("A new record is compared with nothing.");
  },
  unwritten: () => {
    throw new Error("A new record is written, or refused.");
  },
  refusal: ({ trip, submission }, error) => refusalOf(trip, submission.fields, error),
  became: becameOfNew,
};
