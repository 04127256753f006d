import type { Condition } from "../../condition/expression.js";
import type { Setting } from "../setting.js";
import { allowed } from "../shapes.js";
import { allowedWhen, withoutRow } from "./condition.js";

/** Who may make a new record: nobody where it is null. */
export const create: Setting<boolean | string, Condition | null, "new"> = {
  label: "Can create",
  about: "`true`, or a condition over `actor` and `now`: who can create records.",
  without: "nobody",
  step: "access",
  editor: { kind: "condition", place: "open", example: 'actor.roles.exists(role, role == "builder")', orPlain: true },
  into: "new",
  schema: () => allowed,
  bind: (given, binder, path) => withoutRow(allowedWhen(given, false, binder, path), "new", binder, path),
};
