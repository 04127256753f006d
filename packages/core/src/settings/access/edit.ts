import type { Condition } from "../../condition/expression.js";
import type { Setting } from "../setting.js";
import { condition } from "../shapes.js";

/** In which state a record may be edited. */
export const edit: Setting<string, Condition | null, "edit"> = {
  label: "Editable when",
  about: "Condition over `row`, `actor` and `now`: when a record can be edited. Part of the save's WHERE.",
  without: "always",
  step: "access",
  editor: { kind: "condition", place: "row", example: 'row.status != "closed"' },
  into: "edit",
  schema: () => condition,
  bind: (given, binder, path) => binder.condition(given, false, path),
};
