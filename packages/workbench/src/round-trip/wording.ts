import type { OutcomeKind, RecordedRequest, RecordedStep, StepName } from "@loyal-quill/core";
import type { MarkKind } from "../parts/mark.js";

/** The names of the steps, as they stand on the line. */
export const stepTitle: Readonly<Record<StepName, string>> = {
  route: "Route",
  key: "Key",
  access: "Access",
  load: "Load",
  prefill: "Prefill",
  read: "Read",
  check: "Check",
  compare: "Compare",
  write: "Write",
  answer: "Answer",
};

const outcomes: Readonly<Record<OutcomeKind, string>> = {
  shown: "shown",
  saved: "saved",
  unchanged: "unchanged",
  invalid: "invalid",
  conflict: "conflict",
  refused: "refused",
  "not-found": "not found",
  failed: "failed",
};

/** What the small drawing of a request shows: how far it came. */
export type Glance = Pick<RecordedRequest, "operation" | "outcome"> & {
  readonly steps: readonly Pick<RecordedStep, "step" | "stopped">[];
};

const marks: Readonly<Record<OutcomeKind, MarkKind>> = {
  shown: "quiet",
  saved: "good",
  unchanged: "quiet",
  invalid: "stop",
  conflict: "wait",
  refused: "stop",
  "not-found": "stop",
  failed: "stop",
};

export const outcomeWord = (outcome: OutcomeKind): string => outcomes[outcome];
export const outcomeMark = (outcome: OutcomeKind): MarkKind => marks[outcome];

/** The step where a request's way ended before its time, or undefined. */
export const stoppedAt = <Step extends Pick<RecordedStep, "step" | "stopped">>(request: {
  readonly steps: readonly Step[];
}): Step | undefined => request.steps.find((step) => step.stopped !== null);

/** A request in one sentence: the text beside its drawing. */
export function summary(request: Glance): string {
  const stop = stoppedAt(request);
  return stop
    ? `${outcomeWord(request.outcome)} at ${stepTitle[stop.step]}: ${stop.stopped}`
    : outcomeWord(request.outcome);
}
