import type { Template } from "./bound/template.js";
import type { NeededSetting } from "./setting.js";
import { line } from "./shapes.js";

export const title: NeededSetting<string, Template, "title"> = {
  label: "Title",
  about: "Heading and title of a record; `{column}` stands for a value.",
  without: null,
  step: "route",
  editor: { kind: "line", placeholder: "Station {code}" },
  needed: true,
  into: "title",
  schema: () => line,
  bind: (given, binder, path) => binder.template(given, path),
};
