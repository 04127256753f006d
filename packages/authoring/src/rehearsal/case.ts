import type { StepName } from "@loyal-quill/core/trip/round-trip";
import type { Evidence } from "./evidence.js";
import type { Stage } from "./stage.js";

export * from "./evidence.js";

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
  /** Whether it is one of the page as it was published: where it comes out otherwise, the draft differs, and may be meant to. */
  readonly isOfPublished?: true;
  /** Plays it; what is not as expected is told to the stage. */
  readonly play: (stage: Stage) => Promise<void>;
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
