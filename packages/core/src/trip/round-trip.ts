/**
 * The one picture of the job, the way there and back between browser and database:
 *
 *     OPEN   browser → Route → Key → Access → Load → Prefill → browser
 *     SAVE   browser → Route → Key → Access → Read → Check → Compare → Write → Answer → browser
 *
 * A step has the same name in the code, in the workbench, in a recorded request and in a rehearsal. Every operation goes one of
 * these two ways; a new record has no key yet and nothing to compare with, so it leaves those steps out.
 */
export const openSteps = ["route", "key", "access", "load", "prefill"] as const;
export const saveSteps = ["route", "key", "access", "read", "check", "compare", "write", "answer"] as const;

export type StepName = (typeof openSteps)[number] | (typeof saveSteps)[number];

/** The operations that show something, and those that write. */
export const openings = ["list", "view", "open", "new", "confirm", "choices", "judge"] as const;
export const savings = ["save", "create", "delete"] as const;
export type Operation = (typeof openings)[number] | (typeof savings)[number];

/** Whether an operation goes the SAVE way. */
export const isSaving = (operation: Operation): operation is (typeof savings)[number] =>
  (savings as readonly string[]).includes(operation);

export type OutcomeKind = "shown" | "saved" | "unchanged" | "invalid" | "conflict" | "refused" | "not-found" | "failed";
