import type { Code } from "./messages/codes.js";
import type { MessageCode } from "./messages/messages.js";
import { DatabaseAway, DatabaseRefusal } from "./statements/statement.js";

/** A state of the database that is neither the person's fault nor a bug: what the form says, and what a page without a form says. */
export interface Trouble {
  readonly message: MessageCode;
  readonly code: Code;
}

/** By class of SQLSTATE (PostgreSQL documentation, appendix A), the longest beginning that fits. */
const troubles: readonly (readonly [begin: string, trouble: Trouble])[] = [
  ["57014", { message: "trouble-slow", code: "database-away" }],
  ["25006", { message: "trouble-read-only", code: "database-away" }],
  ["40", { message: "trouble-busy", code: "database-away" }],
  ["55P03", { message: "trouble-busy", code: "database-away" }],
  ["53", { message: "trouble-busy", code: "database-away" }],
  ["08", { message: "trouble-away", code: "database-away" }],
  ["25", { message: "trouble-away", code: "database-away" }],
  ["57", { message: "trouble-away", code: "database-away" }],
  ["58", { message: "trouble-away", code: "database-away" }],
  // A column or table that is gone, or a right that is missing: the page file no longer fits the table.
  ["42", { message: "trouble-page", code: "page-unsound" }],
];

/** What is the matter with the database, or undefined where the error is something else. */
export function troubleOf(error: unknown): Trouble | undefined {
  if (error instanceof DatabaseAway) return { message: "trouble-away", code: "database-away" };
  if (!(error instanceof DatabaseRefusal)) return undefined;
  return troubles.find(([begin]) => error.sqlState.startsWith(begin))?.[1];
}
