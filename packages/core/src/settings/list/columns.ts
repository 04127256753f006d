import type { TableChoices } from "../../controls/choice-source.js";
import { type Column, columnOf } from "../../table/model.js";
import { referencedChoices } from "../bound/column-choices.js";
import { labelFrom } from "../bound/label.js";
import { isSortable } from "../bound/sorting.js";
import type { Setting } from "../setting.js";
import { names } from "../shapes.js";

export interface ListColumn {
  readonly column: Column;
  readonly label: string;
  /** For a reference: the column whose value is shown instead of the number. */
  readonly choices: TableChoices | null;
  /** Whether the list can be put in its order by its heading: where that is quick. */
  readonly sortable: boolean;
}

export const columns: Setting<string[], readonly ListColumn[], "columns"> = {
  label: "List columns",
  about: "The columns that the list shows.",
  without: "key and first fields, five at most",
  step: "load",
  editor: { kind: "columns", add: "Add a column", of: "table" },
  columns: [""],
  into: "columns",
  schema: () => names,
  bind(given, binder, path) {
    const { fields, table, keyNames, catalog } = binder;
    const shown =
      given ??
      [...new Set([...keyNames, ...fields.flatMap(({ column }) => (column.sensitive ? [] : [column.name]))])].slice(
        0,
        5,
      );
    const inRows = (binder.given("list", "edit") ?? []) as readonly string[];
    const edited = inRows.filter((name) => !shown.includes(name));
    return [...shown, ...edited].flatMap((name, index) => {
      const column = binder.column(name, [...path, index]);
      if (!column) return [];
      const field = fields.find((each) => each.column.name === name);
      // A key stands for itself, so that it can be read and found as it is.
      const choices =
        field?.choices?.from === "table" ? field.choices : referencedChoices(column, table, catalog.tables);
      // What depends on another column is known by its value only.
      const joined = binder.isKey(column) || (choices?.where?.formColumns.length ?? 0) > 0 ? null : choices;
      const key = keyNames.flatMap((each) => columnOf(table, each) ?? []);
      // What is shown of a reference is its label, whose order is not that of the column.
      const sortable = !joined && !column.sensitive && isSortable(table, column, key);
      return [{ column, label: field?.label ?? labelFrom(name), choices: joined, sortable }];
    });
  },
};
