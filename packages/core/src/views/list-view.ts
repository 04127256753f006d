import type { Page } from "../page/page.js";
import type { Row } from "../postgres/statement.js";

export interface ListView {
  readonly page: Page;
  readonly rows: readonly Row[];
  readonly search: string;
  /** Which part of the list, from 0, and whether there is another one after it. */
  readonly part: number;
  readonly more: boolean;
  /** Whether the person may make new records here. */
  readonly makes: boolean;
  readonly notice: string | null;
  /** The address of the record that was saved just now. */
  readonly savedAddress: string | null;
}
