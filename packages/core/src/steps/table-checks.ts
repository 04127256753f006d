import { type Demanded, demandedIn } from "../catalog/check-expression.js";
import { truthOf } from "../condition/evaluate.js";
import type { Condition } from "../condition/expression.js";
import { parseCondition } from "../condition/parse.js";
import type { MessageCode } from "../messages/catalog.js";
import { message } from "../messages/messages.js";
import { isMade } from "../page/columns.js";
import { memoizePerPage } from "../page/memoize-per-page.js";
import type { Field, Page } from "../page/page.js";
import type { Row } from "../postgres/statement.js";
import { wordsFor } from "../settings/constraints.js";
import { columnOf } from "../table/model.js";
import type { Trip } from "../trip/trip.js";
import type { Problem } from "../views/form-view.js";
import { formValues } from "./check.js";
import type { SubmittedField } from "./read-field.js";

/** What a CHECK of the table demands of several fields of the page, judged with everything else before the table is asked. */
interface TableCheck extends Pick<Demanded, "says" | "sql"> {
  readonly constraint: string;
  /** As PostgreSQL prints it. */
  readonly definition: string;
  readonly condition: Condition;
}

/** Columns whose stored values are not what the form says: set by the page or a trigger, made by the table, or made of another field when they are left empty. */
function isGivenElsewhere(page: Page, name: string): boolean {
  const column = columnOf(page.table, name);
  const field = page.fields.find((each) => each.column.name === name);
  return (
    !column ||
    column.setByTrigger === true ||
    column.written === "always" ||
    page.sets.some((set) => set.column.name === name) ||
    (field !== undefined && isMade(field))
  );
}

/**
 * The CHECK constraints over several columns that a page's form can be held against. A page's own check of the same columns takes the place of
 * the table's, and what a routine saves is the routine's to decide.
 */
export const tableChecks = memoizePerPage((page): readonly TableCheck[] => {
  if (page.routine) return [];
  const onPage = new Set(page.fields.map(({ column }) => column.name));
  const own = page.checks.map(({ condition }) => sameColumns(condition.formColumns));
  return page.table.constraints.flatMap(({ kind, constraint, definition }) => {
    if (kind !== "check") return [];
    return demandedIn(definition, page.table).flatMap(({ cel, columns, ...said }): TableCheck[] => {
      if (!columns.some((name) => onPage.has(name)) || own.includes(sameColumns(columns))) return [];
      if (columns.some((name) => isGivenElsewhere(page, name))) return [];
      const parsed = parseCondition(cel, page.table, page.table);
      return parsed.ok ? [{ constraint, definition, condition: parsed.condition, ...said }] : [];
    });
  });
});

const sameColumns = (names: readonly string[]): string => JSON.stringify(names.toSorted());

/** What one column has to be beside another, seen from either. */
const turned = { "=": "=", "<>": "<>", "<": ">", "<=": ">=", ">": "<", ">=": "<=" } as const;

const amounts: Readonly<Record<keyof typeof turned, MessageCode>> = {
  "=": "same-as",
  "<>": "other-than",
  "<": "below-other",
  "<=": "at-most-other",
  ">": "above-other",
  ">=": "at-least-other",
};
const moments: Readonly<Record<keyof typeof turned, MessageCode>> = {
  ...amounts,
  "<": "before-other",
  "<=": "at-latest-other",
  ">": "after-other",
  ">=": "at-earliest-other",
};

const labelOf = (page: Page, name: string): string | undefined =>
  page.fields.find(({ column }) => column.name === name)?.label;

/**
 * What is said of a CHECK at one of the fields that it asks about: what the field has to be beside another one, that one of several is needed, or what
 * PostgreSQL would say.
 */
export function saidAt(page: Page, { says, constraint, definition }: TableCheck, { column, label }: Field): string {
  const { language } = page;
  const own = wordsFor(page, constraint);
  if (own) return own.message;
  if (says && "order" in says) {
    const isLeft = column.name === says.left;
    const other = labelOf(page, isLeft ? says.right : says.left);
    const codes = ["date", "time", "timestamp", "timestamptz"].includes(column.type.kind) ? moments : amounts;
    const code = codes[isLeft ? says.order : turned[says.order]];
    if (other !== undefined) return message(language, code, { label, other });
  }
  if (says && "oneOf" in says) {
    const labels = says.oneOf.flatMap((name) => labelOf(page, name) ?? []);
    if (labels.length === says.oneOf.length) return message(language, "one-of-these", { labels: labels.join(", ") });
  }
  if (says && "noneOf" in says) return message(language, "none-of-these", { label, values: says.noneOf.join(", ") });
  return message(language, "check", { constraint, definition });
}

/** The field that is needed where the rest of a CHECK holds, and has no value. */
export const neededBy = (page: Page, { says }: TableCheck): Field | undefined =>
  says && "needed" in says
    ? page.fields.find(({ column, readOnly }) => !readOnly && column.name === says.needed)
    : undefined;

/** The fields of a form that a CHECK asks about, the last one first: of those that were changed it is nearest to where somebody stands. */
export const fieldsAskedBy = (page: Page, { condition }: TableCheck): readonly Field[] =>
  page.fields.filter(({ column, readOnly }) => !readOnly && condition.formColumns.includes(column.name)).toReversed();

/**
 * What is said where a CHECK over several columns does not hold, and at which field.
 *
 * @param form the values that it was judged by; null where only the table knows them
 */
function tableCheckProblem(page: Page, check: TableCheck, touched: readonly string[], form: Row | null): Problem {
  const { constraint, definition } = check;
  const own = wordsFor(page, constraint);
  if (own && own.at !== null) return { field: own.at, message: own.message, by: constraint };
  const needed = neededBy(page, check);
  if (needed && form?.[needed.column.name] === null)
    return {
      field: needed.column.name,
      message: own?.message ?? message(page.language, "required", { label: needed.label }),
      by: constraint,
    };
  const fields = fieldsAskedBy(page, check);
  const at = fields.find(({ column }) => touched.includes(column.name)) ?? fields[0];
  return {
    field: at?.column.name ?? null,
    message: at ? saidAt(page, check, at) : message(page.language, "check", { constraint, definition }),
    by: constraint,
  };
}

/**
 * The CHECK constraints over several columns that a form breaks. Judged is what is known: a column that is neither on the form nor in the
 * row, and one that the table gives, leave the constraint to the table.
 *
 * @param known what is wrong already: at a field that has a problem nothing more is said
 */
export function checkTable(
  { page, facts, dependencies }: Pick<Trip, "page" | "facts" | "dependencies">,
  row: Row,
  fields: readonly SubmittedField[],
  known: readonly Problem[],
): readonly Problem[] {
  const checks = tableChecks(page);
  // What a developer's own step sets before the write is not known yet.
  if (checks.length === 0 || dependencies.own?.(page.name)?.has.has("beforeWrite")) return [];
  const touched = fields.filter((each) => each.touched).map(({ field }) => field.column.name);
  const isKnown = (name: string): boolean => touched.includes(name) || Object.hasOwn(row, name);
  const form = formValues(row, fields);
  return checks.flatMap((check): Problem[] => {
    const { formColumns, expression } = check.condition;
    if (!formColumns.some((name) => touched.includes(name)) || !formColumns.every(isKnown)) return [];
    if (known.some(({ field }) => field !== null && formColumns.includes(field))) return [];
    return truthOf(expression, { ...facts, row, form }) === false
      ? [tableCheckProblem(page, check, touched, form)]
      : [];
  });
}
