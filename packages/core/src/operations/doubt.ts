import type { FieldChange } from "../log/field-change.js";
import { entryOfRequestStatement, holdStatement } from "../log/read.js";
import type { Page } from "../page/page.js";
import { isRefusedAs } from "../postgres/refusal.js";
import type { Row } from "../postgres/statement.js";
import { unavailabilityOf } from "../postgres/unavailable.js";
import { madeStatement } from "../statements/create.js";
import type { Trip } from "../trip/trip.js";

/**
 * What became of a save whose answer was lost: it is in the table and in the log, it is in neither, or the database can't be asked.
 * Table and log are one statement, so the log knows.
 */
export type Became =
  | {
      readonly kind: "written";
      /** PostgreSQL's text form of a `timestamptz`. */
      readonly at: string;
      readonly key: readonly string[];
      readonly changes: readonly FieldChange[];
      readonly entry: string;
    }
  | { readonly kind: "nothing" }
  | { readonly kind: "unknown" };

/** How long it is waited before each time that the database is asked, in milliseconds: three seconds in all. */
const waits = [0, 200, 400, 800, 1600] as const;

function written(page: Page, entry: Row): Became {
  const key = JSON.parse(entry.new_key ?? entry.record_key ?? "{}") as Record<string, string>;
  return {
    kind: "written",
    at: entry.at ?? "",
    key: page.key.map(({ name }) => key[name] ?? ""),
    changes: JSON.parse(entry.fields ?? "[]") as FieldChange[],
    entry: entry.id ?? "",
  };
}

/**
 * Asks the log what became of a request, as soon as the database answers again.
 *
 * The record is locked first: a backend that was cut off may still be at work, and it is waited for like anybody else who
 * writes this record. A second statement then sees what it committed (PostgreSQL documentation, 13.2.1).
 *
 * @param requestId the request that wrote, or did not
 */
export async function whatBecame({ page, key, dependencies }: Trip, requestId: string): Promise<Became> {
  for (const wait of waits) {
    if (wait > 0) await dependencies.pause(wait);
    try {
      return await dependencies.database.transaction(async (inside): Promise<Became> => {
        await inside.run(holdStatement(page, key));
        const [entry] = await inside.run(entryOfRequestStatement(requestId));
        return entry ? written(page, entry) : { kind: "nothing" };
      });
    } catch (error) {
      if (!unavailabilityOf(error)) throw error;
      // Somebody holds the record, perhaps the lost save itself: nothing can be said before that one ends.
      if (isRefusedAs(error, "locked by others")) return { kind: "unknown" };
    }
  }
  return { kind: "unknown" };
}

/**
 * What a new record's form made, if it did: asked where an answer was lost, and where the form came a second time.
 *
 * @param form the form's own number
 * @returns the record's key by column, and when; null where nothing was made as far as can be seen
 */
export async function whatWasMade(
  { dependencies }: Trip,
  form: string,
): Promise<{ readonly key: Row; readonly at: string } | null> {
  for (const wait of waits) {
    if (wait > 0) await dependencies.pause(wait);
    try {
      const [made] = await dependencies.database.run(madeStatement(form));
      return made ? { key: JSON.parse(made.key ?? "{}") as Row, at: made.at ?? "" } : null;
    } catch (error) {
      if (!unavailabilityOf(error)) throw error;
    }
  }
  return null;
}
