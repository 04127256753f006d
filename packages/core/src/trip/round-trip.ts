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

/** What a page does with a request: which of the two ways it goes, and whether it is about one record, named by the key in the address. */
export const operations = {
  list: { way: "open", keyed: false },
  /** The list as a file. */
  export: { way: "open", keyed: false },
  view: { way: "open", keyed: true },
  open: { way: "open", keyed: true },
  /** A file of a record. */
  file: { way: "open", keyed: true },
  /** To the record beside this one in the list. */
  next: { way: "open", keyed: true },
  previous: { way: "open", keyed: true },
  /** What was changed of a record. */
  history: { way: "open", keyed: true },
  new: { way: "open", keyed: false },
  confirm: { way: "open", keyed: true },
  choices: { way: "open", keyed: false },
  save: { way: "save", keyed: true },
  /** The list for editing in a spreadsheet. */
  spreadsheet: { way: "open", keyed: false },
  /** Where it is uploaded again. */
  uploading: { way: "open", keyed: false },
  /** What came back: looked at first, then saved. */
  upload: { way: "save", keyed: false },
  /** Rows of the list, each by itself or together. */
  rows: { way: "save", keyed: false },
  create: { way: "save", keyed: false },
  delete: { way: "save", keyed: true },
} as const satisfies Readonly<Record<string, { way: "open" | "save"; keyed: boolean }>>;

export type Operation = keyof typeof operations;

/** Whether an operation goes the SAVE way. */
export const isSaving = (operation: Operation): boolean => operations[operation].way === "save";
