import type { FieldChange } from "../log/field-change.js";
import type { MessageCode, Word } from "../messages/catalog.js";
import type { DatabaseRefusal, Row } from "../postgres/statement.js";
import type { Guard } from "../statements/save.js";
import type { ComparedField } from "../steps/compare.js";
import type { StoredRecord } from "../steps/load.js";
import type { Submission } from "../steps/read.js";
import type { SubmittedField } from "../steps/read-field.js";
import type { OwnPart } from "../steps/write.js";
import type { SavedEvent } from "../trip/own.js";
import type { Trip } from "../trip/trip.js";
import type { Conflict, Problem } from "../views/form-view.js";
import type { Own } from "./own.js";

/* What every save is made of: the records on their way, what a kind of save does in a way of its own, and how it ends. */

/** A record that is to be saved, as it was read. */
export interface Given {
  /** About this record. */
  readonly trip: Trip;
  readonly submission: Submission;
  /** As it is stored, where it was loaded already. */
  readonly record?: StoredRecord | null;
}

/** A record that is ready to be written. */
export interface Ready extends Given {
  readonly compared: readonly ComparedField[];
  readonly guard: Guard;
  /** As it was stored when it was looked at; null where it wasn't, or there is none. */
  readonly record: StoredRecord | null;
}

/** What keeps a record from being saved. */
export interface Stopped {
  readonly given: Given;
  /** `gone`: there is no such record for the actor; `locked`: its state does not allow it. */
  readonly is: "invalid" | "conflict" | "gone" | "locked";
  readonly problems: readonly Problem[];
  readonly conflicts: readonly Conflict[];
  /** As it is stored now, where it was looked at. */
  readonly record: StoredRecord | null;
  /** Whether the form is made anew upon what is stored now, since that was told. */
  readonly renewed: boolean;
  readonly heading?: Word;
  /** False where an earlier try with this form was saved. */
  readonly certain?: boolean;
  readonly compared?: readonly ComparedField[];
  /** Why, for the recorded request, where the problems do not say it. */
  readonly reason?: string;
}

/** What a kind of save does in a way of its own. */
export interface SaveKind {
  /** What becomes of a record. */
  readonly operation: (given: Given) => SavedEvent["operation"];
  /** Whether the stored row is needed before anything is judged. */
  readonly asksForRow: (given: Given, own: Own | null) => boolean;
  /** What of it is judged, and what breaks rules and checks as far as that is known without asking the table; `row` is null where it was not asked for. */
  readonly judge: (
    given: Given,
    row: Row | null,
  ) => { readonly fields: readonly SubmittedField[]; readonly problems: readonly Problem[] };
  /** Why a record may not be saved as it is stored, or null. */
  readonly lockedBecause: (trip: Trip, record: StoredRecord) => string | null;
  /** A record that is not as it was shown, held against what is stored now. */
  readonly compare: (given: Given, record: StoredRecord) => Promise<Ready | Stopped>;
  /**
   * Writes all of them, or none.
   *
   * @returns what was answered of each, in their order: `entry` is null where nothing was written; null where the record was not found in the state
   *   asked for, and then none of them is written
   * @throws what keeps all of them from being written
   */
  readonly write: (
    trip: Trip,
    ready: readonly Ready[],
    parts: readonly (OwnPart | null)[],
  ) => Promise<readonly (Row | null)[]>;
  /** A record of which nothing was written: it has the values already, or a trigger has kept it. */
  readonly unwritten: (given: Given, record: StoredRecord | null) => Promise<Done | Stopped>;
  /** What PostgreSQL's refusal says of one of them, and what it said itself, for the recorded request. */
  readonly refusal: (ready: Ready, error: DatabaseRefusal) => Promise<{ problems: readonly Problem[]; said: string }>;
  /** Which of several records are refused, where that can be told. */
  readonly refusedAmong?: (trip: Trip, ready: readonly Ready[]) => Promise<readonly Stopped[]>;
  /** What became of the save of an earlier request, or of one whose answer was lost. */
  readonly became: (all: readonly Given[], request: string, waits?: readonly number[]) => Promise<Became>;
}

/** A record that is saved, or had the values already. */
export interface Done {
  readonly given: Given;
  /** As it is now. */
  readonly key: readonly string[];
  readonly row: Row;
  readonly changes: readonly FieldChange[];
  /** The number of its entry in the log; null where nothing was written. */
  readonly entry: string | null;
  /** When an earlier try has saved it: PostgreSQL's text form of a `timestamptz`. */
  readonly earlier?: string;
}

/** How a save ended. */
export type Ending =
  | { readonly is: "saved"; readonly rows: readonly Done[] }
  /** Nothing is saved. What is the matter is said at the records that are to blame, or of all of them. */
  | { readonly is: "stopped"; readonly rows: readonly Stopped[]; readonly said: string | null }
  | {
      readonly is: "failed";
      readonly code: MessageCode;
      /** Whether it is known that nothing was saved. */
      readonly certain: boolean;
      /** The request of which nobody knows whether it saved: the next try asks that first. */
      readonly doubt?: string;
    };

/**
 * What became of a save whose answer was lost: it is in the table and in the log, it is in neither, or that can't be found out.
 * Table and log are one statement, so the log knows.
 */
export type Became =
  | { readonly is: "written"; readonly at: string; readonly rows: readonly (Done & { readonly entry: string })[] }
  | { readonly is: "nothing" }
  | { readonly is: "unknown" };

/** What is said of a record as a whole. */
export const asProblem = (text: string): Problem => ({ field: null, message: text });

/** A record that is stopped by problems. */
export const stoppedBy = (
  given: Given,
  problems: readonly Problem[],
  record: StoredRecord | null = null,
  more: Partial<Stopped> = {},
): Stopped => ({ given, is: "invalid", problems, conflicts: [], record, renewed: false, ...more });
