import type { Column } from "../../table/model.js";
import type { Setting } from "../setting.js";
import { line } from "../shapes.js";

export const sort: Setting<string, { readonly column: Column; readonly down: boolean }, "sort"> = {
  label: "Sort by",
  about: "A column; with `-` before it downwards.",
  without: "the key",
  step: "load",
  editor: { kind: "choice", options: "order" },
  columns: [""],
  into: "sort",
  schema: () => line,
  bind(given, binder, path) {
    const name = given ?? binder.keyNames[0] ?? "";
    const column = binder.column(name.replace(/^-/, ""), path);
    // A page with an error is never served, so that any column will do for it.
    return { column: column ?? (binder.table.columns[0] as Column), down: name.startsWith("-") };
  },
};
