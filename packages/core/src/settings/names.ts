import * as v from "valibot";
import { recordOf } from "../values/record-of.js";
import type { Setting } from "./setting.js";
import { line } from "./shapes.js";

export const names: Setting<Record<string, string>, Readonly<Record<string, string>>, "names"> = {
  label: "Names in the form",
  about: "For a field the name of its control in the form, where that is to be another than the column's.",
  without: "the columns' names",
  editor: null,
  columns: [""],
  into: "names",
  schema: () => recordOf(v.string(), line),
  bind(given = {}, binder, path) {
    for (const name of Object.keys(given))
      if (binder.settingsOf(name) === undefined) binder.unknownField(name, [...path, name], true);
    return given;
  },
};
