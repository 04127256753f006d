import type { MessageCode } from "../messages/catalog.js";
import type { Code } from "../messages/codes.js";
import { isRefusedAs } from "./refusal.js";
import { DatabaseAway, DatabaseRefusal } from "./statement.js";

/** A state of the database that is neither the person's fault nor a bug: what the form says, and what a page without a form says. */
interface Unavailability {
  readonly message: MessageCode;
  readonly code: Code;
}

/**
 * The list of faults, by class of SQLSTATE (PostgreSQL documentation, appendix A), the longest beginning that fits. Whatever is
 * not on it is a refusal: something about what was sent, whatever code a trigger chose for it.
 */
const unavailabilities: readonly (readonly [begin: string, unavailability: Unavailability])[] = [
  ["57014", { message: "unavailable-slow", code: "database-trouble" }],
  ["25006", { message: "unavailable-read-only", code: "database-trouble" }],
  ["55P03", { message: "unavailable-locked", code: "database-trouble" }],
  ["40", { message: "unavailable-busy", code: "database-trouble" }],
  ["53100", { message: "unavailable-full", code: "database-trouble" }],
  ["53", { message: "unavailable-short", code: "database-trouble" }],
  ["08", { message: "unavailable-away", code: "database-away" }],
  ["25", { message: "unavailable-away", code: "database-away" }],
  ["57", { message: "unavailable-away", code: "database-away" }],
  ["58", { message: "unavailable-internal", code: "database-trouble" }],
  ["XX", { message: "unavailable-internal", code: "database-trouble" }],
  // A column or table that is gone, a right that is missing, a rewrite rule: the page file does not fit the table.
  ["42", { message: "unavailable-page", code: "page-unsound" }],
  ["0A", { message: "unavailable-page", code: "page-unsound" }],
  ["3F", { message: "unavailable-page", code: "page-unsound" }],
];

/** Classes that are about the page's own statement: raised inside a trigger, they are what the trigger did wrong. */
const ofStatement = /^(42|0A|3F)/;

/** Classes that are about the database as a whole, wherever they are met. */
const ofDatabase = /^(08|25|40|53|55|57|58|XX)/;

/** What PostgreSQL says of an error, with its SQLSTATE: for developers. */
export const saidOf = (error: Error): string =>
  error instanceof DatabaseRefusal ? `${error.sqlState} ${error.message}` : error.message;

/** What is the matter with the database, or undefined where the error is something else. */
export function unavailabilityOf(error: unknown): Unavailability | undefined {
  if (error instanceof DatabaseAway) return { message: "unavailable-away", code: "database-away" };
  if (!(error instanceof DatabaseRefusal)) return undefined;
  if (error.ofLog && !ofDatabase.test(error.sqlState)) {
    const isMissing = /^(3F000|42883|42P01)$/.test(error.sqlState) && !error.inside;
    return isMissing
      ? { message: "unavailable-log-missing", code: "log-missing" }
      : { message: "unavailable-log", code: "log-away" };
  }
  if (error.inside && ofStatement.test(error.sqlState)) return undefined;
  return unavailabilities.find(([begin]) => error.sqlState.startsWith(begin))?.[1];
}

/** Whether an error is a refusal: PostgreSQL raised it for what a statement of ours would do, and it is no fault of the database. */
export const isRefusal = (error: unknown): error is DatabaseRefusal =>
  error instanceof DatabaseRefusal && unavailabilityOf(error) === undefined;

/**
 * Whether nobody knows if a statement that failed so took effect: it was sent, and the answer never came. A backend that is ended
 * by its server (57P01, 57P02) may have committed before.
 */
export const isInDoubt = (error: unknown): boolean =>
  (error instanceof DatabaseAway && error.sent) || isRefusedAs(error, "connection ended");
