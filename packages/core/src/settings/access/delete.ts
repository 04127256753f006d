import type { Condition } from "../../condition/expression.js";
import type { Setting } from "../setting.js";
import { allowed } from "../shapes.js";
import { allowedWhen } from "./condition.js";

/** Which records may be deleted: none where it is null. */
export const remove: Setting<boolean | string, Condition | null, "delete"> = {
  label: "Deletable when",
  about:
    "`true`, or a condition over `row`, `actor` and `now`: which records can be deleted. What can't be edited can't be deleted either.",
  without: "none",
  step: "access",
  editor: { kind: "condition", place: "row", example: 'row.status == "planned"', orPlain: true },
  into: "delete",
  schema: () => allowed,
  bind: (given, binder, path) => allowedWhen(given, false, binder, path),
};
