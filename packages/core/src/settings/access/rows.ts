import type { Condition } from "../../condition/expression.js";
import type { Setting } from "../setting.js";
import { condition } from "../shapes.js";

/** Which records are seen at all. */
export const rows: Setting<string, Condition | null, "rows"> = {
  label: "Visible records",
  about: "Condition over `row`, `actor` and `now`: which records there are for somebody.",
  details: "Part of every WHERE; what is saved must meet it afterwards too, and so must a new record.",
  without: "all",
  step: "access",
  editor: { kind: "condition", place: "row", example: "row.region_id == actor.region_id" },
  into: "rows",
  schema: () => condition,
  bind: (given, binder, path) => binder.condition(given, false, path),
};
