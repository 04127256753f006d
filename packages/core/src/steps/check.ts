import Big from "big.js";
import { type Facts, truthOf } from "../condition/evaluate.js";
import type { Condition } from "../condition/expression.js";
import type { MessageCode } from "../messages/catalog.js";
import { type Language, message } from "../messages/messages.js";
import { memoizePerPage } from "../page/memoize-per-page.js";
import type { Check, Field, Page, Rule } from "../page/page.js";
import type { Row, Stored } from "../postgres/statement.js";
import { compareDecimals } from "../values/decimal.js";
import { microseconds } from "../values/instant.js";
import type { Problem } from "../views/form-view.js";
import type { SubmittedField } from "./read.js";

/** Whether a value lies below (-1), at (0) or above (1) a bound; undefined where they can't be compared. */
function against(value: string, bound: string, kind: string): number | undefined {
  if (kind === "date" || kind === "timestamp" || kind === "timestamptz") {
    const [a, b] = [microseconds(value), microseconds(bound)];
    return a === undefined || b === undefined ? undefined : a < b ? -1 : Number(a > b);
  }
  return compareDecimals(value, bound) ?? undefined;
}

/** Whether a number is a whole multiple of a step, counted from zero; what is no ordinary number is not. */
const isMultiple = (value: string, step: string): boolean =>
  /^[+-]?[\d.]/.test(value) && new Big(value).mod(step).eq(0);

