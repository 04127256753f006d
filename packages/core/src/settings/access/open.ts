import type { Condition } from "../../condition/expression.js";
import type { Setting } from "../setting.js";
import { condition } from "../shapes.js";
import { withoutRow } from "./condition.js";

/** Who may open the page: everybody who is signed in where it is null. */
export const open: Setting<string, Condition | null, "open"> = {
  label: "Can open",
  about: "Condition over `actor` and `now`: who can open the page.",
  without: "everybody who is signed in",
  step: "access",
  editor: { kind: "condition", place: "open", example: 'actor.roles.exists(role, role == "hydrologist")' },
  into: "open",
  schema: () => condition,
  bind: (given, binder, path) => withoutRow(binder.condition(given, false, path), "open", binder, path),
};
