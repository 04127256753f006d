import type { FieldSetting } from "../setting.js";
import { line } from "../shapes.js";

export const unit: FieldSetting<string, string | null, "unit"> = {
  label: "Unit",
  about: "Stands after the control.",
  without: "none",
  editor: { kind: "line", placeholder: "m" },
  into: "unit",
  schema: () => line,
  bind: (given) => given ?? null,
};
