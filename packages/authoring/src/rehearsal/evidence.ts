import type { Actor } from "@loyal-quill/core/condition/facts";
import type { FieldChange } from "@loyal-quill/core/log/field-change";
import type { Row } from "@loyal-quill/core/postgres/statement";
import type { RecordedRequest } from "@loyal-quill/core/trip/recording";

/** Rows of one table that a request touched, as PostgreSQL counts them itself (documentation, 27.2.22); rolled-back tries left out. */
export interface Touched {
  readonly table: string;
  readonly inserted: number;
  readonly updated: number;
  readonly deleted: number;
}

/** An entry of the change log that a request made. */
export interface LoggedEntry {
  readonly operation: string;
  readonly actor: string;
  readonly table: string;
  readonly key: Row;
  readonly fields: readonly FieldChange[];
}

/** One request of a case, with what it did. */
export interface Evidence {
  readonly method: string;
  readonly path: string;
  readonly body: string | null;
  readonly actor: Pick<Actor, "id" | "name"> | null;
  readonly status: number;
  readonly headers: Readonly<Record<string, string>>;
  /** The answer, cut where it is long. */
  readonly answer: string;
  /** Null where the address belongs to no page. */
  readonly recorded: RecordedRequest | null;
  /** Null where nothing was counted: for what only opens. */
  readonly touched: readonly Touched[] | null;
  readonly entries: readonly LoggedEntry[];
  /** The record before and after; null where there is none. */
  readonly before: Row | null;
  readonly after: Row | null;
}

/** Thrown where a page has nothing that a case is about. */
export class LeftOut extends Error {}

/** Thrown where what a case needs did not come about. */
export class NotJudged extends Error {
  /** @param because a sentence, the end of which may be somebody else's, with a full stop of its own */
  constructor(because: string) {
    super(because.replace(/(?<!\.)\.\.$/, "."));
  }
}

/** @throws LeftOut */
export function leaveOut(because: string): never {
  throw new LeftOut(because);
}
