import type { Condition, ValueExpression } from "../condition/expression.js";
import type { Choices, TableChoices } from "../controls/choice-source.js";
import type { Control } from "../controls/index.js";
import type { Stopped } from "../findings/finding.js";
import type { Language } from "../messages/messages.js";
import type { Rule } from "../rules/rule.js";
import type { DependentPath } from "../table/dependent-paths.js";
import type { Column, Routine, Table } from "../table/model.js";
import type { Filter } from "./filters.js";
import type { PagePath } from "./path.js";
import type { Tidying } from "./schema.js";
import type { Template } from "./template.js";

export interface Field {
  readonly column: Column;
  /** The name of its control in a form. */
  readonly formName: string;
  readonly label: string;
  readonly help: string | null;
  /** What is said of a text that is no value of the column's type; null for the default of the type. */
  readonly message: string | null;
  readonly unit: string | null;
  /** What stands in the empty control as an example, and is never a value (HTML, 4.10.5.3.10). */
  readonly hint: string | null;
  /** The heading of the fields that stand together with it. */
  readonly group: string | null;
  /** What browsers may fill in (HTML, 4.10.18.7); `off` where the page says nothing. */
  readonly autocomplete: string;
  readonly control: Control;
  readonly readOnly: boolean;
  /** Whether the control stays empty whatever is stored: what is typed replaces it, what is left empty leaves it. */
  readonly hidden: boolean;
  /** What an emptied control stores: no value (null), or an empty text where the column takes one. */
  readonly empty: "nothing" | "text";
  /** Whether the form of a new record takes it: a key that may not be changed later has to be given once. */
  readonly onNew: boolean;
  /** Under which condition on the stored record the field is on the form at all. */
  readonly when: Condition | null;
  readonly tidy: readonly Tidying[];
  readonly rules: readonly Rule[];
  readonly choices: Choices | null;
  /** What the form of a new record shows instead of the table's own default. */
  readonly default: ValueExpression | null;
}

/** A page whose records refer to those of another one. */
export interface RelatedPage {
  /** The name of its file. */
  readonly name: string;
  /** The column that refers, where there are several. */
  readonly by: string | null;
}

/** A column whose value is given by the page: never on a form, never taken from one. */
export interface SetColumn {
  readonly column: Column;
  readonly value: ValueExpression;
  /** On which writes: of a new record, of a change, or both. */
  readonly on: "new" | "save" | "both";
}

export interface Check {
  readonly condition: Condition;
  /** The field that the message stands at; null is above the form. */
  readonly at: string | null;
  readonly message: string;
}

export interface ListColumn {
  readonly column: Column;
  readonly label: string;
  /** For a reference: the column whose value is shown instead of the number. */
  readonly choices: TableChoices | null;
  /** Whether the list can be put in its order by its heading: where that is quick. */
  readonly sortable: boolean;
}

/** A routine of the database that saves in the place of an UPDATE, and where each of its arguments comes from. */
export interface RoutineCall {
  readonly routine: Routine;
  readonly arguments: readonly {
    readonly parameter: Routine["parameters"][number];
    readonly from: "form" | "row" | "actor";
    /** A column's name, or an attribute of the actor. */
    readonly name: string;
  }[];
}

/** One page: a page file bound to the table that it names. */
export interface Page {
  /** The file's name without its ending: `station`. */
  readonly name: string;
  /** Changes with every change of the file or of the table's columns. */
  readonly version: string;
  readonly title: Template;
  /** What the list is called: `Stations`. */
  readonly plural: string;
  /** A line that says what it is for, on the home page. */
  readonly description: string | null;
  readonly path: PagePath;
  readonly table: Table;
  readonly key: readonly Column[];
  readonly language: Language;
  /** IANA name of the zone in which `timestamptz` is shown and read. */
  readonly timeZone: string;
  /** What is kept from being done by what the table or a right on it has become. */
  readonly stopped: readonly Stopped[];
  readonly access: {
    readonly open: Condition | null;
    readonly rows: Condition | null;
    readonly edit: Condition | null;
    /** Who may make a new record, and which records may be deleted: nobody and none where it is null. */
    readonly new: Condition | null;
    readonly delete: Condition | null;
    /** Who may see what was changed of a record, and by whom: nobody where it is null. */
    readonly history: Condition | null;
    readonly because: string | null;
  };
  readonly list: {
    readonly columns: readonly ListColumn[];
    readonly sort: { readonly column: Column; readonly down: boolean };
    /** The columns that a search looks into; null for those that the list shows. */
    readonly search: readonly Column[] | null;
    /** The columns by which the list can be narrowed. */
    readonly filters: readonly Filter[];
    /** The fields that are edited in the rows of the list, by column. */
    readonly edit: readonly string[];
    /** Whether all rows are saved at once. */
    readonly together: boolean;
    /** Whether the list and the form of a record stand on one page. */
    readonly beside: boolean;
  };
  readonly fields: readonly Field[];
  /** Pages whose records refer to those of this one: shown with a record. */
  readonly related: readonly RelatedPage[];
  /** When a save must say why: never where it is null. */
  readonly reason: Condition | null;
  readonly sets: readonly SetColumn[];
  readonly checks: readonly Check[];
  /** What a save calls; null for an UPDATE. */
  readonly routine: RoutineCall | null;
  /** What hangs on a record, for pages that delete: the ways through foreign keys that lead to it. */
  readonly dependents: readonly DependentPath[];
  readonly answer: {
    readonly saved: "list" | "page" | "view" | "next";
    readonly message: Template | null;
    /** An address of the application's own to which a save leads instead. */
    readonly to: Template | null;
  };
}
