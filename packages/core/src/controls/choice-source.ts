import type { Condition } from "../condition/expression.js";
import type { Column, Table } from "../table/model.js";

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

/** Whether the value that is chosen by is a record's whole key: it is one alone whatever else is on the form. */
export const isKnownByKey = ({ table, key }: TableChoices): boolean =>
  [...table.keys, ...table.constraints.filter(({ kind }) => kind === "unique")].some(
    ({ columns }) => columns.length === 1 && columns[0] === key.name,
  );

/**
 * Whether a choice's key says something to people, so that it stands before the label: a code does, and so does the number of a
 * part among those of one whole; a record's own number does not.
 */
export const isTelling = (choices: TableChoices): boolean =>
  choices.key.name !== choices.label.name &&
  (choices.key.type.kind === "text" || (choices.where?.formColumns.length ?? 0) > 0);
