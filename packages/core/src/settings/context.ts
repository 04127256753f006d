import type { ValueExpression } from "../condition/expression.js";
import type { Choices } from "../controls/choice-source.js";
import type { Control } from "../controls/index.js";
import type { MoreOfWarning } from "../findings/finding.js";
import type { FindingCode } from "../findings/finding-codes.js";
import type { Path } from "../findings/path-in-file.js";
import type { RuleContext } from "../rules/rule.js";
import type { Catalog, Column } from "../table/model.js";
import type { Template } from "./bound/template.js";

/** What other settings need to know of a field that is bound. */
export interface BoundField {
  readonly column: Column;
  readonly label: string;
  readonly control: Control;
  readonly choices: Choices | null;
  readonly readOnly: boolean;
}

/** What other settings need to know of a field's settings in the file. */
interface GivenField {
  readonly choices?: { readonly where?: string | undefined; readonly by?: "list" | "search" | undefined } | undefined;
  readonly control?: string | undefined;
  readonly show?: string | undefined;
  readonly default?: unknown;
}

/** What a page's setting is bound with: the file and the table, and where to say what is wrong. */
export interface PageContext extends RuleContext {
  /** What of the database pages use. */
  readonly catalog: Pick<Catalog, "tables" | "routines">;
  /** The names of the key's columns, in the order of the file. */
  readonly keyNames: readonly string[];
  /** The page's fields, which are bound before its other settings. */
  readonly fields: readonly BoundField[];
  /** What the file has at a place: for settings that depend on another one. */
  given(...path: readonly string[]): unknown;
  /** The settings of one of the page's fields in the file; undefined where there is none of that name. */
  settingsOf(name: string): GivenField | undefined;
  isKey(column: Column): boolean;
  warning(code: FindingCode, message: string, path: Path, more?: MoreOfWarning): void;
  /** A column of the table; null, and said, where there is none of that name. @param key whether it is a name of the file's own */
  column(name: string, path: Path, key?: boolean): Column | null;
  /** Says that a name, which should be one of the page's fields, is none. */
  unknownField(name: string, path: Path, key?: boolean): void;
  template(text: string, path: Path): Template;
  /** An expression for a column's value; null, and said, where it is none. */
  value(source: string, column: Column, path: Path, hasForm?: boolean): ValueExpression | null;
}

/** What a field's setting is bound with: what several of them depend on is made once. */
export interface FieldContext {
  readonly page: PageContext;
  readonly column: Column;
  readonly settings: GivenField;
  readonly choices: Choices | null;
  readonly control: Control;
  /** What an emptied control stores. */
  readonly empty: "nothing" | "text";
  /** Whether nothing can be typed for it, whatever the record. */
  readonly isFixed: boolean;
  /** The field's place in the file. */
  readonly path: Path;
}
