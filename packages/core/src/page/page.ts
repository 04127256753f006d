import type { Condition } from "../condition/expression.js";
import type { Language } from "../messages/messages.js";
import type { DependentPath } from "../table/dependent-paths.js";
import type { Column, Reference, Routine, Table } from "../table/model.js";
import type { PagePath } from "./path.js";
import type { Tidying } from "./schema.js";
import type { Template } from "./template.js";

/** Where a choice list's options come from. */
export type Choices =
  | { readonly from: "labels"; readonly labels: readonly string[] }
  | { readonly from: "truth" }
  | {
      readonly from: "table";
      readonly table: Table;
      readonly key: Column;
      readonly label: Column;
      /** Which of them are offered: asked of the referenced table's `row`, and of the `form` where one choice depends on another. */
      readonly where: Condition | null;
      /** Whether all are listed, or a few are found by searching. */
      readonly by: "list" | "search";
    };

export type TableChoices = Choices & { readonly from: "table" };

/**
 * Whether a choice's key says something to people, so that it stands before the label: a code does, and so does the number of a
 * part among those of one whole; a record's own number does not.
 */
export const isTelling = (choices: TableChoices): boolean =>
  choices.key.name !== choices.label.name &&
  (choices.key.type.kind === "text" || (choices.where?.formColumns.length ?? 0) > 0);

/** The control of a field: which HTML element shows it and how its text is taken. */
export type Control = "text" | "multi-line" | "number" | "date" | "date-time" | "check-box" | "choice";

/**
 * A rule: where it comes from (the page's file, or the table itself), when it applies (null is always) and what it says
 * instead of the default message.
 */
export type Rule = {
  readonly by: "page" | "table";
  readonly when: Condition | null;
  readonly message: string | null;
} & (
  | { readonly rule: "required" | "e-mail" | "web-address" }
  | { readonly rule: "min-length" | "max-length"; readonly characters: number }
  | { readonly rule: "min" | "max"; readonly bound: string }
  | { readonly rule: "step"; readonly step: string }
  | { readonly rule: "scale"; readonly digits: number }
  | { readonly rule: "pattern"; readonly source: string; readonly matches: (text: string) => boolean }
  | { readonly rule: "one-of"; readonly values: readonly string[] }
  | {
      readonly rule: "unique";
      /** The table's constraint; null where only the page demands it. */
      readonly constraint: string | null;
      readonly columns: readonly string[];
      readonly ignoringCase: boolean;
    }
  | { readonly rule: "exists"; readonly reference: Reference }
  /** Like `exists`, among the choices that the page offers. */
  | { readonly rule: "offered"; readonly choices: TableChoices }
);

export interface Field {
  readonly column: Column;
  readonly label: string;
  readonly help: string | null;
  /** What is said of a text that is no value of the column's type; null for the default of the type. */
  readonly message: string | null;
  readonly unit: string | null;
  /** The heading of the fields that stand together with it. */
  readonly group: string | null;
  /** What browsers may fill in (HTML, 4.10.18.7); `off` where the page says nothing. */
  readonly autocomplete: string;
  readonly control: Control;
  readonly readOnly: boolean;
  /** Whether the form of a new record takes it: a key that may not be changed later has to be given once. */
  readonly onNew: boolean;
  /** Under which condition on the stored record the field is on the form at all. */
  readonly when: Condition | null;
  readonly tidy: readonly Tidying[];
  readonly rules: readonly Rule[];
  readonly choices: Choices | null;
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
  readonly access: {
    readonly open: Condition | null;
    readonly rows: Condition | null;
    readonly edit: Condition | null;
    /** Who may make a new record, and which records may be deleted: nobody and none where it is null. */
    readonly new: Condition | null;
    readonly delete: Condition | null;
    readonly because: string | null;
  };
  readonly list: {
    readonly columns: readonly ListColumn[];
    readonly sort: { readonly column: Column; readonly down: boolean };
  };
  readonly fields: readonly Field[];
  readonly checks: readonly Check[];
  /** What a save calls; null for an UPDATE. */
  readonly routine: RoutineCall | null;
  /** What hangs on a record, for pages that delete: the ways through foreign keys that lead to it. */
  readonly dependents: readonly DependentPath[];
  readonly answer: { readonly saved: "list" | "page" | "view"; readonly message: Template | null };
}
