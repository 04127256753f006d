import * as v from "valibot";
import type { ValueExpression } from "../../condition/expression.js";
import type { FieldSetting } from "../setting.js";
import { condition } from "../shapes.js";

/** What the form of a new record shows instead of the table's own default. */
export const defaultValue: FieldSetting<string | number | boolean, ValueExpression | null, "default"> = {
  label: "Default value",
  about: "What the form of a new record shows: an expression over `actor` and `now`.",
  without: "the table's default",
  editor: { kind: "line", placeholder: "now, actor.id or 2.5" },
  rare: true,
  into: "default",
  schema: () => v.union([condition, v.number(), v.boolean()]),
  bind: (given, { page, column }, path) => (given === undefined ? null : page.value(String(given), column, path)),
};
