import type { Option } from "../controls/control.js";
import type { FieldChange } from "../log/field-change.js";
import type { Code } from "../messages/codes.js";
import type { Page } from "../page/page.js";
import type { Row } from "../postgres/statement.js";
import type { FileView } from "../views/file-view.js";
import type { FormView } from "../views/form-view.js";
import type { HistoryView } from "../views/history-view.js";
import type { AskedProblem, ListView } from "../views/list-view.js";
import type { RecordView } from "../views/record-view.js";
import type { RemovalView } from "../views/removal-view.js";
import type { UploadView } from "../views/upload-view.js";

/** What a person, or the script of a page, gets to see. */
export type View =
  /** With the list beside it, where they stand on one page. */
  | { readonly what: "form"; readonly form: FormView; readonly list?: ListView }
  | { readonly what: "list"; readonly list: ListView; readonly form?: FormView | null }
  | { readonly what: "file"; readonly file: FileView }
  | { readonly what: "record"; readonly record: RecordView }
  | { readonly what: "history"; readonly history: HistoryView }
  | { readonly what: "removal"; readonly removal: RemovalView }
  | { readonly what: "upload"; readonly upload: UploadView }
  | { readonly what: "notice"; readonly notice: NoticeOf }
  | { readonly what: "choices"; readonly choices: { readonly options: readonly Option[]; readonly more: boolean } }
  /** What an address takes (RFC 9110, 9.3.7). */
  | { readonly what: "methods"; readonly allow: string }
  /** What was asked for is at another address, this time. */
  | { readonly what: "elsewhere"; readonly to: string; readonly said?: string }
  /** The address has a better form. */
  | { readonly what: "better-address"; readonly to: string };

type ViewOf<What extends View["what"]> = Extract<View, { readonly what: What }>;

/** Why a request was turned away, did not find its record, or failed for the database's sake. */
export interface NoticeOf {
  readonly code: Code;
  readonly page: Page | null;
  readonly because: string | null;
  /** What is wrong with the parameters of the address. */
  readonly parameters?: readonly AskedProblem[];
  /** The methods that the address takes, where the method was wrong. */
  readonly allow?: string;
  readonly typed?: ReadonlyMap<string, string>;
  /** The body of the form that was refused: the answer carries it on, so that it can be sent again. */
  readonly carried?: string;
  /** The names of files that came with it, by their controls: nobody can carry those on. */
  readonly files?: ReadonlyMap<string, string>;
}

/** A record to which a save leads. */
interface Saved {
  readonly page: Page;
  readonly key: readonly string[];
  readonly row: Row;
  /** When it was saved, where an earlier request with the same form did so. */
  readonly earlier?: string;
  /** Where the answer leads, where it is not to one of the places that a page can name. */
  readonly to?: string;
  /** Whether there is no other record to go on to, where that is asked for. */
  readonly isLast?: boolean;
  /** For rows that were saved in their list: the list as the answer, with what was typed in others; null for the list anew. */
  readonly list?: ListView | null;
  /** For a file of which some rows were left out: which, and why. */
  readonly upload?: UploadView;
  /** Where JSON is spoken: the record as it is stored now. */
  readonly record?: RecordView;
  /** How many rows were saved together. */
  readonly rows?: number;
}

/** How a request ended. Every one of them is answered by `steps/answer.ts`. */
export type Outcome =
  | { readonly kind: "shown"; readonly view: Exclude<View, { readonly what: "notice" }> }
  | (Saved & {
      readonly kind: "saved";
      readonly changes: readonly FieldChange[];
      readonly what: "changed" | "made" | "deleted";
      /** The number of its entry in the log, where it is of one record. */
      readonly entry?: string;
    })
  | (Saved & { readonly kind: "unchanged" })
  | { readonly kind: "invalid"; readonly view: ViewOf<"form" | "list" | "upload"> }
  | { readonly kind: "conflict"; readonly view: ViewOf<"form" | "list" | "removal"> }
  | { readonly kind: "failed"; readonly view: ViewOf<"form" | "list" | "removal" | "upload" | "notice"> }
  | Refusal;

/** A request that was turned away, or did not find its record. */
export type Refusal =
  | { readonly kind: "refused"; readonly view: ViewOf<"notice"> }
  | { readonly kind: "not-found"; readonly view: ViewOf<"notice"> };

export type OutcomeKind = Outcome["kind"];

export const formOf = (form: FormView): ViewOf<"form"> => ({ what: "form", form });
export const shown = (form: FormView): Outcome => ({ kind: "shown", view: formOf(form) });
export const invalid = (form: FormView): Outcome => ({ kind: "invalid", view: formOf(form) });

const noticeOf = (code: Code, page: Page | null, more: Partial<NoticeOf>): ViewOf<"notice"> => ({
  what: "notice",
  notice: { because: null, ...more, code, page },
});

/** The person may not, or what was sent can't be taken. */
export const refused = (code: Code, page: Page | null, more: Partial<NoticeOf> = {}): Refusal => ({
  kind: "refused",
  view: noticeOf(code, page, more),
});

export const notFound = (code: Code, page: Page, more: Partial<NoticeOf> = {}): Refusal => ({
  kind: "not-found",
  view: noticeOf(code, page, more),
});

/** It is nobody's fault who sent it. */
export const failed = (code: Code, page: Page | null, more: Partial<NoticeOf> = {}): Outcome => ({
  kind: "failed",
  view: noticeOf(code, page, more),
});
