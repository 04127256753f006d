import type { FieldSetting } from "../setting.js";
import { line } from "../shapes.js";

export const help: FieldSetting<string, string | null, "help"> = {
  label: "Help",
  about: "A line below the label.",
  without: "the column's comment",
  editor: { kind: "line", instead: "comment" },
  into: "help",
  schema: () => line,
  bind: (given, { column }) => given ?? column.comment,
};
