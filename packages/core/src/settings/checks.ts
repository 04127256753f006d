import * as v from "valibot";
import type { Condition } from "../condition/expression.js";
import type { Setting } from "./setting.js";
import { condition, line } from "./shapes.js";

export interface Check {
  readonly condition: Condition;
  /** The field that the message stands at; null is above the form. */
  readonly at: string | null;
  readonly message: string;
}

export const checks: Setting<
  { expect: string; at?: string | undefined; message: string }[],
  readonly Check[],
  "checks"
> = {
  label: "Checks",
  about: "What fields demand of each other.",
  details: "`{ expect: condition over form, row, actor, now; at: field; message: … }`",
  without: "none",
  step: "check",
  editor: { kind: "own" },
  columns: ["at"],
  into: "checks",
  schema: () => v.array(v.strictObject({ expect: condition, at: v.optional(line), message: line })),
  bind: (given = [], binder, path) =>
    given.flatMap(({ expect, at, message }, index) => {
      const place = [...path, index];
      const parsed = binder.condition(expect, true, [...place, "expect"]);
      if (at !== undefined && !binder.fields.some(({ column }) => column.name === at))
        binder.unknownField(at, [...place, "at"]);
      return parsed ? [{ condition: parsed, at: at ?? null, message }] : [];
    }),
};
