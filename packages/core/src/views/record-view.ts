import type { Page } from "../page/page.js";
import type { Row } from "../postgres/statement.js";
import type { Column } from "../table/model.js";
import type { FieldView } from "./form-view.js";
import type { Said } from "./said.js";

/** Records of another page that refer to the one that is shown. */
export interface RelatedList {
  readonly page: Page;
  /** The columns by which they refer: the same in all of them, so they are not shown. */
  readonly without: readonly Column[];
  readonly rows: readonly Row[];
  readonly more: boolean;
  /** What the address of the whole list asks for; null where it can't be asked. */
  readonly all: Readonly<Record<string, string>> | null;
  /** What the address of a new one carries; null where none may be made. */
  readonly begins: Readonly<Record<string, string>> | null;
  /** What goes along to a record and back. */
  readonly kept?: Readonly<Record<string, string>>;
}

/** A record as it now is. */
export interface RecordView {
  readonly page: Page;
  readonly key: readonly string[];
  readonly title: string;
  /** How the list was looked at that one came from: it goes along in addresses. */
  readonly kept: Readonly<Record<string, string>>;
  readonly fields: readonly FieldView[];
  /** As it is stored, and its version. */
  readonly row: Row;
  readonly version: string;
  /** Why it can't be edited, where it can't. */
  readonly locked: string | null;
  readonly removable: boolean;
  /** Whether the person may make new records, of which this one can be the beginning. */
  readonly makes: boolean;
  readonly related: readonly RelatedList[];
  /** Whether the person may see what was changed of it. */
  readonly history: boolean;
  readonly notice: Said | null;
}
