import { truthOf } from "../condition/evaluate.js";
import { changesIn } from "../log/field-change.js";
import { lastChangesStatement } from "../log/read.js";
import { word } from "../messages/messages.js";
import { memoizePerPage } from "../page/memoize-per-page.js";
import { reasonName } from "../page/names.js";
import type { Page } from "../page/page.js";
import type { Row, Statement, Stored } from "../postgres/statement.js";
import { isRefusal } from "../postgres/unavailable.js";
import { type Assignment, type Guard, saveStatement } from "../statements/save.js";
import { togetherStatement } from "../statements/together.js";
import { checkAcross, checkFields, conditionsOf, formValues, inFormOrder } from "../steps/check.js";
import { type ComparedField, changedFields, compareWithStored } from "../steps/compare.js";
import { load, type StoredRecord } from "../steps/load.js";
import type { Submission } from "../steps/read.js";
import type { SubmittedField } from "../steps/read-field.js";
import { refusalOf } from "../steps/refusal.js";
import { checkTable, tableChecks } from "../steps/table-checks.js";
import { type OwnPart, sendWrite, setValues, withOwn } from "../steps/write.js";
import { writeByRoutine } from "../steps/write-by-routine.js";
import { tableName } from "../table/model.js";
import { inside, logNoteOf, type Trip } from "../trip/trip.js";
import { byName } from "../values/by-name.js";
import type { Conflict, Problem } from "../views/form-view.js";
import { told, toldMoment } from "../views/told.js";
import { becameOfStored } from "./ending.js";
import { lockedBecause } from "./form.js";
import { Own } from "./own.js";
import { type Given, type Ready, type SaveKind, type Stopped, stoppedBy } from "./save-kind.js";

/** What checks, conditional rules and computed values ask about: columns of the form and of the stored row. */
const askedByRules = memoizePerPage((page): readonly { from: "form" | "row"; name: string }[] => [
  ...conditionsOf(page).flatMap(({ formColumns, rowColumns }) => [
    ...formColumns.map((name) => ({ from: "form" as const, name })),
    ...rowColumns.map((name) => ({ from: "row" as const, name })),
  ]),
  ...page.sets.flatMap(({ on, value }) =>
    on === "new" ? [] : value.formColumns.map((name) => ({ from: "form" as const, name })),
  ),
]);

const askedNames = memoizePerPage((page): ReadonlySet<string> => new Set(askedByRules(page).map(({ name }) => name)));

/** The same, and what the table's own CHECKs ask about. */
const judgedNames = memoizePerPage(
  (page): ReadonlySet<string> =>
    new Set([...askedNames(page), ...tableChecks(page).flatMap(({ condition }) => condition.formColumns)]),
);

/**
 * Whether a field that was sent untouched says what is stored, on the word of the row's version: what is not shown, and a file, say nothing.
 */
const tellsStored = ({ field, sent, touched }: SubmittedField): boolean =>
  sent && !touched && !field.hidden && field.control !== "file";

/** Whether the stored row is needed before a form is judged: rules ask for what the form does not say. */
function asksForRow(page: Page, { fields }: Submission): boolean {
  if (fields.every((each) => !each.touched)) return true;
  return askedByRules(page).some(({ from, name }) => {
    const submitted = fields.find((each) => each.field.column.name === name);
    return !submitted || !(tellsStored(submitted) || (from === "form" && submitted.touched));
  });
}

/** The stored row as far as rules ask for it, where the form says all of that: to read the rest of what was sent would be work for nothing. */
function rowAsShown(page: Page, { fields }: Submission): Row {
  const row = byName<Stored>();
  for (const each of fields) {
    const { name } = each.field.column;
    if (judgedNames(page).has(name) && tellsStored(each)) row[name] = each.value;
  }
  return row;
}

/** A change of which the page asks why, and nobody said so. */
function reasonProblem({ page, facts }: Trip, { fields, reason }: Submission, row: Row): readonly Problem[] {
  if (page.reason === null || reason !== null || fields.every(({ touched }) => !touched)) return [];
  const asks = truthOf(page.reason.expression, { ...facts, row, form: formValues(row, fields) }) === true;
  return asks ? [{ field: reasonName, message: word(page.language, "reason-needed") }] : [];
}

