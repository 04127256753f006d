import { type RoutineCall, routineOf } from "../bound/routine.js";
import type { Setting } from "../setting.js";
import { line } from "../shapes.js";

/** What a save calls; null for an UPDATE. */
export const routine: Setting<string, RoutineCall | null, "routine"> = {
  label: "Routine",
  about: "`schema.name` of a function or procedure that is called instead of an UPDATE.",
  without: "an UPDATE",
  step: "write",
  editor: { kind: "line", placeholder: "schema.routine" },
  into: "routine",
  schema: () => line,
  bind: (given, binder) => routineOf(given, binder),
};
