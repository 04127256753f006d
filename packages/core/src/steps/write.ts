import type { Facts } from "../condition/evaluate.js";
import { message } from "../messages/messages.js";
import type { Field, Page } from "../page/page.js";
import type { LogNote } from "../statements/entry.js";
import { judgeStatement } from "../statements/judge.js";
import { type Guard, saveStatement } from "../statements/save.js";
import { type Database, DatabaseRefusal, type Row } from "../statements/statement.js";
import { dependsOnForm } from "./offer.js";
import type { Problem } from "./prefill.js";
import type { SubmittedField } from "./read.js";

/** One field of a change log entry: what it was and what it became, in text form. */
export interface FieldChange {
  readonly field: string;
  readonly old: string | null;
  readonly new: string | null;
}

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
  | { readonly kind: "refused"; readonly problems: readonly Problem[]; readonly said: string };

const joined = (labels: readonly string[]): string => labels.join(", ");

/** The field of a form whose column is among the constraint's, and the labels of the others. */
function fieldOf(
  page: Page,
  taken: readonly Field[],
  columns: readonly string[],
): { field: Field | undefined; others: string } {
  const fields = page.fields.filter((field) => columns.includes(field.column.name));
  // What was written stands first among those taken; of several, the one whose choices depend on the others is to be put right.
  const written = taken.filter((each) => fields.includes(each));
  const field = written.find(dependsOnForm) ?? written[0];
  const others = columns
    .filter((name) => name !== field?.column.name)
    .map((name) => fields.find((each) => each.column.name === name)?.label ?? name);
  return { field, others: joined(others) };
}

const classOf = (sqlState: string): string => sqlState.slice(0, 2);

/** The names and values of a refusal stay in the database's log; what a person sees is made of the page's own labels. */
function problemOf(page: Page, taken: readonly Field[], refusal: DatabaseRefusal): Problem {
  const constraint = [
    ...page.table.constraints,
    ...page.table.keys.map((key) => ({ ...key, kind: "unique" as const, definition: "" })),
  ].find((each) => each.constraint === refusal.constraint);
  const reference = page.table.references.find((each) => each.constraint === refusal.constraint);
  const { field, others } = fieldOf(
    page,
    taken,
    reference?.columns ?? constraint?.columns ?? (refusal.column ? [refusal.column] : []),
  );
  const at = field?.column.name ?? null;
  const label = field?.label ?? refusal.column ?? "";
  const { language } = page;
  switch (refusal.sqlState) {
    case "23505":
      return {
        field: at,
        message: others
          ? message(language, "unique-together", { label, others })
          : message(language, "unique", { label }),
      };
    case "23503":
      return { field: at, message: message(language, "exists", { label }) };
    case "23P01":
      return { field: at, message: message(language, "exclusion", { label }) };
    case "23502":
      return { field: at, message: message(language, "not-null", { label }) };
    case "23514":
      return {
        field: at,
        message: message(language, "check", {
          constraint: refusal.constraint ?? "",
          definition: constraint?.definition ?? "",
        }),
      };
    default:
      return {
        field: null,
        message: message(language, classOf(refusal.sqlState) === "22" ? "value-out-of-range" : "refused-by-database", {
          said: refusal.message,
        }),
      };
  }
}

/** Refusals that the person can do something about: bad data, integrity, what a trigger or a view's check raised. */
export const isAnswerable = (sqlState: string): boolean => ["22", "23", "44", "P0"].includes(classOf(sqlState));

/**
 * After a refusal: the fields whose texts PostgreSQL does not take as values of their own types, each with what it says. A
 * text control holds any type, and only the database knows what an `inet`, a range or a domain of the developer's own is.
 */
async function judge(page: Page, fields: readonly SubmittedField[], database: Database): Promise<readonly Problem[]> {
  const problems: Problem[] = [];
  for (const { field, value } of fields) {
    if (value === null) continue;
    try {
      await database.run(judgeStatement(field.column, value));
    } catch (error) {
      if (!(error instanceof DatabaseRefusal) || !isAnswerable(error.sqlState)) throw error;
      const said = error.message.replace(/\.$/, "");
      problems.push({
        field: field.column.name,
        message: message(page.language, "not-of-type", { label: field.label, said }),
      });
    }
  }
  return problems;
}

/** How often a statement is sent that PostgreSQL gave up for the sake of others. */
const mostSends = 3;

/**
 * Sends a statement again after a serialization failure or a deadlock (SQLSTATE 40001, 40P01): it was rolled back whole, so
 * sending it again can't do anything twice.
 */
export async function persistently<T>(send: () => Promise<T>, turn = 1): Promise<T> {
  try {
    return await send();
  } catch (error) {
    const again = error instanceof DatabaseRefusal && ["40001", "40P01"].includes(error.sqlState) && turn < mostSends;
    if (!again) throw error;
    return persistently(send, turn + 1);
  }
}

/** A refusal as problems of the form: at the fields whose texts are none of their type, or else at what the constraint names. */
export async function refusalOf(
  page: Page,
  fields: readonly SubmittedField[],
  refusal: DatabaseRefusal,
  database: Database,
): Promise<WriteResult & { kind: "refused" }> {
  const judged = await judge(page, fields, database);
  const taken = fields.map((each) => each.field);
  const others = page.fields.filter((field) => !field.readOnly && !taken.includes(field));
  const problems = judged.length > 0 ? judged : [problemOf(page, [...taken, ...others], refusal)];
  return { kind: "refused", problems, said: `${refusal.sqlState} ${refusal.message}` };
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
    [row] = await persistently(() => database.run(saveStatement(page, key, guard, assignments, facts, note)));
  } catch (error) {
    if (!(error instanceof DatabaseRefusal) || !isAnswerable(error.sqlState)) throw error;
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