/** What breaks rules and checks, as far as it can be said without the table. */
function knownProblems({ trip, submission }: Given, row: Row): readonly Problem[] {
  const { fields } = submission;
  const problems = [...checkFields(trip, row, fields), ...checkAcross(trip, row, fields)];
  const ofTable = checkTable(trip, row, fields, problems);
  return [...inFormOrder(trip.page, [...problems, ...ofTable]), ...reasonProblem(trip, submission, row)];
}

/** The newest entries of a record. */
const entriesOf = ({ page, key, dependencies }: Trip): Promise<readonly Row[]> =>
  dependencies.database.run(
    lastChangesStatement(
      tableName(page.table),
      Object.fromEntries(page.key.map((column, index) => [column.name, key[index] ?? ""])),
    ),
  );

/**
 * When the same person has stored what the form says, after it was opened: it was sent before, and its answer was never seen.
 *
 * @returns PostgreSQL's text form of a `timestamptz`; null where it is not so
 */
async function savedBySame({ trip, submission }: Given): Promise<string | null> {
  const { fields, claims } = submission;
  const touched = fields.filter((each) => each.touched).map(({ field }) => field.column.name);
  if (touched.length === 0) return null;
  const entry = (await entriesOf(trip)).find(
    (each) =>
      each.actor_id === trip.facts.actor.id &&
      new Date(each.at ?? 0) > new Date(claims.at) &&
      touched.every((name) => changesIn(each.fields).some(({ field }) => field === name)),
  );
  return entry?.at ?? null;
}

/** The conflicts of a comparison: what is stored instead, by whom and since when. */
export async function conflictsOf(
  trip: Trip,
  compared: readonly ComparedField[],
  record: StoredRecord,
): Promise<readonly Conflict[]> {
  if (compared.every(({ state }) => state !== "conflict")) return [];
  const { page } = trip;
  const entries = await entriesOf(trip);
  return compared.flatMap(({ submitted, state }): Conflict[] => {
    if (state !== "conflict") return [];
    const { name } = submitted.field.column;
    const entry = entries.find((each) => changesIn(each.fields).some(({ field }) => field === name));
    const at = entry?.at ? toldMoment(page, entry.at) : null;
    const stored = told(page, submitted.field.column, record.row[name] ?? null) ?? "";
    return [{ field: name, stored, by: entry?.actor_name ?? null, at }];
  });
}

/** What a save that was compared with the stored row rests on: the fields it changes and those that the checks ask for. */
function guardOf(page: Page, compared: readonly ComparedField[], { row }: StoredRecord): Guard {
  const names = new Set([...changedFields(compared).map((each) => each.field.column.name), ...askedNames(page)]);
  return { by: "values", columns: page.table.columns.filter((column) => names.has(column.name)), row };
}

/** Different fields merge; the same field with another value is a conflict. */
async function compare(given: Given, record: StoredRecord, guardBy: Guard["by"]): Promise<Ready | Stopped> {
  const { trip, submission } = given;
  const compared = compareWithStored(trip, record.row, submission.fields, submission.claims);
  const conflicts = await conflictsOf(trip, compared, record);
  if (conflicts.length > 0) return stoppedBy(given, [], record, { is: "conflict", conflicts, compared, renewed: true });
  const problems = [
    ...knownProblems(given, record.row),
    ...((await Own.of(trip, "change")?.check(submission.fields, record.row)) ?? []),
  ];
  if (problems.length > 0) return stoppedBy(given, problems, record);
  const guard: Guard =
    guardBy === "values" ? guardOf(trip.page, compared, record) : { by: "version", version: record.version };
  return { trip, submission, compared, record, guard };
}

/** What the page gives along with a change. */
const setAlong = ({ trip, submission, record }: Ready): readonly Assignment[] =>
  setValues(trip, "save", () => formValues(record?.row ?? {}, submission.fields)).map((set) => ({
    ...set,
    along: true as const,
  }));

const assignmentsOf = (ready: Ready, own: OwnPart | null): readonly Assignment[] =>
  withOwn(
    [...changedFields(ready.compared).map(({ field, value }) => ({ column: field.column, value })), ...setAlong(ready)],
    own,
  );

