import type { Condition } from "../../condition/expression.js";
import type { Setting } from "../setting.js";
import { allowed } from "../shapes.js";
import { allowedWhen } from "./condition.js";

/** Who may see what was changed of a record, and by whom: nobody where it is null. */
export const history: Setting<boolean | string, Condition | null, "history"> = {
  label: "Can see changes",
  about:
    "`true`, or a condition over `row`, `actor` and `now`: who can see what was changed of a record, by whom and why.",
  without: "nobody",
  step: "access",
  editor: { kind: "condition", place: "row", example: "row.region_id == actor.region_id", orPlain: true },
  into: "history",
  schema: () => allowed,
  bind: (given, binder, path) => allowedWhen(given, false, binder, path),
};
