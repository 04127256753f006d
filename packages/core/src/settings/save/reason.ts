import type { Condition } from "../../condition/expression.js";
import { allowedWhen } from "../access/condition.js";
import type { Setting } from "../setting.js";
import { allowed } from "../shapes.js";

/** When a save must say why: never where it is null. */
export const reason: Setting<boolean | string, Condition | null, "reason"> = {
  label: "Ask for a reason",
  about:
    "`true`, or a condition over `form`, `row`, `actor` and `now`: when a change needs a reason; it is kept in the log.",
  without: "never",
  step: "check",
  editor: { kind: "condition", place: "form", example: "form.alert_m != row.alert_m", orPlain: true },
  into: "reason",
  schema: () => allowed,
  bind: (given, binder, path) => allowedWhen(given, true, binder, path),
};
