import type { Edit } from "./edit.js";
import type { FindingCode, Severity } from "./finding-codes.js";
import type { SchemaChange } from "./schema-change.js";

/** What puts a finding right: a name in the place of a misspelt one, or edits of the file. */
export type Repair = { readonly what: string } & (
  | { readonly wrong: string; readonly right: string }
  | { readonly edits: readonly Edit[] }
);

/** Something to say about a page file, at its place. Lines and columns count from 1. */
export interface Finding {
  readonly severity: Severity;
  readonly code: FindingCode;
  readonly message: string;
  readonly line: number;
  readonly column: number;
  /** What puts it right, where there is one way that is most likely meant. */
  readonly repair?: Repair;
  /** What would change the table instead, where that is what is to be done. */
  readonly change?: SchemaChange;
}

/** Whether a page with this finding can't be served. */
export const isError = (finding: Finding): boolean => finding.severity === "error";

/** The order in which findings are read: by place. */
export const byPlace = (a: Finding, b: Finding): number => a.line - b.line || a.column - b.column;
