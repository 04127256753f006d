import { changesIn } from "../log/field-change.js";
import { entriesOfRequestStatement, holdStatement } from "../log/read.js";
import type { MessageCode } from "../messages/catalog.js";
import { message } from "../messages/messages.js";
import { rowIn } from "../postgres/answered.js";
import { isRefusedAs } from "../postgres/refusal.js";
import type { Row } from "../postgres/statement.js";
import { saidOf, unavailabilityOf } from "../postgres/unavailable.js";
import { madeStatement } from "../statements/create.js";
import { load } from "../steps/load.js";
import { ownFailure } from "../steps/write.js";
import type { Trip } from "../trip/trip.js";
import { saveText } from "../views/own-text.js";
import { toldMoment } from "../views/told.js";
import { noteFailure, Own } from "./own.js";
import {
  asProblem,
  type Became,
  type Done,
  type Ending,
  type Given,
  type SaveKind,
  type Stopped,
  stoppedBy,
} from "./save-kind.js";
import { noteStops, noteWrite } from "./save-notes.js";

/*
 * How every save ends. Only here is it decided what a lost answer, a doubt or a failed step of the developer's comes to: the log is asked, and what
 * is to be done after a save is done for what it knows of.
 */

/** The answer of a statement that writes was lost on its way. */
export class LostAnswer extends Error {
  constructor(readonly error: Error) {
    super(error.message, { cause: error });
  }
}

/** How long it is waited before each time that the database is asked, in milliseconds: three seconds in all. */
const waits = [0, 200, 400, 800, 1600] as const;

/** Asks until the database answers, or it has been waited long enough. */
async function asked(trip: Trip, ask: () => Promise<Became>, between: readonly number[]): Promise<Became> {
  for (const wait of between) {
    if (wait > 0) await trip.dependencies.pause(wait);
    try {
      return await ask();
    } catch (error) {
      if (!unavailabilityOf(error)) throw error;
      // Somebody holds the record, perhaps the lost save itself: nothing can be said before that one ends.
      if (isRefusedAs(error, "locked by others")) return { is: "unknown" };
    }
  }
  return { is: "unknown" };
}

const isKey = (given: Given, key: Row): boolean =>
  given.trip.page.key.every(({ name }, index) => key[name] === given.trip.key[index]);

/**
 * What the log says of the save of stored records, as soon as the database answers again.
 *
 * The records are locked first: a backend that was cut off may still be at work, and it is waited for like anybody else who
 * writes them. A second statement then sees what it committed (PostgreSQL documentation, 13.2.1).
 */
export async function becameOfStored(
  all: readonly Given[],
  request: string,
  between: readonly number[] = waits,
): Promise<Became> {
  const [first] = all;
  if (!first) return { is: "nothing" };
  const { database } = first.trip.dependencies;
  return asked(
    first.trip,
    async () => {
      const entries = await database.transaction(async (inside) => {
        for (const { trip } of all) await inside.run(holdStatement(trip.page, trip.key));
        return inside.run(entriesOfRequestStatement(request));
      });
      if (entries.length === 0) return { is: "nothing" };
      const rows = all.flatMap((given) => {
        const entry = entries.find(({ record_key }) => isKey(given, rowIn(record_key)));
        return entry ? [{ given, entry }] : [];
      });
      return {
        is: "written",
        at: entries[0]?.at ?? "",
        rows: await Promise.all(rows.map(({ given, entry }) => foundIn(given, entry))),
      };
    },
    between,
  );
}

/** A record as its entry of the log tells of it, and as it is stored now. */
async function foundIn(given: Given, entry: Row): Promise<Done & { readonly entry: string }> {
  const { page } = given.trip;
  const named = rowIn(entry.new_key ?? entry.record_key);
  const key = page.key.map(({ name }) => named[name] ?? "");
  const changes = changesIn(entry.fields);
  const stored = entry.operation === "delete" ? null : await load({ ...given.trip, key });
  const row = stored?.row ?? Object.fromEntries(changes.map(({ field, old, new: now }) => [field, now ?? old]));
  return { given, key, row: { ...row, ...named }, changes, entry: entry.id ?? "" };
}

/**
 * What the forms of new records have made, if they did: its own number is in the log's keeping. That it is not there says nothing: whoever makes it may still
 * be at work.
 */
export async function becameOfNew(
  all: readonly Given[],
  _request: string,
  between: readonly number[] = waits,
): Promise<Became> {
  const [first] = all;
  if (!first) return { is: "nothing" };
  return asked(
    first.trip,
    async () => {
      // Several are made in one transaction: where one of them is there, they all are, in their order.
      const made = await first.trip.dependencies.database.run(madeStatement(first.submission.claims.id));
      const [entry] = made;
      if (!entry) return { is: "nothing" };
      const rows = all.flatMap((given, index) => (made[index] ? [foundIn(given, made[index])] : []));
      return { is: "written", at: entry.at ?? "", rows: await Promise.all(rows) };
    },
    between,
  );
}

/** A form that came a second time, where the first has made its record: the answer is that of the first time. */
export async function madeBefore(kind: SaveKind, trip: Trip, all: readonly Given[]): Promise<Ending | null> {
  const news = all.filter((given) => kind.operation(given) === "new");
  if (news.length === 0) return null;
  const became = await kind.became(news, trip.request.id);
  return became.is === "written" ? savedBefore(trip, became) : null;
}

function savedBefore(trip: Trip, { rows, at }: Extract<Became, { is: "written" }>): Ending {
  trip.recorder.note("write", [{ name: "written", value: "nothing", note: "this form was sent before" }]);
  return { is: "saved", rows: rows.map((row) => ({ ...row, entry: null, earlier: at })) };
}

