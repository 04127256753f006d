import type { Page } from "../page/page.js";
import type { Row } from "../postgres/statement.js";
import type { Column } from "../table/model.js";

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

export interface ListView {
  readonly page: Page;
  readonly rows: readonly Row[];
  readonly search: string;
  readonly sort: { readonly column: Column; readonly down: boolean };
  /** What the addresses of the parts before and after it carry; null where there is none. */
  readonly previous: { readonly before: string } | null;
  readonly next: { readonly after: string } | null;
  readonly count: ListCount | null;
  /** Whether the search was given up, since it took too long. */
  readonly tooSlow: boolean;
  readonly sought: SoughtKey | null;
  /** Whether the person may make new records here. */
  readonly makes: boolean;
  readonly notice: string | null;
  /** The address of the record that was saved just now. */
  readonly savedAddress: string | null;
}
