import * as v from "valibot";
import { recordOf } from "../../values/record-of.js";
import type { Setting } from "../setting.js";
import { line } from "../shapes.js";

export const parameters: Setting<Record<string, string>, Readonly<Record<string, string>>, "parameters"> = {
  label: "Parameters of the routine",
  about:
    "For each of its parameters `form.COLUMN`, `row.COLUMN` or `actor.ATTRIBUTE`; one that is called like a column gets the form's value without being named.",
  without: "—",
  editor: null,
  into: "parameters",
  schema: () => recordOf(v.string(), line),
  // Bound with the routine.
  bind: (given) => given ?? {},
};
