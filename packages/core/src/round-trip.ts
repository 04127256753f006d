/**
 * The one picture of the job, the way there and back between browser and database:
 *
 *     OPEN   browser → Route → Key → Access → Load → Prefill → browser
 *     SAVE   browser → Route → Key → Access → Read → Check → Compare → Write → Answer → browser
 *
 * A step has the same name in the code, in the workbench, in a recorded request and in a rehearsal.
 */
export const openSteps = ["route", "key", "access", "load", "prefill"] as const;
export const saveSteps = ["route", "key", "access", "read", "check", "compare", "write", "answer"] as const;

export type StepName = (typeof openSteps)[number] | (typeof saveSteps)[number];
export type Operation = "list" | "open" | "save";
export type OutcomeKind = "shown" | "saved" | "unchanged" | "invalid" | "conflict" | "refused" | "not-found" | "failed";
