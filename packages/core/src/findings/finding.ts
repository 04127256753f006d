import type { Edit } from "./edit.js";
import type { FindingCode, Severity } from "./finding-codes.js";
import type { Path } from "./path-in-file.js";
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
  /** What alone it keeps from being done; everything else of the page is served. */
  readonly stops?: Stopped;
  /** What would change the table instead, where that is what is to be done. */
  readonly change?: SchemaChange;
}

/** What is to be said at a place of a page file. */
export interface Remark {
  readonly code: FindingCode;
  readonly message: string;
  /** The value at which it is said; the nearest part that exists is taken. */
  readonly path: Path;
  /** So many characters into a value of one line. */
  readonly offset?: number | undefined;
  /** Whether it is about the last name of the path itself, not about its value. */
  readonly key?: boolean | undefined;
  readonly repair?: Repair | undefined;
  readonly stops?: Stopped | undefined;
  readonly change?: SchemaChange | undefined;
}

/** What an error may say besides where and what. */
export type MoreOfError = Pick<Remark, "offset" | "key" | "repair">;

/** What a warning may say besides. */
export type MoreOfWarning = Pick<Remark, "repair" | "stops">;

/** What may be kept from being done on a page that is served otherwise. */
export type Stopped = "new" | "edit" | "delete";

/** Whether a page with this finding can't be published. */
export const isError = (finding: Finding): boolean => finding.severity === "error";

/** Whether a page with this finding can't be served at all. */
export const isFatal = (finding: Finding): boolean => isError(finding) && finding.stops === undefined;

/** The order in which findings are read: by place. */
export const byPlace = (a: Finding, b: Finding): number => a.line - b.line || a.column - b.column;

/** Findings that are listed at most. */
export const mostFindings = 200;

/**
 * No more findings than are read: the errors first, in the order of the file, and how many others there are.
 *
 * @param number how many there are, where not all of them are given
 */
export function capped(findings: readonly Finding[], number = findings.length): readonly Finding[] {
  if (number <= mostFindings) return findings;
  const ordered = [...findings.filter(isError), ...findings.filter((each) => !isError(each))];
  const listed = ordered.slice(0, mostFindings).sort(byPlace);
  const left = ordered.slice(mostFindings);
  const { line, column } = left[0] ?? { line: 1, column: 1 };
  const severity = left.some(isError) ? "error" : "warning";
  const message = `There are ${(number - mostFindings).toLocaleString("en")} more findings like these.`;
  return [...listed, { severity, code: "further", message, line, column }];
}
