import type { FieldSetting } from "../setting.js";
import { line } from "../shapes.js";

/** The heading of the fields that stand together with it. */
export const group: FieldSetting<string, string | null, "group"> = {
  label: "Group",
  about: "A heading; fields that follow each other and have the same one stand together under it.",
  without: "none",
  editor: { kind: "line" },
  into: "group",
  schema: () => line,
  bind: (given) => given ?? null,
};
