import type { FieldChange } from "../log/field-change.js";
import { message, word } from "../messages/messages.js";
import type { Database, DatabaseRefusal, Row, Statement } from "../postgres/statement.js";
import { isInDoubt, isRefusal, unavailabilityOf } from "../postgres/unavailable.js";
import { saveStatement } from "../statements/save.js";
import { type RowChange, togetherStatement } from "../statements/together.js";
import { type ComparedField, changedFields, compareWithShown, compareWithStored } from "../steps/compare.js";
import { load } from "../steps/load.js";
import { lookUp } from "../steps/look-up.js";
import { refusalOf } from "../steps/refusal.js";
import { type OwnPart, OwnRefusal, ownFailure, sendWrite, setValues, withOwn } from "../steps/write.js";
import type { Outcome } from "../trip/outcome.js";
import { inside, logNoteOf, type Trip } from "../trip/trip.js";
import { OwnCodeFailed } from "../values/registry.js";
import type { Conflict, Problem } from "../views/form-view.js";
import { lockedBecause, makeForm, sentForm } from "./form.js";
import { listAgain } from "./list.js";
import { noteFailure, Own } from "./own.js";
import type { ReadRow, RowState } from "./row-forms.js";
import { asksForRow, conflictsOf, knownProblems, renewedForm } from "./save.js";

/** How often the rows are compared and written anew because some changed in between. */
const mostTries = 5;

/** A row that is ready to be written, or what keeps all of them from it. */
type Prepared =
  | {
      readonly row: ReadRow;
      readonly version: string;
      readonly compared: readonly ComparedField[];
      /** As it was stored when it was looked at; empty where it wasn't. */
      readonly stored: Row;
    }
  | { readonly row: ReadRow; readonly stops: RowState; readonly conflict?: true };

const isStopped = (each: Prepared): each is Prepared & { stops: RowState } => "stops" in each;

/** The row's form with what is wrong with it; what is wrong with the row as a whole stands beside it. */
async function stopped(
  row: ReadRow,
  problems: readonly Problem[],
  conflicts: readonly Conflict[] = [],
): Promise<RowState> {
  const { trip, submission } = row;
  const record = (await load(trip)) ?? { row: {}, version: submission.claims.row };
  const form =
    conflicts.length > 0 || submission.stale !== null
      ? await renewedForm(trip, submission, record, problems, conflicts)
      : await makeForm(trip, "edit", sentForm(submission, record, problems));
  const above = problems.filter(({ field }) => !form.fields.some((each) => each.field.column.name === field));
  return { key: row.key, form, said: above.map((each) => each.message).join(" ") || null };
}

const asProblem = (text: string): Problem => ({ field: null, message: text });

/** Judges one row as its own save would. */
async function prepare(given: ReadRow): Promise<Prepared> {
  let row = given;
  const { trip } = row;
  const { page } = trip;
  const own = Own.of(trip, "change");
  let { submission } = row;
  if (submission.stale !== null)
    return { row, stops: await stopped(row, [asProblem(message(page.language, `stale-${submission.stale}`))]) };
  let record = asksForRow(page, submission) || own?.asksForRow ? await load(trip) : null;
  if (own && record) {
    submission = { ...submission, fields: await own.beforeCheck(submission.fields, record.row) };
    row = { ...row, submission };
  }
  let known = knownProblems(trip, submission, record?.row ?? {});
  if (known.length > 0 && !record) {
    // What was shown may be out of date: before anything is refused, it is held against what is stored now.
    record = await load(trip);
    known = knownProblems(trip, submission, record?.row ?? {});
  }
  const stored = record?.row ?? {};
  const problems = [
    ...known,
    ...(await lookUp(trip, stored, submission.fields, known)),
    ...((await own?.check(submission.fields, stored)) ?? []),
  ];
  if (problems.length > 0) return { row, stops: await stopped(row, problems) };
  return { row, version: submission.claims.row, compared: compareWithShown(submission.fields), stored };
}

