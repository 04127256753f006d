import { isRefusedAs } from "../postgres/refusal.js";
import type { Row, Stored } from "../postgres/statement.js";
import { isSmall } from "../settings/bound/sorting.js";
import {
  boundaryStatement,
  countName,
  exactColumns,
  type ListQuestion,
  listLength,
  listStatement,
  type Stretch,
  stretchesOf,
} from "../statements/list.js";
import { commonWords, commonWordsStatement } from "../statements/search.js";
import type { Trip } from "../trip/trip.js";
import { placeOf } from "./list-place.js";

/** Where in its order a list is looked at: from one end, or beyond a row. */
export interface Place {
  readonly backward: boolean;
  readonly beyond: readonly Stored[] | null;
}

export interface Part {
  /** In the list's order, {@link listLength} at most. */
  readonly rows: readonly Row[];
  /** Whether there are others further on, in the direction in which it was gone. */
  readonly more: boolean;
  readonly count: number | null;
  /** Where it was stopped before its end, since it took too long: the row up to which it looked, and how many it looked through. */
  readonly stopped?: { readonly at: Row; readonly looked: number };
  /** Whether these are only the rows one of whose values is what was looked for, in full. */
  readonly exact?: true;
}

/** Whether only some of the records are wanted. */
export const isNarrowed = ({ search, filters }: ListQuestion): boolean => search !== "" || filters.length > 0;

/** The question with the words marked that an index would only be slower with; a small table is read as it is. */
export async function withCommonWords({ page, dependencies }: Trip, question: ListQuestion): Promise<ListQuestion> {
  const statement = isSmall(page.table) ? null : commonWordsStatement(page, question.search);
  if (!statement) return question;
  return { ...question, common: commonWords(question.search, await dependencies.database.run(statement)) };
}

/** Whether records are counted: of a large table they are not, one of unknown size may be small. */
const isCountable = ({ page: { table } }: Trip): boolean => table.rows === null || isSmall(table);

/** The stretches of a list's order from a place on. */
const stretchesFrom = ({ sort }: ListQuestion, { backward, beyond }: Place): readonly boolean[] => {
  const stretches = stretchesOf(sort, backward);
  return stretches.slice(Math.max(0, beyond === null ? 0 : stretches.indexOf(beyond[0] !== null)));
};

/** What was found, as a part of the list. */
function partOf(found: readonly Row[], { backward }: Place, length: number): Part {
  const rows = found.slice(0, length);
  const count = found[0]?.[countName];
  return {
    rows: backward ? rows.toReversed() : rows,
    more: found.length > length,
    count: count === undefined || count === null ? null : Number(count),
  };
}

interface HowMuch {
  readonly length?: number | undefined;
  /** The milliseconds that each statement may take; as many as any where it is left out. */
  readonly within?: number;
}

/** Goes along the list's order, from one stretch to the next where the first is too short. */
export async function partAt(
  trip: Trip,
  asked: ListQuestion,
  place: Place,
  { length = listLength, within }: HowMuch = {},
): Promise<Part> {
  const { dependencies } = trip;
  const question = await withCommonWords(trip, asked);
  const found: Row[] = [];
  let { beyond } = place;
  for (const withValue of stretchesFrom(question, place)) {
    const stretch = { withValue, backward: place.backward, beyond };
    const most = length - found.length;
    const counts = length === listLength && isCountable(trip);
    const statement = listStatement(trip, question, stretch, { most, counts });
    found.push(...(await dependencies.database.run(within === undefined ? statement : { ...statement, within })));
    if (found.length > length) break;
    beyond = null;
  }
  return partOf(found, place, length);
}

/** A search or filter that no index helps is answered within about so many milliseconds; the first of them are for the one that an index does help. */
const [patience, atOnce] = [1_800, 600];

/**
 * Rows that are looked through at first, so few that any database can; then as many as there is time for, by what the last ones took: up to so many times
 * as many. Where that would be fewer than a part of the last ones, time is up.
 */
const firstStep = 30;
const [growth, shareOfTime, leastPart] = [8, 0.7, 0.25];

/** A statement is given so many milliseconds at least, whatever is left; one of the first step more: without it there is nothing to go on from. */
const [leastTime, leastAtFirst] = [200, 2_000];

/**
 * A part of the list, whatever is looked for in however many records. What takes too long as one statement is looked for along the list's order, step
 * by step, until there are enough, or time is up: then it says how far it came, and can go on from there.
 *
 * @param everywhere whether rows one of whose values is what was looked for, in full, are no answer by themselves
 */
export async function partWithin(
  trip: Trip,
  question: ListQuestion,
  place: Place,
  { length = listLength, everywhere = true }: { readonly length?: number; readonly everywhere?: boolean } = {},
): Promise<Part> {
  if (!isNarrowed(question) || isSmall(trip.page.table)) return partAt(trip, question, place, { length });
  const end = performance.now() + patience;
  try {
    return await partAt(trip, question, place, { length, within: atOnce });
  } catch (error) {
    if (!isRefusedAs(error, "took too long")) throw error;
  }
  const exact =
    everywhere || place.backward || place.beyond !== null ? null : await exactPart(trip, question, place, length);
  return exact ?? lookAlong(trip, question, place, { length, end });
}

/** The rows that have what is looked for as a value, in full, by an index of their own; null where there are none, or too many to say much. */
async function exactPart(trip: Trip, question: ListQuestion, place: Place, length: number): Promise<Part | null> {
  if (exactColumns(trip.page, question.search).length === 0 || question.search === "") return null;
  try {
    const part = await partAt(trip, { ...question, exact: true }, place, { length, within: atOnce });
    return part.rows.length === 0 || part.more ? null : { ...part, more: true, exact: true };
  } catch (error) {
    if (isRefusedAs(error, "took too long", "bad value")) return null;
    throw error;
  }
}

/** Looks for rows step by step: `end` is when it is to be answered, by the clock of `performance.now()`. */
async function lookAlong(
  trip: Trip,
  question: ListQuestion,
  place: Place,
  { length, end }: { readonly length: number; readonly end: number },
): Promise<Part> {
  const { page, dependencies } = trip;
  const { backward } = place;
  const found: Row[] = [];
  let stopped: Part["stopped"];
  let step = firstStep;
  const run = (statement: ReturnType<typeof listStatement>): Promise<readonly Row[]> =>
    dependencies.database.run({
      ...statement,
      within: Math.ceil(Math.max(stopped ? leastTime : leastAtFirst, end - performance.now())),
    });
  const stoppedPart = (): Part => ({
    ...partOf(found, place, length),
    more: true,
    ...(stopped ? { stopped } : {}),
  });
  let { beyond } = place;
  for (const withValue of stretchesFrom(question, place)) {
    for (;;) {
      const begun = performance.now();
      const stretch: Stretch = { withValue, backward, beyond };
      try {
        const [last] = await run(boundaryStatement(page, question.sort, stretch, step));
        const until = last ? placeOf(page, question.sort, last) : null;
        const most = length - found.length;
        found.push(...(await run(listStatement(trip, question, { ...stretch, until }, { most }))));
        if (found.length > length) return partOf(found, place, length);
        if (!last) break;
        stopped = { at: last, looked: (stopped?.looked ?? 0) + step };
        beyond = until;
      } catch (error) {
        if (stopped && isRefusedAs(error, "took too long")) return stoppedPart();
        throw error;
      }
      const now = performance.now();
      const times = Math.min(growth, (shareOfTime * (end - now)) / (now - begun));
      if (times < leastPart) return stoppedPart();
      step = Math.ceil(step * times);
    }
    beyond = null;
  }
  return partOf(found, place, length);
}