/**
 * Records that an earlier try has saved whose answer was lost; or how this save ends, where that is not known yet, or where something was typed
 * since.
 */
export async function earlierTry(kind: SaveKind, trip: Trip, all: readonly Given[]): Promise<readonly Done[] | Ending> {
  const found: Done[] = [];
  const since: Stopped[] = [];
  const inDoubt = all.filter(({ submission }) => submission.claims.doubt !== undefined);
  for (const doubt of new Set(inDoubt.map(({ submission }) => submission.claims.doubt ?? ""))) {
    const became = await kind.became(
      inDoubt.filter(({ submission }) => submission.claims.doubt === doubt),
      doubt,
    );
    if (became.is === "nothing") continue;
    if (became.is === "unknown") return { is: "failed", code: doubtOf(kind, all), certain: false, doubt };
    trip.recorder.note(
      "write",
      became.rows.map(({ entry }) => ({ name: "log entry", value: entry, note: "of an earlier try" })),
    );
    for (const done of became.rows) {
      const stop = await typedSince(kind, done, became.at);
      if (stop) since.push(stop);
      else found.push({ ...done, entry: null, earlier: became.at });
    }
  }
  if (since.length === 0) return found;
  noteStops(trip.recorder, "check", since, { all: all.length });
  return { is: "stopped", rows: since, said: null };
}

/** What was typed after the earlier try is no part of that save: it is shown again, upon what is stored now. */
async function typedSince(kind: SaveKind, { given, key }: Done, at: string): Promise<Stopped | null> {
  if (kind.operation(given) !== "change") return null;
  const { submission, trip } = given;
  const record = await load({ ...trip, key });
  const differs = submission.fields.some(
    ({ field, touched, value }) => touched && value !== (record?.row[field.column.name] ?? null),
  );
  if (!differs || !record) return null;
  const { page } = trip;
  const places = { at: toldMoment(page, at), button: saveText({ page, row: record.row, key }, "edit") };
  const problem = asProblem(message(page.language, "saved-earlier", places));
  return stoppedBy(given, [problem], record, {
    renewed: true,
    certain: false,
    heading: "heading-look-again",
    reason: "an earlier try was saved, and something else was typed since",
  });
}

/** Whether all of them are new: then that nothing is found of them says nothing yet. */
const areNew = (kind: SaveKind, all: readonly Given[]): boolean =>
  all.every((given) => kind.operation(given) === "new");

const doubtOf = (kind: SaveKind, all: readonly Given[]): MessageCode =>
  areNew(kind, all)
    ? "unavailable-doubt-new"
    : all.every((given) => kind.operation(given) === "delete")
      ? "unavailable-doubt-delete"
      : "unavailable-doubt";

/** Runs a save to its end, whatever goes wrong on the way. @throws bugs only */
export async function ending(
  kind: SaveKind,
  trip: Trip,
  all: readonly Given[],
  run: () => Promise<Ending>,
): Promise<Ending> {
  const { recorder } = trip;
  try {
    return await run();
  } catch (error) {
    const failure = ownFailure(trip, error);
    if (failure) {
      noteFailure(recorder, failure);
      return { is: "failed", code: "own-step-failed", certain: true };
    }
    if (error instanceof LostAnswer) {
      recorder.note("write", [], saidOf(error.error));
      return afterLoss(kind, trip, all);
    }
    const unavailability = unavailabilityOf(error);
    if (!unavailability) throw error;
    recorder.note("write", [], saidOf(error as Error));
    return { is: "failed", code: unavailability.message, certain: true };
  }
}

/** The answer of the statement that writes was lost: the log is asked, at once where the database answers soon. */
async function afterLoss(kind: SaveKind, trip: Trip, all: readonly Given[]): Promise<Ending> {
  const { id } = trip.request;
  const became = await kind.became(all, id);
  if (became.is === "written") {
    noteWrite(trip.recorder, became.rows, "found after the connection was lost");
    for (const row of became.rows) Own.of(row.given.trip, kind.operation(row.given))?.saved(answerOf(row));
    // Where nothing is to be written of a record, the log has nothing of it.
    const others = all.filter(
      (given) => kind.operation(given) !== "new" && became.rows.every((row) => row.given !== given),
    );
    const rest = others.map(async (given): Promise<Done> => {
      const row = (await load(given.trip))?.row ?? {};
      return { given, key: given.trip.key, row, changes: [], entry: null };
    });
    return { is: "saved", rows: [...became.rows, ...(await Promise.all(rest))] };
  }
  // That a new record is not there says nothing yet; a second try makes nothing twice.
  if (became.is === "nothing" && !areNew(kind, all)) return { is: "failed", code: "unavailable-lost", certain: true };
  const owns = all.map((given) => Own.of(given.trip, kind.operation(given)));
  if (owns.some((own) => own?.tellsLater))
    trip.undecided.push(async () => {
      const found = await kind.became(all, id, [0]);
      if (found.is === "unknown" || (found.is === "nothing" && areNew(kind, all))) return null;
      if (found.is === "nothing") return [];
      return found.rows.flatMap(
        (row) => Own.of(row.given.trip, kind.operation(row.given))?.eventOf(answerOf(row)) ?? [],
      );
    });
  return { is: "failed", code: doubtOf(kind, all), certain: false, doubt: id };
}

/** A record that was found in the log as the statement would have answered it. */
const answerOf = ({ entry, changes, row }: Done): Row => ({
  entry,
  changes: JSON.stringify(changes),
  row: JSON.stringify(row),
});
