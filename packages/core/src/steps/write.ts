import type { Facts } from "../condition/evaluate.js";
import type { LogNote } from "../log/entry.js";
import type { FieldChange } from "../log/field-change.js";
import type { Page } from "../page/page.js";
import { type Database, DatabaseRefusal, type Row } from "../postgres/statement.js";
import { isRefusal } from "../postgres/unavailable.js";
import { type Guard, saveStatement } from "../statements/save.js";
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
    const again = error instanceof DatabaseRefusal && ["40001", "40P01"].includes(error.sqlState) && turn < mostSends;
    if (!again) throw error;
    return retryOnConflict(send, turn + 1);
  }
}

/**
 * Sends the one statement that locks, writes and logs.
 *
 * @param guard what the fields were compared with
 * @throws DatabaseRefusal for refusals that are none of the person's business, and whatever a lost connection throws
 */
export async function write(
  page: Page,
  key: readonly string[],
  guard: Guard,
  fields: readonly SubmittedField[],
  facts: Facts,
  note: LogNote,
  database: Database,
): Promise<WriteResult> {
  const assignments = fields.map(({ field, value }) => ({ column: field.column, value }));
  let row: Row | undefined;
  try {
    [row] = await retryOnConflict(() => database.run(saveStatement(page, key, guard, assignments, facts, note)));
  } catch (error) {
    if (!isRefusal(error)) throw error;
    return refusalOf(page, fields, error, database);
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
