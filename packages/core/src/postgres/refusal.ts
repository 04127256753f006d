import { DatabaseAway, DatabaseRefusal } from "./statement.js";

/**
 * What a refusal of PostgreSQL is about, by its SQLSTATE (PostgreSQL documentation, appendix A): the only place that knows the
 * codes that something is decided by. Which of them are faults of the database is told in `unavailable.ts`.
 */
type RefusalKind =
  | "unique"
  | "foreign key"
  | "not null"
  | "check"
  | "exclusion"
  /** Bytes that are no text in the encoding of the database or the connection, as a database in SQL_ASCII holds them. */
  | "unreadable text"
  /** A text that is no value of its type, or a value out of its range. */
  | "bad value"
  /** A statement that does not fit the tables, or lacks a right on them. */
  | "bad statement"
  /** Given up for the sake of others, and rolled back whole: sent again, it may succeed. */
  | "retryable"
  | "locked by others"
  /** Given up by its time limit. */
  | "took too long"
  /** The server ended the connection, perhaps after a commit. */
  | "connection ended"
  | "other";

/** By code, and by the class of all others. */
const kinds: Readonly<Record<string, RefusalKind>> = {
  "23505": "unique",
  "23503": "foreign key",
  "23001": "foreign key",
  "23502": "not null",
  "23514": "check",
  "23P01": "exclusion",
  "22021": "unreadable text",
  "22P05": "unreadable text",
  "22": "bad value",
  "42": "bad statement",
  "40001": "retryable",
  "40P01": "retryable",
  "55P03": "locked by others",
  "57014": "took too long",
  "57P01": "connection ended",
  "57P02": "connection ended",
};

export const refusalKind = ({ sqlState }: DatabaseRefusal): RefusalKind =>
  kinds[sqlState] ?? kinds[sqlState.slice(0, 2)] ?? "other";

/** Whether an error is a refusal of this kind. */
export const isRefusedAs = (error: unknown, ...wanted: readonly RefusalKind[]): error is DatabaseRefusal =>
  error instanceof DatabaseRefusal && wanted.includes(refusalKind(error));

/** Whether PostgreSQL gave up a transaction for the sake of others, so that all of it can be sent again. */
export const isRetryable = (error: unknown): boolean => isRefusedAs(error, "retryable");

/**
 * What the database answers, or something else where it refuses to: for what may be asked in vain.
 *
 * @param when `refused` passes on that the database is away; `unanswered` takes that too
 */
export async function answeredOr<Answer, Otherwise>(
  run: () => Promise<Answer>,
  otherwise: Otherwise,
  when: "refused" | "unanswered" = "refused",
): Promise<Answer | Otherwise> {
  try {
    return await run();
  } catch (error) {
    if (error instanceof DatabaseRefusal || (when === "unanswered" && error instanceof DatabaseAway)) return otherwise;
    throw error;
  }
}
