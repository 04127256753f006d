import type { Actor } from "@loyal-quill/core/condition/facts";
import type { Row } from "@loyal-quill/core/postgres/statement";
import type { RecordedRequest } from "@loyal-quill/core/trip/recording";
import type { StepName } from "@loyal-quill/core/trip/round-trip";
import type { Stage } from "./stage.js";

/**
 * How a case went: as expected; otherwise; not to be judged here, since what it needs did not come about; or left out, since the page
 * has nothing that it is about. Only the first is a pass.
 */
export type Verdict = "as expected" | "otherwise" | "not judged" | "left out";

/** One prepared try, with what must come of it. */
export interface Case {
  /** Stays the same from run to run: kind and what it is about, as `check.max:warning_m`. */
  readonly id: string;
  /** The step that it is about. */
  readonly step: StepName;
  /** What is tried, whatever the page: `check.max`. */
  readonly kind: string;
  readonly title: string;
  /** What must come out, and by what: a standard's section, or the page's own setting. */
  readonly expects: string;
  readonly by: string;
  /** Whether it belongs to the quick set. */
  readonly quick: boolean;
  /** Plays it; what is not as expected is told to the stage. */
  readonly play: (stage: Stage) => Promise<void>;
}

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
  readonly key: Readonly<Record<string, string | null>>;
  readonly fields: readonly {
    readonly field: string;
    readonly old: string | null;
    readonly new: string | null;
    readonly hidden?: true;
  }[];
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

/** What became of a case. */
export interface Played extends Omit<Case, "play"> {
  readonly verdict: Verdict;
  /** What was otherwise, or why it was not judged or left out; empty for a pass. */
  readonly because: readonly string[];
  /** What is worth knowing and no fault: other tables that a trigger wrote to. */
  readonly notes: readonly string[];
  readonly evidence: readonly Evidence[];
  readonly ms: number;
}

/** Thrown where a page has nothing that a case is about. */
export class LeftOut extends Error {}

/** Thrown where what a case needs did not come about. */
export class NotJudged extends Error {}

/** @throws LeftOut */
export function leaveOut(because: string): never {
  throw new LeftOut(because);
}
