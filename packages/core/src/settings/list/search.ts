import type { Column } from "../../table/model.js";
import type { Setting } from "../setting.js";
import { names } from "../shapes.js";

/** Null for those that the list shows. */
export const search: Setting<string[], readonly Column[] | null, "search"> = {
  label: "Search in",
  about: "The columns that a search looks into, whether the list shows them or not.",
  without: "those that the list shows",
  step: "load",
  editor: { kind: "columns", add: "Add a column to search", of: "table" },
  columns: [""],
  into: "search",
  schema: () => names,
  bind: (given, binder, path) =>
    given?.flatMap((name, index) => {
      const column = binder.column(name, [...path, index]);
      if (!column?.sensitive) return column ?? [];
      binder.error("sensitive", `${name} is sensitive: a search would tell its values by what it finds.`, [
        ...path,
        index,
      ]);
      return [];
    }) ?? null,
};
