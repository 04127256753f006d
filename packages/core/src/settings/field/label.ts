import { labelFrom } from "../bound/label.js";
import type { FieldSetting } from "../setting.js";
import { line } from "../shapes.js";

export const label: FieldSetting<string, string, "label"> = {
  label: "Label",
  about: "What the field is called.",
  without: "made from the column's name",
  editor: { kind: "line", instead: "label" },
  into: "label",
  schema: () => line,
  bind: (given, { column }) => given ?? labelFrom(column.name),
};
