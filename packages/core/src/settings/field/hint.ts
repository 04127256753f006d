import type { FieldSetting } from "../setting.js";
import { line } from "../shapes.js";

/** What stands in the empty control as an example, and is never a value (HTML, 4.10.5.3.10). */
export const hint: FieldSetting<string, string | null, "hint"> = {
  label: "Placeholder",
  about: "An example in the empty control; never a value.",
  without: "none",
  editor: { kind: "line" },
  rare: true,
  into: "hint",
  schema: () => line,
  bind: (given) => given ?? null,
  attributes: (given) => ({ placeholder: given }),
};