/** Looks at a row that was not found in its version: merges with what is stored now, or says why it can't. */
async function compareAgain(row: ReadRow, version: string): Promise<Prepared> {
  const { trip, submission } = row;
  const { page } = trip;
  const record = await load(trip);
  const stop = async (text: string): Promise<Prepared> => ({
    row,
    stops: await stopped(row, [asProblem(text)]),
    conflict: true,
  });
  if (!record) return stop(word(page.language, "row-gone"));
  const locked = lockedBecause(page, record, trip.facts);
  if (locked !== null) return stop(locked);
  if (record.version === version) return stop(message(page.language, "read-only-by-policy"));
  const compared = compareWithStored(trip, record.row, submission.fields, submission.claims);
  const conflicts = await conflictsOf(trip, compared, record);
  if (conflicts.length > 0) return { row, stops: await stopped(row, [], conflicts), conflict: true };
  const own = (await Own.of(trip, "change")?.check(submission.fields, record.row)) ?? [];
  const problems = [...knownProblems(trip, submission, record.row), ...own];
  if (problems.length > 0) return { row, stops: await stopped(row, problems) };
  return { row, version: record.version, compared, stored: record.row };
}

type Ready = Exclude<Prepared, { stops: RowState }>;

const changeOf = ({ row, version, compared }: Ready, own: OwnPart | null): RowChange => ({
  key: row.key,
  version,
  assignments: withOwn(
    changedFields(compared).map(({ field, value }) => ({ column: field.column, value })),
    own,
  ),
});

/** What belongs to the transaction of rows that are saved together: of each row by itself. */
function withinOf(parts: readonly (OwnPart | null)[]): OwnPart["within"] {
  if (parts.every((each) => !each?.within)) return null;
  return async (inside, rows) => {
    for (const row of rows) await parts[Number(row.place)]?.within?.(inside, [row]);
  };
}

/** The statement that would save a row by itself. */
function alone({ row: { trip }, version, compared }: Ready): Statement {
  const assignments = [
    ...changedFields(compared).map(({ field, value }) => ({ column: field.column, value })),
    ...setValues(trip, "save").map((set) => ({ ...set, along: true as const })),
  ];
  return saveStatement(trip.page, trip.key, { by: "version", version }, assignments, trip.facts, logNoteOf(trip));
}

/** Taken back: thrown where a try was only to be looked at. */
class TakenBack extends Error {}

/** Tries the rows one by one, in a transaction that is rolled back, to find out which of them the table refuses. */
async function refusedRows(trip: Trip, ready: readonly Ready[]): Promise<readonly RowState[]> {
  const states: RowState[] = [];
  const tryAll = async (database: Database): Promise<never> => {
    for (const each of ready) {
      const { row } = each;
      const own = inside(row.trip, database);
      // Up to a savepoint of its own: what is refused takes nothing else back, and the database can be asked why.
      const refusal = await database
        .transaction((nested) => nested.run(alone(each)))
        .then(
          () => null,
          (error: unknown) => {
            if (!isRefusal(error)) throw error;
            return error;
          },
        );
      if (!refusal) continue;
      const { problems } = await refusalOf(own, row.submission.fields, refusal);
      states.push(await stopped({ ...row, trip: own }, problems));
    }
    throw new TakenBack();
  };
  try {
    await trip.dependencies.database.transaction(tryAll);
  } catch (error) {
    if (!(error instanceof TakenBack)) throw error;
  }
  return states;
}

/**
 * Saves all rows that were touched, with one statement: every one by its own key and version, with an entry of its own in the log, or none of
 * them. What keeps them from it stands in its row.
 */
export async function saveTogether(trip: Trip, rows: readonly ReadRow[]): Promise<Outcome> {
  const { page, recorder } = trip;
  recorder.note(
    "read",
    rows.map(({ key }) => ({ name: "row", value: key.join(", "), note: "touched" })),
  );
  try {
    return await new Together(trip, rows).run();
  } catch (error) {
    const isOwn = error instanceof OwnCodeFailed;
    const unavailability = unavailabilityOf(error);
    if (!unavailability && !isOwn) throw error;
    if (isOwn) noteFailure(recorder, error);
    else recorder.note("write", [], (error as Error).message);
    const code =
      isOwn || !unavailability ? "own-step-failed" : isInDoubt(error) ? "unavailable-doubt" : unavailability.message;
    const list = await listAgain(trip, [], rows, message(page.language, code)).catch(() => null);
    if (!list) throw error;
    return { kind: "failed", view: { what: "list", list } };
  }
}

class Together {
  constructor(
    private readonly trip: Trip,
    private readonly rows: readonly ReadRow[],
  ) {}

  async run(): Promise<Outcome> {
    const { recorder } = this.trip;
    const prepared = await Promise.all(this.rows.map(prepare));
    if (prepared.some(isStopped)) return this.stop("check", prepared);
    recorder.note("check", [{ name: "problems", value: "none" }]);
    return this.write(prepared.filter((each) => !isStopped(each)) as Ready[], 1);
  }

