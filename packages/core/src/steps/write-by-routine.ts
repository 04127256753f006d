import type { Facts } from "../condition/facts.js";
import type { FieldChange } from "../log/field-change.js";
import type { Page, RoutineCall } from "../page/page.js";
import type { Database, Row, Stored } from "../postgres/statement.js";
import { afterStatement, callStatement, entryStatement, lockStatement, remainsName } from "../statements/routine.js";
import type { Guard } from "../statements/save.js";
import { logNoteOf, type Trip } from "../trip/trip.js";
import { formValues } from "./check.js";
import type { SubmittedField } from "./read-field.js";
import { leftRowsRefusal } from "./refusal.js";
import { type OwnPart, retryOnConflict } from "./write.js";

/** An argument's value: what the form comes to, what was stored, or who it is. */
function argumentFrom({ from, name }: RoutineCall["arguments"][number], form: Row, row: Row, { actor }: Facts): Stored {
  if (from === "form") return form[name] ?? null;
  if (from === "row") return row[name] ?? null;
  if (name === "id" || name === "name") return actor[name];
  const attribute = actor.attributes?.[name];
  return attribute === null || attribute === undefined ? null : String(attribute);
}

const keyOf = (page: Page, row: Row): Record<string, Stored> =>
  Object.fromEntries(page.key.map(({ name }) => [name, row[name] ?? null]));

/** Every column that differs, in the table's order; all of them where the record is gone. */
const differencesOf = (page: Page, before: Row, after: Row | undefined): readonly FieldChange[] =>
  page.table.columns.flatMap(({ name, sensitive }): FieldChange[] => {
    const [old, changed] = [before[name] ?? null, after?.[name] ?? null];
    if (old === changed) return [];
    return [sensitive ? { field: name, old: null, new: null, hidden: true } : { field: name, old, new: changed }];
  });

/** The row as the routine left it: under its key, or under the key that the form gave it. */
async function afterwards({ page, facts }: Trip, before: Row, form: Row, database: Database): Promise<Row | undefined> {
  const named = (row: Row): string[] => page.key.map(({ name }) => row[name] ?? "");
  const [same] = await database.run(afterStatement(page, named(before), facts));
  if (same || named(before).join("\0") === named(form).join("\0")) return same;
  return (await database.run(afterStatement(page, named(form), facts)))[0];
}

/**
 * Saves through a routine of the developer's own: locks the record, calls the routine with the form's values, compares the row
 * before and after, and writes the log entry, all in one transaction.
 *
 * @param fields the whole submission: a routine takes every field, as it was stored where it was not touched
 * @returns what a statement that saves answers; null where the record was not found as the guard asks for it
 */
export const writeByRoutine = (
  trip: Trip,
  call: RoutineCall,
  guard: Guard,
  { fields, within = null }: { readonly fields: readonly SubmittedField[]; readonly within?: OwnPart["within"] },
): Promise<Row | null> => {
  const { page, key, facts, dependencies } = trip;
  return retryOnConflict(() =>
    dependencies.database.transaction(async (inside): Promise<Row | null> => {
      const [before] = await inside.run(lockStatement(page, key, guard, facts));
      if (!before) return null;
      const form = formValues(before, fields);
      await inside.run(
        callStatement(
          call,
          call.arguments.map((each) => argumentFrom(each, form, before, facts)),
        ),
      );
      const after = await afterwards(trip, before, form, inside);
      // Thrown inside the transaction, so that nothing of it stays.
      if (after?.[remainsName] === "false") throw leftRowsRefusal();
      const changes = differencesOf(page, before, after);
      const newKey = after && JSON.stringify(keyOf(page, after)) !== JSON.stringify(keyOf(page, before));
      const [logged] = await inside.run(
        entryStatement(page, logNoteOf(trip), {
          operation: after ? "update" : "delete",
          key: keyOf(page, before),
          newKey: newKey ? keyOf(page, after) : null,
          fields: changes,
          reason: `by ${call.routine.schema}.${call.routine.name}`,
        }),
      );
      const written: Row = {
        entry: logged?.entry ?? "",
        changes: JSON.stringify(changes),
        row: JSON.stringify(after ?? before),
      };
      await within?.(inside, [written]);
      return written;
    }),
  );
};
