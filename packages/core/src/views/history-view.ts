import type { Page } from "../page/page.js";

/** One entry of the log, as people read it. */
export interface HistoryEntry {
  readonly id: string;
  readonly at: string;
  readonly by: string;
  readonly operation: "insert" | "update";
  readonly reason: string | null;
  /** The fields of the page that were changed. */
  readonly changes: readonly {
    readonly label: string;
    readonly old: string;
    readonly new: string;
    /** Whether its form takes the field. */
    readonly isTaken: boolean;
  }[];
}

/** What was changed of a record. */
export interface HistoryView {
  readonly page: Page;
  readonly key: readonly string[];
  readonly title: string;
  readonly kept: Readonly<Record<string, string>>;
  /** Newest first. */
  readonly entries: readonly HistoryEntry[];
  /** The first entry of the part after this one; null where there is none. */
  readonly older: string | null;
  /** Whether the record may be edited, so that old values can be put into its form. */
  readonly editable: boolean;
}
