import type { Row } from "../../postgres/statement.js";
import { isRefusal } from "../../postgres/unavailable.js";
import { refusalOf } from "../../steps/refusal.js";
import { type OwnPart, RefusedInside } from "../../steps/write.js";
import { inside, type Trip } from "../../trip/trip.js";
import { manyChanges, TakenBack } from "../change.js";
import { newRecord } from "../create.js";
import { type Given, type Ready, type SaveKind, type Stopped, stoppedBy } from "../save-kind.js";
import { expectWaiting, goOn } from "./view.js";

/** So many rows are written by one statement: PostgreSQL takes 65,535 parameters (documentation, 55.7). */
const rowsAtOnce = 200;

export const isNew = ({ submission }: Given): boolean => submission.claims.form === "new";

const kindOf = (given: Given): SaveKind => (isNew(given) ? newRecord : manyChanges);

/** Of some rows, with their places: those that are new, or those that are stored already. */
const placesOf = (ready: readonly Ready[], areNew: boolean): readonly number[] =>
  ready.flatMap((each, place) => (isNew(each) === areNew ? [place] : []));

/** Writes rows by several statements of one transaction, new ones last: all of them or none. */
async function write(trip: Trip, ready: readonly Ready[], parts: readonly (OwnPart | null)[]): Promise<(Row | null)[]> {
  const answers: (Row | null)[] = ready.map(() => null);
  const at = async (places: readonly number[], run: (part: readonly Ready[]) => Promise<readonly (Row | null)[]>) => {
    const part = places.flatMap((place) => ready[place] ?? []);
    try {
      for (const [index, answer] of (await run(part)).entries()) answers[places[index] ?? -1] = answer;
    } catch (error) {
      throw error instanceof RefusedInside ? new RefusedInside(error.problems, places[error.place] ?? -1) : error;
    }
  };
  const ownOf = (places: readonly number[]) => places.map((place) => parts[place] ?? null);
  const changed = placesOf(ready, false);
  try {
    await trip.dependencies.database.transaction(async (database) => {
      for (let start = 0; start < changed.length; start += rowsAtOnce) {
        await goOn(trip, "saving", start, ready.length);
        const places = changed.slice(start, start + rowsAtOnce);
        await at(places, (part) => manyChanges.write(inside(trip, database), part, ownOf(places)));
      }
      // Some were changed since: they are compared, and all are tried again.
      if (changed.some((place) => answers[place] === null)) throw new TakenBack();
      for (const [index, place] of placesOf(ready, true).entries()) {
        await goOn(trip, "saving", changed.length + index, ready.length);
        await at([place], (part) =>
          newRecord.write(
            trip,
            part.map((each) => ({ ...each, trip: inside(each.trip, database) })),
            ownOf([place]),
          ),
        );
      }
      // The last time at which it can be given up: after this it is committed.
      expectWaiting(trip.dependencies);
    });
  } catch (error) {
    if (!(error instanceof TakenBack)) throw error;
    // What was new is not asked about again: it stays as ready as it was.
    return answers.map((answer, place) => (ready[place] && isNew(ready[place]) ? {} : answer));
  }
  return answers;
}

/** Tries new records one by one, in a transaction that is rolled back, after the changes of stored ones. */
async function refusedNew(trip: Trip, changes: readonly Ready[], news: readonly Ready[]): Promise<readonly Stopped[]> {
  const stops: Stopped[] = [];
  try {
    await trip.dependencies.database.transaction(async (database) => {
      await write(inside(trip, database), changes, []);
      for (const each of news) {
        try {
          await database.transaction((nested) =>
            newRecord.write(trip, [{ ...each, trip: inside(each.trip, nested) }], [null]),
          );
        } catch (error) {
          if (error instanceof RefusedInside) stops.push(stoppedBy(each, error.problems));
          else if (isRefusal(error)) {
            const { problems } = await refusalOf(inside(each.trip, database), each.submission.fields, error);
            stops.push(stoppedBy(each, problems));
          } else throw error;
        }
      }
      throw new TakenBack();
    });
  } catch (error) {
    if (!(error instanceof TakenBack)) throw error;
  }
  return stops;
}

/** The rows of a file: many records, each by its own version, and new ones, in one transaction. */
export const uploadRows: SaveKind = {
  operation: (given) => kindOf(given).operation(given),
  asksForRow: (given, own) => kindOf(given).asksForRow(given, own),
  judge: (given, row) => kindOf(given).judge(given, row),
  lockedBecause: manyChanges.lockedBecause,
  compare: manyChanges.compare,
  write,
  unwritten: (given, record) => kindOf(given).unwritten(given, record),
  refusal: (ready, error) => kindOf(ready).refusal(ready, error),
  async refusedAmong(trip, ready) {
    const [changes, news] = [ready.filter((each) => !isNew(each)), ready.filter(isNew)];
    const among = changes.length > 0 ? ((await manyChanges.refusedAmong?.(trip, changes)) ?? []) : [];
    return among.length > 0 ? among : refusedNew(trip, changes, news);
  },
  async became(all, request, waits) {
    const [changes, news] = [all.filter((each) => !isNew(each)), all.filter(isNew)];
    // One transaction has written them: what became of the changes became of the new ones.
    const became = await (changes.length > 0 ? manyChanges : newRecord).became(
      changes.length > 0 ? changes : news,
      request,
      waits,
    );
    if (became.is !== "written" || changes.length === 0 || news.length === 0) return became;
    const made = await newRecord.became(news, request, waits);
    return made.is === "written" ? { ...became, rows: [...became.rows, ...made.rows] } : became;
  },
};
