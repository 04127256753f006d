import { changesIn } from "../log/field-change.js";
import { message, word } from "../messages/messages.js";
import { rowIn } from "../postgres/answered.js";
import { isRefusedAs } from "../postgres/refusal.js";
import { DatabaseRefusal, type Row } from "../postgres/statement.js";
import { isInDoubt, isRefusal, saidOf } from "../postgres/unavailable.js";
import { changedFields, compareWithShown } from "../steps/compare.js";
import { exists, load, type StoredRecord } from "../steps/load.js";
import { lookUp } from "../steps/look-up.js";
import type { Stale } from "../steps/read.js";
import { judgeTypes } from "../steps/refusal.js";
import { RefusedInside } from "../steps/write.js";
import type { Trip } from "../trip/trip.js";
import { earlierTry, ending, LostAnswer, madeBefore } from "./ending.js";
import { Own } from "./own.js";
import { withPicks } from "./picks.js";
import {
  asProblem,
  type Done,
  type Ending,
  type Given,
  type Ready,
  type SaveKind,
  type Stopped,
  stoppedBy,
} from "./save-kind.js";
import { noteCompared, noteStops, noteWrite } from "./save-notes.js";

/*
 * The SAVE half from Check on: Check → Compare → Write. Every save goes this way: a form is one record, a list's rows are many, a new record
 * is one without a stored row, a deletion one without fields. What differs is told by its kind; how it ends, `ending.ts` tells.
 */

/** How often records are compared and written anew because some changed in between. */
const mostTries = 5;

const isStopped = (each: Ready | Done | Stopped): each is Stopped => "problems" in each;

async function gone(given: Given): Promise<Stopped> {
  const { page } = given.trip;
  const reason = (await exists(given.trip))
    ? `the record exists, but not under ${page.access.rows?.source ?? "rows"}`
    : "there is no record with this key";
  return stoppedBy(given, [asProblem(word(page.language, "row-gone"))], null, { is: "gone", reason });
}

/** The record as it is stored now, or why it can't be saved so. */
async function storedNow(kind: SaveKind, given: Given): Promise<StoredRecord | Stopped> {
  const record = await load(given.trip);
  if (!record) return gone(given);
  const because = kind.lockedBecause(given.trip, record);
  if (because === null) return record;
  const { edit, delete: removal } = given.trip.page.access;
  const isDeletion = kind.operation(given) === "delete";
  const asked = isDeletion ? removal : edit;
  return stoppedBy(given, [asProblem(because)], record, {
    is: "locked",
    reason: `${isDeletion ? "delete" : "edit"}: ${asked?.source ?? ""}`,
  });
}

/** A form that has to be looked at again comes back with what was typed, upon what is stored now, conflicts and all. */
async function lookAgain(kind: SaveKind, given: Given, stale: Stale): Promise<Stopped> {
  const { language } = given.trip.page;
  const problem = asProblem(message(language, `stale-${stale}`));
  const reason = `the form must be looked at again: ${staleWords[stale]}`;
  const again = { renewed: true, heading: "heading-look-again", reason } as const;
  if (kind.operation(given) === "new") return stoppedBy(given, [problem], null, again);
  const record = await storedNow(kind, given);
  if ("problems" in record) return record;
  const isSame = record.version === given.submission.claims.row;
  const compared = isSame ? null : await kind.compare(given, record);
  return compared && isStopped(compared) && compared.conflicts.length > 0
    ? { ...compared, problems: [problem, ...compared.problems], renewed: true, reason }
    : stoppedBy(given, [problem], record, again);
}

/** Why a form had to be looked at again, for the recorded request. */
const staleWords: Readonly<Record<Stale, string>> = {
  session: "it is of another session",
  age: "it is too old",
  version: "it is of an earlier version of the page",
};

