import type { Page } from "../page/page.js";
import type { FileFormat } from "../spreadsheet/sheet.js";

/** What is the matter with a row of a file that came back. */
export type UploadState =
  /** Would be saved. */
  | "changed"
  /** Would be saved beside what somebody else has changed of the record since. */
  | "merged"
  /** Would be added. */
  | "new"
  /** A rule, a check or the table refuses it. */
  | "refused"
  /** Somebody else has changed the same field. */
  | "conflict"
  /** The record is gone, or the person has no access to it any more. */
  | "gone"
  /** The record's state allows no change. */
  | "locked"
  /** The same record stands in the file more than once. */
  | "twice"
  /** Its mark is none that was made here for this person and page. */
  | "foreign"
  /** Something was typed in read-only columns, and nothing else: it is left out. */
  | "ignored";

/** A cell that differs from what was shown. */
export interface UploadCell {
  /** The column. */
  readonly name: string;
  readonly label: string;
  readonly old: string;
  readonly new: string;
  /** What refuses it. */
  readonly problem: string | null;
  /** What somebody else has stored instead. */
  readonly theirs: string | null;
}

/** A row of a file that came back and is not as it went out. */
export interface UploadRow {
  /** Its place in the file, from 1; the headings stand in the first row. */
  readonly line: number;
  readonly title: string;
  readonly state: UploadState;
  readonly cells: readonly UploadCell[];
  /** What is said of it as a whole. */
  readonly said: string | null;
  /** Whether the file's values are chosen, where somebody else has stored others. */
  readonly isMine?: boolean;
}

/** An uploaded file, looked at before anything is written; or what became of it. */
export interface UploadView {
  readonly page: Page;
  readonly kept: Readonly<Record<string, string>>;
  /** Why the file can't be taken at all, or why one is still wanted; null where it was read. */
  readonly problem: string | null;
  /** How many rows it has, how many of them are as they went out, how many have no mark and are left out, and how many went out as read-only. */
  readonly read: {
    readonly rows: number;
    readonly untouched: number;
    readonly unmarked: number;
    readonly readOnly: number;
  } | null;
  readonly rows: readonly UploadRow[];
  /** What goes along until it is saved; null where there is nothing to save. */
  readonly carried: string | null;
  /** What stands for the person's session. */
  readonly session: string;
  /** The rows that can't be saved as they are, as they go along until they are wanted as a file; null where there are none. */
  readonly left: { readonly rows: string; readonly number: number; readonly format: FileFormat } | null;
  /** How many records were saved; null before it. */
  readonly saved: number | null;
  /** Why it is saved, where the page asks. */
  readonly reason: string | null;
  /** Whether the person may make new records. */
  readonly makes: boolean;
  /** Whether rows without a mark were asked for as new records. */
  readonly takesNew: boolean;
}
