import { givenValue } from "../condition/value.js";
import type { FieldChange } from "../log/field-change.js";
import { isRefusedAs } from "../postgres/refusal.js";
import type { Row } from "../postgres/statement.js";
import { isRefusal } from "../postgres/unavailable.js";
import { type Assignment, type Guard, saveStatement } from "../statements/save.js";
import { logNoteOf, type Trip } from "../trip/trip.js";
import type { SubmittedField } from "./read.js";
import { type Refused, refusalOf } from "./refusal.js";

export type WriteResult =
  | {
      readonly kind: "written";
      readonly entry: string;
      readonly changes: readonly FieldChange[];
      readonly row: Row;
    }
  /** The row has the values already, or a trigger has put them back. */
  | { readonly kind: "no-difference" }
  /** No row was found in the state that was asked for. */
  | { readonly kind: "not-found" }
  | Refused;

/** What the page itself gives on such a write. */
export const setValues = ({ page, facts }: Pick<Trip, "page" | "facts">, on: "new" | "save"): readonly Assignment[] =>
  page.sets.flatMap((set) =>
    set.on === "both" || set.on === on
      ? [{ column: set.column, value: givenValue(set.value, set.column, facts, page.timeZone) }]
      : [],
  );

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

/**
 * Sends the one statement that locks, writes and logs.
 *
 * @param guard what the fields were compared with
 * @throws DatabaseRefusal for refusals that are none of the person's business, and whatever a lost connection throws
 */
export async function write(trip: Trip, guard: Guard, fields: readonly SubmittedField[]): Promise<WriteResult> {
  const { page, key, facts, dependencies } = trip;
  const assignments = [
    ...fields.map(({ field, value }) => ({ column: field.column, value })),
    ...setValues(trip, "save").map((set) => ({ ...set, along: true as const })),
  ];
  let row: Row | undefined;
  try {
    const statement = saveStatement(page, key, guard, assignments, facts, logNoteOf(trip));
    [row] = await retryOnConflict(() => dependencies.database.run(statement));
  } catch (error) {
    if (!isRefusal(error)) throw error;
    return refusalOf(trip, fields, error);
  }
  if (!row) return { kind: "not-found" };
  if (!row.entry) return { kind: "no-difference" };
  return {
    kind: "written",
    entry: row.entry,
    changes: JSON.parse(row.changes ?? "[]") as FieldChange[],
    row: JSON.parse(row.row ?? "{}") as Row,
  };
}
