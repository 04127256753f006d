import { givenValue } from "../condition/value.js";
import { isRefusedAs } from "../postgres/refusal.js";
import { type Database, DatabaseRefusal, type Row, type Statement } from "../postgres/statement.js";
import type { Assignment } from "../statements/save.js";
import { OwnStepFailed } from "../trip/own.js";
import type { Trip } from "../trip/trip.js";
import { OwnCodeFailed } from "../values/registry.js";
import type { Problem } from "../views/form-view.js";

/** What the page itself gives on such a write. @param form what the form comes to */
export const setValues = (
  { page, facts }: Pick<Trip, "page" | "facts">,
  on: "new" | "save",
  form: () => Row,
): readonly Assignment[] => {
  const sets = page.sets.filter((set) => set.on === "both" || set.on === on);
  if (sets.length === 0) return [];
  const here = { ...facts, form: form() };
  return sets.map(({ column, value }) => ({ column, value: givenValue(value, column, here, page.timeZone) }));
};

/** How often a statement is sent that PostgreSQL gave up for the sake of others. */
const mostSends = 3;

/**
 * Sends a statement again after a serialization failure or a deadlock (SQLSTATE 40001, 40P01): it was rolled back whole, so
 * sending it again can't do anything twice.
 */
export async function retryOnConflict<T>(send: () => Promise<T>, turn = 1): Promise<T> {
  try {
    return await send();
  } catch (error) {
    if (!isRefusedAs(error, "retryable") || turn >= mostSends) throw error;
    return retryOnConflict(send, turn + 1);
  }
}

/** What the developer's own steps add to a write. */
export interface OwnPart {
  /** Further values, by column. */
  readonly assignments: readonly Assignment[];
  /** What belongs to the same transaction, told what the statement answered; null where there is nothing. */
  readonly within: ((inside: Database, rows: readonly Row[], place?: number) => Promise<void>) | null;
}

/** Refuses what is being written, from inside of its transaction. */
export class RefusedInside extends Error {
  constructor(
    readonly problems: readonly Problem[],
    /** Which of several records is refused. */
    readonly place = 0,
  ) {
    super(problems.map((problem) => problem.message).join(" "));
  }
}

/** PostgreSQL has ended a transaction because of a statement in it that was refused. */
const abortedTransaction = "25P02";

/** An error as the failure of a developer's own code, where it is one: also where a refusal of their statement was caught, and so not seen. */
export function ownFailure({ page, dependencies }: Trip, error: unknown): OwnCodeFailed | null {
  if (error instanceof OwnCodeFailed) return error;
  if (!(error instanceof DatabaseRefusal) || error.sqlState !== abortedTransaction) return null;
  const source = dependencies.own?.(page.name)?.source ?? page.name;
  const said =
    "a statement of it was refused, which ends the transaction, whatever is made of the error: use a savepoint";
  return new OwnStepFailed("inTransaction", source, said, { cause: error });
}

/** Sends a statement that writes; where more belongs to it, all of it is one transaction of several trips. */
export const sendWrite = (
  database: Database,
  statement: Statement,
  within: OwnPart["within"] = null,
): Promise<readonly Row[]> =>
  retryOnConflict(() =>
    within
      ? database.transaction(async (inside) => {
          const rows = await inside.run(statement);
          // Where nothing was written there is nothing to go with it.
          if (rows.some((row) => row.entry)) await within(inside, rows);
          return rows;
        })
      : database.run(statement),
  );

/** Values to be written, those of the developer's own steps in the place of the form's. */
export const withOwn = (assignments: readonly Assignment[], own: OwnPart | null): readonly Assignment[] =>
  own
    ? [
        ...assignments.filter(({ column }) => own.assignments.every((each) => each.column !== column)),
        ...own.assignments,
      ]
    : assignments;
