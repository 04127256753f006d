import type { FieldChange } from "../log/field-change.js";
import type { Code } from "../messages/codes.js";
import type { Page } from "../page/page.js";
import type { Row } from "../postgres/statement.js";
import type { FormView, Option } from "../views/form-view.js";
import type { Judged } from "../views/judged.js";
import type { ListView } from "../views/list-view.js";
import type { RecordView } from "../views/record-view.js";
import type { RemovalView } from "../views/removal-view.js";

/** How a request ended. Every one of them is answered by `steps/answer.ts`. */
export type Outcome =
  /** What an address takes was asked for (RFC 9110, 9.3.7), or the address has a better form. */
  | { readonly kind: "shown"; readonly allow: string }
  | { readonly kind: "shown"; readonly moved: string }
  | { readonly kind: "shown"; readonly judged: Judged }
  | { readonly kind: "shown"; readonly form: FormView }
  | { readonly kind: "shown"; readonly list: ListView }
  | { readonly kind: "shown"; readonly record: RecordView }
  | { readonly kind: "shown" | "conflict"; readonly removal: RemovalView }
  | { readonly kind: "shown"; readonly choices: { readonly options: readonly Option[]; readonly more: boolean } }
  | {
      readonly kind: "saved";
      readonly page: Page;
      readonly key: readonly string[];
      readonly row: Row;
      readonly changes: readonly FieldChange[];
      readonly what: "changed" | "made" | "deleted";
      /** When it was saved, where an earlier request did so and its answer was lost. */
      readonly earlier?: string;
    }
  | {
      readonly kind: "unchanged";
      readonly page: Page;
      readonly key: readonly string[];
      readonly row: Row;
      /** When the same form was saved before. */
      readonly earlier?: string;
    }
  | { readonly kind: "invalid" | "conflict" | "failed"; readonly form: FormView }
  | Refusal;

/** A request that was turned away, did not find its record, or failed for the database's sake. */
export interface Refusal {
  readonly kind: "refused" | "not-found" | "failed";
  readonly code: Code;
  readonly page: Page | null;
  readonly because: string | null;
  /** The methods that the address takes, where the method was wrong. */
  readonly allow?: string;
  readonly typed?: ReadonlyMap<string, string>;
  /** The body of the form that was refused: the answer carries it on, so that it can be sent again. */
  readonly carried?: string;
}
