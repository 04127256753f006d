import type { Option } from "../controls/control.js";
import type { Page } from "../page/page.js";
import type { Row } from "../postgres/statement.js";
import type { Filter } from "../settings/bound/filters.js";
import type { Column } from "../table/model.js";
import type { FormView } from "./form-view.js";
import type { Said } from "./said.js";
import type { TypedText } from "./typed.js";

/** How many records there are: exactly so many, more than so many, or about. */
export interface ListCount {
  readonly number: number;
  readonly is: "exactly" | "more than" | "about";
}

/** A key that was typed to go to its record, and why there is none. */
export interface SoughtKey {
  /** As typed, part by part. */
  readonly typed: readonly string[];
  readonly problem: string;
}

/** What an address asks of a list that the list can't give, by the name of the parameter (RFC 3986, 3.4). */
export interface AskedProblem {
  readonly parameter: string;
  readonly detail: string;
}

/** A filter as an address asks for it. */
export interface FilterState {
  readonly filter: Filter;
  /** As typed; empty where it was left out. */
  readonly typed: { readonly is: string; readonly from: string; readonly to: string };
  readonly problem: string | null;
}

/** The form in a row of a list. */
export interface RowForm {
  readonly key: readonly string[];
  /** The list's row; null for one that was sent and is no longer in this part of the list. */
  readonly row: Row | null;
  /** Null where the row can't be edited. */
  readonly form: FormView | null;
  /** What is said of the row as a whole. */
  readonly said: string | null;
  readonly title: string;
  /** What was typed in a row that can't be saved any more: it is shown, and not sent again. */
  readonly typed?: readonly TypedText[];
}

export type Looked =
  | { readonly how: "stopped"; readonly records: number; readonly until: string | null; readonly backward: boolean }
  | { readonly how: "exact"; readonly search: string }
  | { readonly how: "to the end" };

export interface ListView {
  readonly page: Page;
  readonly rows: readonly Row[];
  readonly search: string;
  readonly filters: readonly FilterState[];
  /** What the filters among records offer, by column. */
  readonly offers: ReadonlyMap<string, readonly Option[]>;
  readonly sort: { readonly column: Column; readonly down: boolean };
  /** What of its address goes along to a record and back. */
  readonly kept: Readonly<Record<string, string>>;
  /** What the addresses of the parts before and after it carry; null where there is none. */
  readonly previous: { readonly before: string } | null;
  readonly next: { readonly after: string } | null;
  readonly count: ListCount | null;
  /** Whether the search was given up, since it took too long. */
  readonly tooSlow: boolean;
  /**
   * How far a search came that is not at its end: stopped in time, after so many records, at the one that has this value in the list's order; or with only
   * those found that have what was looked for as a value, in full; or that it went on from such a place, and there was nothing more.
   */
  readonly looked: Looked | null;
  readonly sought: SoughtKey | null;
  /** The forms in its rows, where they are edited there. */
  readonly forms: readonly RowForm[] | null;
  /** What of its address it can't give. */
  readonly wrong: readonly AskedProblem[];
  /** What is the matter with the rows that were sent. */
  readonly problem: string | null;
  /** Whether the person may make new records here. */
  readonly makes: boolean;
  readonly notice: Said | null;
  /** The address of the record that was saved just now. */
  readonly savedAddress: string | null;
  /** The address of the record whose form stands beside the list. */
  readonly chosenAddress?: string | null;
}
