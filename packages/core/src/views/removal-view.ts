import type { Page } from "../page/page.js";
import type { Row } from "../postgres/statement.js";
import type { OnDelete } from "../table/model.js";
import type { FieldView } from "./form-view.js";

/** Records of one table that refer to the one that is to go, and what becomes of them. */
export interface DependentCount {
  readonly table: string;
  readonly columns: readonly string[];
  readonly effect: Exclude<OnDelete, "no action">;
  /** Null where they can't be counted, since the table can't be read. */
  readonly count: number | null;
  /** Whether there are more than `count`. */
  readonly more: boolean;
}

/** What is asked before a record is deleted. */
export interface RemovalView {
  readonly page: Page;
  readonly key: readonly string[];
  /** As it is stored; empty where that is not known. */
  readonly row: Row;
  readonly title: string;
  /** How the list was looked at that one came from: it goes along in addresses. */
  readonly kept: Readonly<Record<string, string>>;
  readonly fields: readonly FieldView[];
  readonly dependents: readonly DependentCount[];
  /** Why an earlier try deleted nothing. */
  readonly said: string | null;
  readonly token: string;
}