/** The statement that saves one record by itself. */
const alone = (ready: Ready, own: OwnPart | null): Statement => {
  const { trip, guard } = ready;
  return saveStatement(trip, guard, assignmentsOf(ready, own), logNoteOf(trip));
};

async function writeOne(
  _: Trip,
  [ready]: readonly Ready[],
  [own]: readonly (OwnPart | null)[],
): Promise<(Row | null)[]> {
  if (!ready) return [];
  const { trip, guard, submission } = ready;
  const { page, dependencies } = trip;
  if (page.routine)
    return [
      await writeByRoutine(trip, page.routine, guard, { fields: submission.fields, within: own?.within ?? null }),
    ];
  const [row] = await sendWrite(dependencies.database, alone(ready, own ?? null), own?.within);
  return [row ?? null];
}

/** What belongs to the transaction of records that are saved together: of each by itself. */
function withinOf(parts: readonly (OwnPart | null)[]): OwnPart["within"] {
  if (parts.every((each) => !each?.within)) return null;
  return async (database, rows) => {
    for (const row of rows) await parts[Number(row.place)]?.within?.(database, [row], Number(row.place));
  };
}

async function writeMany(
  trip: Trip,
  ready: readonly Ready[],
  parts: readonly (OwnPart | null)[],
): Promise<(Row | null)[]> {
  const statement = togetherStatement(
    trip.page,
    ready.map((each, index) => ({
      key: each.trip.key,
      version: each.guard.by === "version" ? each.guard.version : "",
      assignments: assignmentsOf(each, parts[index] ?? null),
    })),
    trip.facts,
    logNoteOf(trip),
  );
  const found = await sendWrite(trip.dependencies.database, statement, withinOf(parts));
  return ready.map((_, index) => found.find(({ place }) => Number(place) === index) ?? null);
}

/** Taken back: thrown where a try was only to be looked at. */
export class TakenBack extends Error {}

/** Tries the records one by one, in a transaction that is rolled back, to find out which of them the table refuses. */
async function refusedAmong(trip: Trip, ready: readonly Ready[]): Promise<readonly Stopped[]> {
  const stops: Stopped[] = [];
  try {
    await trip.dependencies.database.transaction(async (database) => {
      for (const each of ready) {
        const own = inside(each.trip, database);
        // Up to a savepoint of its own: what is refused takes nothing else back, and the database can be asked why.
        const refusal = await database
          .transaction((nested) => nested.run(alone(each, null)))
          .then(
            () => null,
            (error: unknown) => {
              if (!isRefusal(error)) throw error;
              return error;
            },
          );
        if (!refusal) continue;
        const { problems } = await refusalOf(own, changedFields(each.compared), refusal);
        stops.push(stoppedBy(each, problems));
      }
      throw new TakenBack();
    });
  } catch (error) {
    if (!(error instanceof TakenBack)) throw error;
  }
  return stops;
}

const common: Omit<SaveKind, "write" | "compare"> = {
  operation: () => "change",
  asksForRow: ({ trip, submission }, own) => asksForRow(trip.page, submission) || own?.asksForRow === true,
  judge: (given, row) => ({
    fields: given.submission.fields,
    problems: knownProblems(given, row ?? rowAsShown(given.trip.page, given.submission)),
  }),
  lockedBecause: ({ page, facts }, record) => lockedBecause(page, record, facts),
  refusal: ({ trip, submission, compared }, error) =>
    refusalOf(
      trip,
      trip.page.routine ? submission.fields.filter(({ touched }) => touched) : changedFields(compared),
      error,
    ),
  async unwritten(given, record) {
    const row = (record ?? (await load(given.trip)))?.row ?? {};
    const earlier = await savedBySame(given);
    return { given, key: given.trip.key, row, changes: [], entry: null, ...(earlier === null ? {} : { earlier }) };
  },
  became: becameOfStored,
};

/** A stored record's form: what others change of the record while it is saved is left alone, as long as no rule asks for it. */
export const oneChange: SaveKind = {
  ...common,
  write: writeOne,
  compare: (given, record) => compare(given, record, "values"),
};

/** Several records by one statement, each by its own version. */
export const manyChanges: SaveKind = {
  ...common,
  write: writeMany,
  compare: (given, record) => compare(given, record, "version"),
  refusedAmong,
};
