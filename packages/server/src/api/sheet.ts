import { type Column, controlsFor, type Field, type Page, type Rule, type Table, tableName } from "@loyal-quill/core";
import type { BoundPageFile } from "@loyal-quill/runtime";
import type { SheetAnswer, SheetField } from "./types.js";

const tidyText = (tidying: Field["tidy"][number]): string =>
  typeof tidying === "string" ? tidying : `slug of ${tidying.slug}`;

/** What a rule demands, in a few words. */
function demandText(rule: Rule): string {
  switch (rule.rule) {
    case "required":
    case "e-mail":
    case "web-address":
      return rule.rule;
    case "step":
      return `step ${rule.step}`;
    case "pattern":
      return `pattern ${rule.source}`;
    case "min-length":
      return `at least ${rule.characters} characters`;
    case "max-length":
      return `at most ${rule.characters} characters`;
    case "min":
      return `minimum ${rule.bound}`;
    case "max":
      return `maximum ${rule.bound}`;
    case "scale":
      return rule.digits < 0 ? `step 1${"0".repeat(-rule.digits)}` : `at most ${rule.digits} digits after the point`;
    case "one-of":
      return `one of ${rule.values.join(", ")}`;
    case "unique":
      return rule.columns.length > 1
        ? `unique together: ${rule.columns.join(", ")}`
        : rule.ignoringCase
          ? "unique, ignoring case"
          : "unique";
    case "exists":
      return "an existing record";
    case "offered":
      return `one of those offered: ${rule.choices.where?.source ?? ""}`;
  }
}

/** A rule in a few words, with the condition under which it applies. */
const ruleText = (rule: Rule): string =>
  rule.when ? `${demandText(rule)}, when ${rule.when.source}` : demandText(rule);

/** What the table demands of a column, besides type and null. */
function constraintsOf(table: Table, column: Column): string[] {
  const references = table.references
    .filter((each) => each.columns.includes(column.name))
    .map((each) => `→ ${each.to.schema}.${each.to.table} (${each.to.columns.join(", ")})`);
  const others = table.constraints.filter((each) => each.columns.includes(column.name)).map((each) => each.definition);
  return [...references, ...others];
}

/** The range of a whole number's type says no more than the type does. */
const isOfType = (rule: Rule): boolean =>
  rule.by === "table" &&
  (rule.rule === "min" || rule.rule === "max") &&
  /^-?(32767|32768|2147483647|2147483648|9223372036854775807|9223372036854775808)$/.test(rule.bound);

/** The rules in words; one that both the page and the table have stands once. */
function rulesOf(field: Field): SheetField["rules"] {
  const texts = [...new Set(field.rules.filter((rule) => !isOfType(rule)).map((rule) => ruleText(rule)))];
  return texts.map((text) => ({
    text,
    by: [...new Set(field.rules.filter((rule) => ruleText(rule) === text).map((rule) => rule.by))],
  }));
}

/** A column of a table without a page: what the table says of it. */
export const columnSheet = (table: Table, column: Column): SheetField => ({
  name: column.name,
  label: "",
  control: "",
  readOnly: true,
  onPage: false,
  type: column.type.shown,
  kind: column.type.kind,
  nullable: column.nullable,
  default: column.default,
  comment: column.comment,
  key: table.keys.some((key) => key.primary && key.columns.includes(column.name)),
  isReference: table.references.some((each) => each.columns.includes(column.name)),
  constraints: constraintsOf(table, column),
  rules: [],
  tidy: [],
  controls: controlsFor(column, null),
  written: column.written,
});

function sheetField(page: Page, column: Column, field: Field | undefined): SheetField {
  const bare = { ...columnSheet(page.table, column), key: page.key.some((each) => each.name === column.name) };
  if (!field) return bare;
  const { label, control, readOnly, choices } = field;
  return {
    ...bare,
    label,
    control,
    readOnly,
    onPage: true,
    rules: readOnly ? [] : rulesOf(field),
    tidy: readOnly ? [] : field.tidy.map(tidyText),
    controls: controlsFor(column, choices),
  };
}

/** The page's fields in the form's order, then the columns that are not on the page. */
const fieldsOf = (page: Page): SheetField[] => [
  ...page.fields.map((field) => sheetField(page, field.column, field)),
  ...page.table.columns
    .filter((column) => !page.fields.some((field) => field.column.name === column.name))
    .map((column) => sheetField(page, column, undefined)),
];

/** The address as the page file gives it: `/stations/{code}`. */
export const addressPattern = (page: Page): string =>
  `${page.path.list}/${page.path.columns.map((column) => `{${column}}`).join("/")}`;

/** Everything that the Sheet shows of a page, apart from records. */
export function sheetOf(bound: BoundPageFile, mount: string): SheetAnswer {
  const { name, text, findings, page } = bound;
  const file = bound.parsed?.file ?? null;
  if (!page) {
    return {
      name,
      plural: name,
      path: "",
      listAddress: null,
      table: "",
      tableComment: null,
      version: null,
      text,
      file,
      findings,
      fields: [],
      keyColumns: [],
      keys: [],
      access: [],
      checks: [],
    };
  }
  const { routine } = page;
  const access: SheetAnswer["access"] = [
    ...(["open", "rows", "edit", "new", "delete"] as const).flatMap((each) => {
      const condition = page.access[each];
      return condition ? [{ name: each, source: condition.source }] : [];
    }),
    ...(routine ? [{ name: "routine" as const, source: `${routine.routine.schema}.${routine.routine.name}` }] : []),
  ];
  return {
    name,
    plural: page.plural,
    path: addressPattern(page),
    listAddress: `${mount}${page.path.list}`,
    table: tableName(page.table),
    tableComment: page.table.comment,
    version: page.version,
    text,
    file,
    findings,
    fields: fieldsOf(page),
    keyColumns: page.key.map((column) => column.name),
    keys: page.table.keys.map((key) => key.columns),
    access,
    checks: page.checks.map(({ condition, at, message }) => ({ source: condition.source, at, message })),
  };
}
