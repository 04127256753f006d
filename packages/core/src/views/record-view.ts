import type { Page } from "../page/page.js";
import type { FieldView } from "./form-view.js";

/** A record as it now is. */
export interface RecordView {
  readonly page: Page;
  readonly key: readonly string[];
  readonly title: string;
  /** How the list was looked at that one came from: it goes along in addresses. */
  readonly kept: Readonly<Record<string, string>>;
  readonly fields: readonly FieldView[];
  /** Why it can't be edited, where it can't. */
  readonly locked: string | null;
  readonly removable: boolean;
  /** Whether the person may make new records, of which this one can be the beginning. */
  readonly makes: boolean;
  readonly notice: string | null;
}
