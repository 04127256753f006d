import { everyPart } from "@loyal-quill/core/condition/expression";
import { isKnownByKey, type TableChoices } from "@loyal-quill/core/controls/choice-source";
import type { Field, Page } from "@loyal-quill/core/page/page";
import type { Rule } from "@loyal-quill/core/rules/rule";
import { tableChecks } from "@loyal-quill/core/steps/table-checks";
import { recordName, variable } from "./source.js";

/* What several of the exported files are made of. */

/** The fields that the form of a stored record takes. */
export const takenBy = (page: Page): readonly Field[] => page.fields.filter((field) => !field.readOnly);

/** Whether any field is on the form of some records only. */
export const hasConditions = (page: Page): boolean => page.fields.some(({ when }) => when !== null);

/** The choices of a field that come from a table. */
export const tableChoices = (field: Field): TableChoices | null =>
  field.choices?.from === "table" ? field.choices : null;

/** The rule by which a typed value must be among a field's choices; undefined where there is none. */
export const choiceRule = (field: Field): Rule | undefined =>
  tableChoices(field)
    ? (field.rules.find(({ rule }) => rule === "offered") ?? field.rules.find(({ rule }) => rule === "exists"))
    : undefined;

/** The fields whose values must be among the choices that are offered. */
export const offeredFields = (page: Page): readonly Field[] => takenBy(page).filter((field) => choiceRule(field));

/** The fields that are files. */
export const fileFields = (page: Page): readonly Field[] => takenBy(page).filter(({ control }) => control === "file");

/** The fields whose choices are found by searching. */
export const searchedFields = (page: Page): readonly Field[] =>
  takenBy(page).filter((field) => tableChoices(field)?.by === "search");

/** Whether what may be chosen in a field depends on what else is on the form. */
export const dependsOnForm = (field: Field): boolean => (tableChoices(field)?.where?.formColumns.length ?? 0) > 0;

interface AskedWith {
  /** What is stored and what the form comes to. */
  readonly stored: boolean;
  readonly form: boolean;
  readonly actor: boolean;
  /** What is to be found. */
  readonly find: boolean;
  /** Whether what is stored is named though it is not offered any more. */
  readonly gone: boolean;
}

/** What the choices of a page are asked with. */
export function choicesAskedWith(page: Page): AskedWith {
  const restricted = takenBy(page)
    .flatMap((field) => tableChoices(field) ?? [])
    .filter(({ where }) => where);
  const [find, gone] = [searchedFields(page).length > 0, restricted.some(isKnownByKey)];
  const actor = restricted.some(({ where }) => where && everyPart(where.expression).some(({ op }) => op === "actor"));
  return { stored: gone || find, form: find || takenBy(page).some(dependsOnForm), actor, find, gone };
}

/** Every condition that a form is judged by. */
export const judgedBy = (page: Page) => [
  ...page.checks.map(({ condition }) => condition),
  ...tableChecks(page).map(({ condition }) => condition),
  ...takenBy(page).flatMap(({ rules }) => rules.flatMap(({ when }) => when ?? [])),
  ...(page.reason ? [page.reason] : []),
];

/** What judging a form needs besides what was sent: the names of its parameters, in their order. */
export function judgingNeeds(page: Page): readonly string[] {
  const asks = (what: "actor" | "now"): boolean =>
    judgedBy(page).some(({ expression }) => everyPart(expression).some(({ op }) => op === what));
  const withChoices = offeredFields(page).length > 0;
  return [
    ...(judgedBy(page).length > 0 || withChoices ? [recordName(page)] : []),
    ...(withChoices ? ["choices"] : []),
    ...(asks("actor") ? ["actor"] : []),
    ...(asks("now") ? ["now"] : []),
    ...(page.reason ? ["reason"] : []),
  ];
}

/** What the parts of a page's key are called, in the code and in the address. */
export function keyNames(page: Page): readonly string[] {
  const names: string[] = [];
  for (const { name } of page.key) {
    const plain = variable(name);
    names.push(names.includes(plain) || plain === recordName(page) ? `${plain}${names.length + 1}` : plain);
  }
  return names;
}

/** A name beside those of the table's columns. */
export function freeName(page: Page, wanted: string): string {
  const isTaken = (name: string): boolean => page.table.columns.some((column) => column.name === name);
  let name = wanted;
  while (isTaken(name)) name = `row_${name}`;
  return name;
}
