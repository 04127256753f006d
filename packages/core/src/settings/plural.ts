import { labelFrom } from "./bound/label.js";
import type { Setting } from "./setting.js";
import { line } from "./shapes.js";

export const plural: Setting<string, string, "plural"> = {
  label: "List title",
  about: "What the list is called.",
  without: "made from the table's name",
  step: "route",
  editor: { kind: "line", placeholder: "Stations" },
  into: "plural",
  schema: () => line,
  bind: (given, { table }) => given ?? labelFrom(table.name),
};
