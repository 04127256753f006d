import Big from "big.js";
import { type Facts, truthOf } from "../condition/evaluate.js";
import { message } from "../messages/messages.js";
import type { Page, Rule } from "../page/page.js";
import type { Row } from "../statements/statement.js";
import { compareDecimals } from "../values/decimal.js";
import { microseconds } from "../values/instant.js";
import type { Problem } from "./prefill.js";
import type { SubmittedField } from "./read.js";

/** Whether a value lies below (-1), at (0) or above (1) a bound; undefined where they can't be compared. */
function against(value: string, bound: string, kind: string): number | undefined {
  if (kind === "date" || kind === "timestamp" || kind === "timestamptz") {
    const [a, b] = [microseconds(value), microseconds(bound)];
    return a === undefined || b === undefined ? undefined : a < b ? -1 : Number(a > b);
  }
  return compareDecimals(value, bound) ?? undefined;
}

/** Whether a whole number ends in so many zeros: what a `numeric(5,-2)` keeps without rounding. */
const isMultiple = (value: string, zeros: number): boolean =>
  !/^-?\d/.test(value) || new Big(value).mod(new Big(10).pow(zeros)).eq(0);

/** The message of a rule that a value breaks, or null. A rule other than `required` says nothing of a missing value. */
function broken(rule: Rule, submitted: SubmittedField): string | null {
  const { field, value, text } = submitted;
  const { label } = field;
  // NaN would pass every table CHECK of the kind "greater than", since PostgreSQL sorts it above all numbers.
  if (value === "NaN" && (rule.rule === "min" || rule.rule === "max")) return message("not-a-number", { label });
  if (rule.rule === "required") return value === null || value.trim() === "" ? message("required", { label }) : null;
  if (value === null) return null;
  const given = [...text].length;
  switch (rule.rule) {
    case "min-length":
      return given < rule.characters ? message("min-length", { label, given, limit: rule.characters }) : null;
    case "max-length":
      return given > rule.characters ? message("max-length", { label, given, limit: rule.characters }) : null;
    case "min":
      return against(value, rule.bound, field.column.type.kind) === -1
        ? message("min", { label, limit: rule.bound })
        : null;
    case "max":
      return against(value, rule.bound, field.column.type.kind) === 1
        ? message("max", { label, limit: rule.bound })
        : null;
    case "scale":
      if (rule.digits < 0)
        return isMultiple(value, -rule.digits)
          ? null
          : message("multiple-of", { label, limit: `1${"0".repeat(-rule.digits)}` });
      return (/\.(\d*)$/.exec(value)?.[1]?.length ?? 0) > rule.digits
        ? message("scale", { label, limit: rule.digits })
        : null;
    // The table judges these itself, without a race: its refusal is turned into the field's message after the write.
    case "one-of":
    case "unique":
    case "exists":
      return null;
  }
}

/** The first rule that each touched field breaks: the page's own rules before the table's. */
export function checkFields(fields: readonly SubmittedField[]): readonly Problem[] {
  return fields.flatMap((submitted): Problem[] => {
    if (!submitted.touched) return [];
    if (submitted.problem) return [submitted.problem];
    for (const rule of submitted.field.rules) {
      const said = broken(rule, submitted);
      if (said) return [{ field: submitted.field.column.name, message: said }];
    }
    return [];
  });
}

/** What the form comes to: the stored row with the touched fields' values in their place. */
export const formValues = (row: Row, fields: readonly SubmittedField[]): Row => ({
  ...row,
  ...Object.fromEntries(fields.filter((each) => each.touched).map((each) => [each.field.column.name, each.value])),
});

/** Whether a check asks for anything that was touched: an old record that breaks a new check must stay repairable elsewhere. */
const concerns = (columns: readonly string[], fields: readonly SubmittedField[]): boolean =>
  fields.some((each) => each.touched && columns.includes(each.field.column.name));

/** The checks across fields that the form fails. Unknown passes, as it does in the table (ISO 9075-2, 4.18.3.4). */
export function checkAcross(page: Page, row: Row, fields: readonly SubmittedField[], facts: Facts): readonly Problem[] {
  const form = formValues(row, fields);
  return page.checks.flatMap((check): Problem[] => {
    if (!concerns(check.condition.formColumns, fields)) return [];
    const truth = truthOf(check.condition.expression, { ...facts, row, form });
    return truth === false ? [{ field: check.at, message: check.message }] : [];
  });
}