/** An e-mail address as browsers judge it (HTML, 4.10.5.1.5). */
const mail =
  /^[a-zA-Z0-9.!#$%&'*+/=?^_`{|}~-]+@[a-zA-Z0-9](?:[a-zA-Z0-9-]{0,61}[a-zA-Z0-9])?(?:\.[a-zA-Z0-9](?:[a-zA-Z0-9-]{0,61}[a-zA-Z0-9])?)*$/;

/** An absolute address of the web with a host (RFC 3986, 3): no white space, no user name. */
const web = /^https?:\/\/[^\s/?#@\\]+\.?(?:[/?#]\S*)?$/i;

/** What is wrong with a value by one rule, or null. A rule other than `required` says nothing of a missing value. */
function broken(
  rule: Rule,
  { field, value, text }: Pick<SubmittedField, "field" | "value" | "text">,
): [MessageCode, Record<string, string | number>] | null {
  if (rule.rule === "required") return value === null || value.trim() === "" ? ["required", {}] : null;
  if (value === null) return null;
  const { kind } = field.column.type;
  const given = [...text].length;
  switch (rule.rule) {
    case "min-length":
      return given < rule.characters ? ["min-length", { given, limit: rule.characters }] : null;
    case "max-length":
      return given > rule.characters ? ["max-length", { given, limit: rule.characters }] : null;
    case "min":
    case "max":
      // NaN would pass every table CHECK of the kind "greater than", since PostgreSQL sorts it above all numbers.
      if (value === "NaN") return ["not-a-number", {}];
      return against(value, rule.bound, kind) === (rule.rule === "min" ? -1 : 1)
        ? [rule.rule, { limit: rule.bound }]
        : null;
    case "step":
      return isMultiple(value, rule.step) ? null : ["step", { limit: rule.step }];
    case "scale":
      if (rule.digits < 0)
        return isMultiple(value, `1e${-rule.digits}`) ? null : ["step", { limit: `1${"0".repeat(-rule.digits)}` }];
      return (/\.(\d*)$/.exec(value)?.[1]?.length ?? 0) > rule.digits ? ["scale", { limit: rule.digits }] : null;
    case "pattern":
      return rule.matches(value) ? null : ["pattern", {}];
    case "e-mail":
      return mail.test(value) ? null : ["e-mail", {}];
    case "web-address":
      return web.test(value) ? null : ["web-address", {}];
    case "one-of":
      return rule.values.includes(value) ? null : ["not-on-offer", {}];
    // These are asked of the table: see steps/look-up.ts, and its refusal in steps/write.ts.
    case "unique":
    case "exists":
    case "offered":
      return null;
  }
}

/** Whether a stored value breaks a rule that is judged by the value alone, as if it were submitted untouched. */
export const breaksRule = (rule: Rule, field: Field, value: Stored): boolean =>
  broken(rule, { field, value, text: value ?? "" }) !== null;

/** A rule's own message, or the default of what is wrong. */
export const ruleMessage = (
  language: Language,
  rule: Rule,
  field: Field,
  code: MessageCode,
  places: Readonly<Record<string, string | number>> = {},
): string => rule.message ?? message(language, code, { label: field.label, ...places });

/** Whether a rule is to be judged: the field was touched, or something that its `when` asks for; and `when` holds. */
function applies(rule: Rule, submitted: SubmittedField, fields: readonly SubmittedField[], facts: Facts): boolean {
  if (!rule.when) return submitted.touched;
  if (!submitted.touched && !concerns(rule.when.formColumns, fields)) return false;
  return truthOf(rule.when.expression, facts) === true;
}

/**
 * The first rule that each field breaks: the page's own rules before the table's. A field that was not touched is judged
 * only where another one made a rule apply to it.
 */
export function checkFields(page: Page, fields: readonly SubmittedField[], row: Row, facts: Facts): readonly Problem[] {
  const here = { ...facts, row, form: askedValues(page, row, fields) };
  return fields.flatMap((submitted): Problem[] => {
    if (submitted.problem) return [submitted.problem];
    for (const rule of submitted.field.rules) {
      if (!applies(rule, submitted, fields, here)) continue;
      const wrong = broken(rule, submitted);
      if (wrong)
        return [
          { field: submitted.field.column.name, message: ruleMessage(page.language, rule, submitted.field, ...wrong) },
        ];
    }
    return [];
  });
}

/** What the form comes to: the stored row with the touched fields' values in their place. */
export function formValues(row: Row, fields: readonly SubmittedField[]): Row {
  const values: { [column: string]: Stored } = { ...row };
  for (const submitted of fields) {
    const { name } = submitted.field.column;
    if (submitted.touched || (submitted.sent && values[name] === undefined)) values[name] = submitted.value;
  }
  return values;
}

/** The conditions of checks and of rules that hold under one. */
export const conditionsOf = (page: Page): readonly Condition[] => [
  ...page.checks.map((check) => check.condition),
  ...page.fields.flatMap((field) => field.rules.flatMap((rule) => rule.when ?? [])),
];

/** The columns of the form that they ask about. */
const asked = memoizePerPage((page) => new Set(conditionsOf(page).flatMap((condition) => condition.formColumns)));

/** Of what the form comes to, what checks and conditional rules ask about: to read the rest would be work for nothing. */
const askedValues = (page: Page, row: Row, fields: readonly SubmittedField[]): Row =>
  formValues(
    row,
    fields.filter((each) => asked(page).has(each.field.column.name)),
  );

/** Whether a check asks for anything that was touched: an old record that breaks a new check must stay repairable elsewhere. */
const concerns = (columns: readonly string[], fields: readonly SubmittedField[]): boolean =>
  fields.some((each) => each.touched && columns.includes(each.field.column.name));

/**
 * The checks across fields that the form fails. Unknown passes, as it does in the table (ISO 9075-2, 4.18.3.4).
 *
 * @param checks those that are judged; the page's where it is left out
 * @param which `touched` leaves out those that ask for nothing that was touched; `all` judges every one
 */
export function checkAcross(
  page: Page,
  row: Row,
  fields: readonly SubmittedField[],
  facts: Facts,
  checks: readonly Check[] = page.checks,
  which: "touched" | "all" = "touched",
): readonly Problem[] {
  const form = askedValues(page, row, fields);
  return checks.flatMap((check): Problem[] => {
    if (which === "touched" && !concerns(check.condition.formColumns, fields)) return [];
    const truth = truthOf(check.condition.expression, { ...facts, row, form });
    return truth === false ? [{ field: check.at, message: check.message }] : [];
  });
}