/** Judges one record: Check. */
export async function prepare(kind: SaveKind, before: Given): Promise<Ready | Stopped> {
  const picked = before.submission.picks.length > 0 ? await withPicks(before) : { given: before, problems: [] };
  let { given } = picked;
  const { trip, submission } = given;
  const operation = kind.operation(given);
  const own = Own.of(trip, operation);
  if (submission.stale) return lookAgain(kind, given, submission.stale);
  let record: StoredRecord | null = null;
  if (kind.asksForRow(given, own)) {
    record = given.record ?? (await load(trip));
    if (!record) return gone(given);
  }
  if (own && operation !== "delete") {
    const fields = await own.beforeCheck(submission.fields, record?.row ?? null);
    given = { ...given, submission: { ...submission, fields } };
  }
  let judged = kind.judge(given, record?.row ?? null);
  if (judged.problems.length > 0 && operation === "change" && !record) {
    // What was shown may be out of date: before anything is refused, it is held against what is stored now.
    record = await load(trip);
    if (!record) return gone(given);
    judged = kind.judge(given, record.row);
  }
  const { fields } = given.submission;
  const known = [
    ...picked.problems,
    ...judged.problems.filter(({ field }) => !picked.problems.some((each) => each.field === field)),
  ];
  const problems = [
    ...known,
    ...(await lookUp(trip, record?.row ?? {}, judged.fields, known)),
    ...((await own?.check(fields, record?.row ?? null)) ?? []),
  ];
  if (problems.length > 0) return stoppedBy(given, problems, record);
  const guard = { by: "version", version: submission.claims.row } as const;
  return { ...given, compared: compareWithShown(fields), guard, record };
}

/** Looks at a record that was not found as it was shown: Compare, upon what is stored now. */
async function compareAgain(kind: SaveKind, ready: Ready): Promise<Ready | Stopped> {
  const { trip, guard } = ready;
  const record = await storedNow(kind, ready);
  if ("problems" in record) return record;
  if (guard.by !== "version" || record.version !== guard.version) return kind.compare(ready, record);
  // It is as it was shown and meets the page's conditions, and yet could not be locked.
  const problem = asProblem(message(trip.page.language, "read-only-by-policy"));
  return stoppedBy(ready, [problem], record, { reason: "row level security lets the record be read, not changed" });
}

/** Records with texts that PostgreSQL can't read as values of their types, and says so with the code of a broken statement (42601). */
async function unreadableIn(ready: readonly Ready[]): Promise<readonly Stopped[]> {
  const stops: Stopped[] = [];
  for (const each of ready) {
    const touched = each.submission.fields.filter((field) => field.touched && field.field.column.type.kind === "other");
    const problems = await judgeTypes(each.trip.page, touched, each.trip.dependencies.database);
    if (problems.length > 0) stops.push(stoppedBy(each, problems));
  }
  return stops;
}

/** Which records are refused, and why. @throws what is no refusal */
async function refused(kind: SaveKind, trip: Trip, ready: readonly Ready[], error: unknown): Promise<Ending> {
  const [first] = ready;
  if (!first || !(error instanceof RefusedInside || error instanceof DatabaseRefusal)) throw error;
  const stop = (rows: readonly Stopped[], said: string): Ending => {
    noteStops(trip.recorder, "write", rows, { all: ready.length, said });
    return { is: "stopped", rows, said: rows.length > 0 ? null : said };
  };
  if (error instanceof RefusedInside) {
    const by = ready[error.place];
    return stop(by ? [stoppedBy(by, error.problems)] : [], error.message);
  }
  if (!isRefusal(error)) {
    const unreadable = isRefusedAs(error, "bad statement") ? await unreadableIn(ready) : [];
    if (unreadable.length === 0) throw error;
    return stop(unreadable, saidOf(error));
  }
  const among = ready.length > 1 ? ((await kind.refusedAmong?.(trip, ready)) ?? []) : [];
  if (among.length > 0) return stop(among, `${error.sqlState} ${error.message}`);
  const { problems, said } = await kind.refusal(first, error);
  const told = problems.map((problem) => problem.message).join(" ");
  return ready.length > 1 ? stop([], told) : stop([stoppedBy(first, problems, null, { reason: told })], said);
}

