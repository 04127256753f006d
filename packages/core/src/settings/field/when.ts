import type { Condition } from "../../condition/expression.js";
import type { FieldSetting } from "../setting.js";
import { condition } from "../shapes.js";

/** Under which condition on the stored record the field is on the form at all. */
export const when: FieldSetting<string, Condition | null, "when"> = {
  label: "Show field when",
  about: "Condition over `row`: for which records the field is on the form.",
  without: "always",
  editor: { kind: "condition", place: "row", example: 'row.status == "live"' },
  into: "when",
  schema: () => condition,
  bind: (given, { page }, path) => page.condition(given, false, path),
};