  private async write(all: readonly Ready[], turn: number): Promise<Outcome> {
    const { trip } = this;
    const ready = all.filter(({ compared }) => changedFields(compared).length > 0);
    trip.recorder.note(
      "compare",
      ready.map(({ row, compared }) => ({
        name: row.key.join(", "),
        value: changedFields(compared)
          .map(({ field }) => field.column.name)
          .join(", "),
        note: "changed",
      })),
    );
    if (ready.length === 0) return this.saved([], []);
    const owns = ready.map(({ row }) => Own.of(row.trip, "change"));
    const parts = await Promise.all(
      ready.map(async ({ row, stored }, index) => (await owns[index]?.write(row.submission.fields, stored)) ?? null),
    );
    const statement = togetherStatement(
      trip.page,
      ready.map((each, index) => changeOf(each, parts[index] ?? null)),
      setValues(trip, "save"),
      trip.facts,
      logNoteOf(trip),
    );
    let found: readonly Row[];
    try {
      found = await sendWrite(trip.dependencies.database, statement, withinOf(parts));
    } catch (error) {
      if (error instanceof OwnRefusal) return this.answer([], "invalid", error.message);
      const failure = ownFailure(trip, error);
      if (failure) throw failure;
      if (!isRefusal(error)) throw error;
      return this.refused(ready, error);
    }
    if (found.length === ready.length) return this.saved(found, owns);
    const places = new Set(found.map((row) => Number(row.place)));
    const again = await Promise.all(
      ready.map((each, index): Promise<Prepared> | Prepared =>
        places.has(index) ? each : compareAgain(each.row, each.version),
      ),
    );
    if (again.some(isStopped)) return this.stop("compare", again);
    if (turn < mostTries) return this.write(again as Ready[], turn + 1);
    const list = await listAgain(trip, [], this.rows, message(trip.page.language, "unavailable-busy"));
    return { kind: "failed", view: { what: "list", list } };
  }

  /** Which of the rows the table refuses; where each could be saved by itself, it is said above the list. */
  private async refused(ready: readonly Ready[], error: DatabaseRefusal): Promise<Outcome> {
    const { trip } = this;
    const states = await refusedRows(trip, ready);
    const [first] = ready;
    const said =
      states.length > 0 || !first ? [] : (await refusalOf(first.row.trip, first.row.submission.fields, error)).problems;
    trip.recorder.note("write", [], error.message);
    return this.answer(states, "invalid", said.map((each) => each.message).join(" ") || null);
  }

  private stop(step: "check" | "compare", prepared: readonly Prepared[]): Promise<Outcome> {
    const stops = prepared.filter(isStopped);
    this.trip.recorder.note(
      step,
      stops.map(({ row, stops: { said } }) => ({ name: row.key.join(", "), value: said })),
      `${stops.length} of ${prepared.length} rows can't be saved`,
    );
    const kind = stops.some((each) => "conflict" in each) ? "conflict" : "invalid";
    return this.answer(
      stops.map((each) => each.stops),
      kind,
      null,
    );
  }

  private async answer(
    states: readonly RowState[],
    kind: "invalid" | "conflict",
    more: string | null,
  ): Promise<Outcome> {
    const { trip } = this;
    const { language } = trip.page;
    const keys = new Set(states.map(({ key }) => JSON.stringify(key)));
    const others = this.rows.filter(({ key }) => !keys.has(JSON.stringify(key)));
    const count =
      states.length === 1 ? word(language, "row-stops") : word(language, "rows-stop", { count: states.length });
    const list = await listAgain(trip, states, others, more ?? count);
    return { kind, view: { what: "list", list } };
  }

  private saved(found: readonly Row[], owns: readonly (Own | null)[]): Outcome {
    const { page, recorder } = this.trip;
    for (const row of found) owns[Number(row.place)]?.saved([row]);
    const written = found.filter((row) => row.entry !== null);
    const changes = written.map((row) => JSON.parse(row.changes ?? "[]") as FieldChange[]);
    recorder.note("write", [
      ...written.map((row, index) => ({
        name: "log entry",
        value: row.entry ?? null,
        note: (changes[index] ?? []).map(({ field }) => field).join(", "),
      })),
      { name: "rows written", value: String(written.length) },
    ]);
    const row = JSON.parse(written[0]?.row ?? "{}") as Row;
    const key = page.key.map(({ name }) => row[name] ?? "");
    const shared = { page, key, row, list: null, rows: written.length };
    return written.length === 0
      ? { ...shared, kind: "unchanged" }
      : { ...shared, kind: "saved", changes: changes.flat(), what: "changed" };
  }
}
