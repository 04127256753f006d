import { asksFor, beforeARecord, type Condition } from "../../condition/expression.js";
import type { Path } from "../../findings/path-in-file.js";

import type { PageContext } from "../context.js";

/** A condition, or plainly yes; nobody and none where the page says no, or nothing. */
export const allowedWhen = (
  given: boolean | string | undefined,
  hasForm: boolean,
  binder: PageContext,
  path: Path,
): Condition | null => (given === undefined || given === false ? null : binder.condition(String(given), hasForm, path));

/** Refuses a condition on the stored record where there is none yet. */
export function withoutRow(
  condition: Condition | null,
  what: keyof typeof beforeARecord,
  binder: PageContext,
  path: Path,
): Condition | null {
  if (condition && asksFor(condition, "row")) binder.error("condition", beforeARecord[what], path);
  return condition;
}
