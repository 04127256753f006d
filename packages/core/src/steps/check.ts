import { truthOf } from "../condition/evaluate.js";
import type { Condition } from "../condition/expression.js";
import type { Facts } from "../condition/facts.js";
import { type Language, message } from "../messages/messages.js";
import { madeOf } from "../page/columns.js";
import { memoizePerPage } from "../page/memoize-per-page.js";
import type { Check, Field, Page } from "../page/page.js";
import type { Row, Stored } from "../postgres/statement.js";
import { kindOf } from "../rules/index.js";
import type { Rule, Wrong } from "../rules/rule.js";
import type { Trip } from "../trip/trip.js";
import { byName } from "../values/by-name.js";
import { inLanguage } from "../values/in-language.js";
import type { Problem } from "../views/form-view.js";
import { isLeftEmpty } from "./read.js";
import type { SubmittedField } from "./read-field.js";

/** What is wrong with a value by one rule, or null. Only some rules say anything of a missing value. */
function broken(
  rule: Rule,
  { field, value, text }: Pick<SubmittedField, "field" | "value" | "text">,
  language?: Language,
): Wrong | null {
  const kind = kindOf(rule);
  if (value === null && !kind.judgesMissing) return null;
  return kind.broken?.(rule.demand, { column: field.column, value, text, ...(language ? { language } : {}) }) ?? null;
}

/** Whether a stored value breaks a rule that is judged by the value alone, as if it were submitted untouched. */
export const breaksRule = (rule: Rule, field: Field, value: Stored): boolean =>
  broken(rule, { field, value, text: value ?? "" }) !== null;

type Judging = Pick<Trip, "page" | "facts">;

/** A rule's own message, or the default of what is wrong. */
export const ruleMessage = (language: Language, rule: Rule, field: Field, [code, places]: Wrong): string =>
  rule.message ?? message(language, code, { label: field.label, ...inOwnWay(language, field, places) });

/** Bounds as the page's language writes them; counts are whole numbers. */
const inOwnWay = (
  language: Language,
  { column: { type } }: Field,
  places: Readonly<Record<string, string | number>>,
): Readonly<Record<string, string | number>> =>
  Object.fromEntries(
    Object.entries(places).map(([name, value]) => [
      name,
      typeof value === "string" ? inLanguage(type.kind, value, language) : value,
    ]),
  );

/** Whether a rule is to be judged: the field was touched, or something that its `when` asks for; and `when` holds. */
function applies(rule: Rule, submitted: SubmittedField, fields: readonly SubmittedField[], facts: Facts): boolean {
  if (!rule.when) return submitted.touched;
  if (!submitted.touched && !concerns(rule.when.formColumns, fields)) return false;
  return truthOf(rule.when.expression, facts) === true;
}

/**
 * What a rule judges of a field: what was sent, or what is stored where it was not touched. Not every control sends that: a file's never does, and none
 * that was left out. Of a file or a value that is not shown only whether there is one is known.
 */
function standing(rule: Rule, submitted: SubmittedField, row: Row): Pick<SubmittedField, "field" | "value" | "text"> {
  const { field, touched, value } = submitted;
  const stored = row[field.column.name] ?? null;
  const isTold = (!field.hidden && field.control !== "file") || kindOf(rule).judgesMissing;
  return touched || value !== null || stored === null || !isTold ? submitted : { field, value: stored, text: stored };
}

/**
 * The first rule that each field breaks: the page's own rules before the table's. A field that was not touched is judged
 * only where another one made a rule apply to it.
 */
export function checkFields({ page, facts }: Judging, row: Row, fields: readonly SubmittedField[]): readonly Problem[] {
  const here = { ...facts, row, form: askedValues(page, row, fields) };
  const problems = fields.flatMap((submitted): Problem[] => {
    if (submitted.problem) return [{ ...submitted.problem, by: "type" }];
    for (const rule of submitted.field.rules) {
      if (!applies(rule, submitted, fields, here)) continue;
      const wrong = broken(rule, standing(rule, submitted, row), page.language);
      if (wrong)
        return [
          {
            field: submitted.field.column.name,
            message: ruleMessage(page.language, rule, submitted.field, wrong),
            by: rule.rule,
          },
        ];
    }
    return [];
  });
  // What could not be made of another field is no complaint of its own where that one is complained of.
  const isWrong = (name: string | undefined): boolean => problems.some(({ field }) => field === name);
  const left = new Set(
    fields.filter((each) => isLeftEmpty(each) && isWrong(madeOf(each.field))).map(({ field }) => field.column.name),
  );
  return left.size === 0 ? problems : problems.filter(({ field }) => field === null || !left.has(field));
}

/** What the form comes to: the stored row with the touched fields' values in their place. */
export function formValues(row: Row, fields: readonly SubmittedField[]): Row {
  const values = byName(row);
  for (const submitted of fields) {
    const { name } = submitted.field.column;
    if (submitted.touched || (submitted.sent && values[name] === undefined)) values[name] = submitted.value;
  }
  return values;
}

/** The conditions of checks and of rules that hold under one. */
export const conditionsOf = (page: Page): readonly Condition[] => [
  ...page.checks.map((check) => check.condition),
  ...(page.reason ? [page.reason] : []),
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

interface WhichChecks {
  /** Those that are judged; the page's where it is left out. */
  readonly checks?: readonly Check[];
  /** `touched` leaves out those that ask for nothing that was touched; `all` judges every one. */
  readonly which?: "touched" | "all";
}

/** The checks across fields that the form fails. Unknown passes, as it does in the table (ISO 9075-2, 4.18.3.4). */
export function checkAcross(
  { page, facts }: Judging,
  row: Row,
  fields: readonly SubmittedField[],
  { checks = page.checks, which = "touched" }: WhichChecks = {},
): readonly Problem[] {
  const form = askedValues(page, row, fields);
  return checks.flatMap((check): Problem[] => {
    if (which === "touched" && !concerns(check.condition.formColumns, fields)) return [];
    const truth = truthOf(check.condition.expression, { ...facts, row, form });
    return truth === false ? [{ field: check.at, message: check.message, by: "check" }] : [];
  });
}

/** In the order of the form, in which they are read and put right; what concerns no field last. */
export const inFormOrder = ({ fields }: Page, problems: readonly Problem[]): readonly Problem[] => {
  if (problems.length < 2) return problems;
  const places = new Map(fields.map(({ column }, index) => [column.name, index]));
  const placeOf = ({ field }: Problem): number => places.get(field ?? "") ?? fields.length;
  return problems.toSorted((one, other) => placeOf(one) - placeOf(other));
};