/** Writes what is ready, and where a record was changed meanwhile, compares with what is stored now and tries again. */
async function write(kind: SaveKind, trip: Trip, all: readonly Ready[], turn: number): Promise<Ending> {
  noteCompared(trip.recorder, all);
  const isWritten = (each: Ready): boolean =>
    kind.operation(each) !== "change" || changedFields(each.compared).length > 0;
  const ready = all.filter(isWritten);
  const owns = ready.map((each) => Own.of(each.trip, kind.operation(each)));
  const parts = await Promise.all(
    ready.map(({ submission, record }, index) => owns[index]?.write(submission.fields, record?.row ?? null) ?? null),
  );
  let answers: readonly (Row | null)[];
  try {
    answers = ready.length > 0 ? await kind.write(trip, ready, parts) : [];
  } catch (error) {
    if (isInDoubt(error)) throw new LostAnswer(error as Error);
    return refused(kind, trip, ready, error);
  }
  if (answers.includes(null)) {
    const again = await Promise.all(
      all.map((each) => (answers[ready.indexOf(each)] === null ? compareAgain(kind, each) : each)),
    );
    const stops = again.filter(isStopped);
    if (stops.length > 0) {
      noteStops(trip.recorder, "compare", stops, { all: all.length });
      return { is: "stopped", rows: stops, said: null };
    }
    // Others were faster every time: as good as too many at once.
    if (turn >= mostTries) return { is: "failed", code: "unavailable-busy", certain: true };
    return write(kind, trip, again as Ready[], turn + 1);
  }
  const ends = await Promise.all(
    all.map((each): Done | Promise<Done | Stopped> => {
      const index = ready.indexOf(each);
      const answer = answers[index];
      // A new record is written or refused, whatever its entry says.
      if (!answer || (!answer.entry && kind.operation(each) !== "new")) return kind.unwritten(each, each.record);
      owns[index]?.saved(answer);
      return doneBy(each, answer);
    }),
  );
  const stops = ends.filter(isStopped);
  if (stops.length > 0) noteStops(trip.recorder, "write", stops, { all: all.length });
  return stops.length > 0 ? { is: "stopped", rows: stops, said: null } : { is: "saved", rows: ends as Done[] };
}

/** What a statement answered of a record that it wrote. Where the key itself was changed, it has the new one. */
function doneBy(given: Given, { entry, changes, row }: Row): Done {
  const { page, key } = given.trip;
  const stored = rowIn(row);
  return {
    given,
    entry: entry ?? "",
    changes: changesIn(changes),
    row: stored,
    key: page.key.map(({ name }, index) => stored[name] ?? key[index] ?? ""),
  };
}

async function way(kind: SaveKind, trip: Trip, all: readonly Given[]): Promise<Ending> {
  const earlier = await earlierTry(kind, trip, all);
  if ("is" in earlier) return earlier;
  const rest = all.filter((each) => earlier.every(({ given }) => given !== each));
  const prepared = await Promise.all(rest.map((each) => prepare(kind, each)));
  const stops = prepared.filter(isStopped);
  // What the first sending of a new record's form has made may be what the second one meets.
  if (stops.length > 0) {
    const made = await madeBefore(kind, trip, all);
    if (made) return made;
    noteStops(trip.recorder, "check", stops, { all: rest.length });
    return { is: "stopped", rows: stops, said: null };
  }
  trip.recorder.note("check", [{ name: "problems", value: "none" }]);
  const ended =
    rest.length === 0 ? ({ is: "saved", rows: [] } as const) : await write(kind, trip, prepared as Ready[], 1);
  if (ended.is === "stopped") return (await madeBefore(kind, trip, all)) ?? ended;
  if (ended.is === "failed") return ended;
  const places = new Map(all.map(({ trip: own }, place) => [own, place]));
  const placeOf = ({ given }: Done): number => places.get(given.trip) ?? -1;
  const rows = [...earlier, ...ended.rows].sort((a, b) => placeOf(a) - placeOf(b));
  noteWrite(trip.recorder, rows);
  return { is: "saved", rows };
}

/**
 * Saves records, all of them or none.
 *
 * @param trip that of the request; each record has one of its own
 */
export const saving = (kind: SaveKind, trip: Trip, all: readonly Given[]): Promise<Ending> =>
  ending(kind, trip, all, () => way(kind, trip, all));
