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

const words: Readonly<Record<OutcomeKind, { word: string; mark: MarkKind }>> = {
  shown: { word: "shown", mark: "quiet" },
  saved: { word: "saved", mark: "good" },
  unchanged: { word: "unchanged", mark: "quiet" },
  invalid: { word: "invalid", mark: "stop" },
  conflict: { word: "conflict", mark: "wait" },
  refused: { word: "refused", mark: "stop" },
  "not-found": { word: "not found", mark: "stop" },
  failed: { word: "failed", mark: "stop" },
};

export const outcomeWord = (outcome: OutcomeKind): string => words[outcome].word;
export const outcomeMark = (outcome: OutcomeKind): MarkKind => words[outcome].mark;

/** The step where a request's way ended before its time, or undefined. */
export const stoppedAt = (request: RecordedRequest): RecordedStep | undefined =>
  request.steps.find((step) => step.stopped !== null);

/** A request in one sentence: the text beside its drawing. */
export function summary(request: RecordedRequest): string {
  const stop = stoppedAt(request);
  return stop
    ? `${outcomeWord(request.outcome)} at ${stepTitle[stop.step]}: ${stop.stopped}`
    : outcomeWord(request.outcome);
}
