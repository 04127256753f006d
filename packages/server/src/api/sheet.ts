import {
  type Column,
  controlsFor,
  type Field,
  fieldsAskedBy,
  kindOf,
  type Page,
  type Rule,
  type Table,
  tableChecks,
  tableName,
} from "@loyal-quill/core";
import type { BoundPageFile } from "@loyal-quill/runtime";
import type { SheetAnswer, SheetField } from "./answers/sheet.js";
import { pluralIn } from "./plural.js";

const tidyText = (tidying: Field["tidy"][number]): string =>
  typeof tidying === "string" ? tidying : `slug of ${tidying.slug}`;

/** The rules in words, but for those of the table that others imply, with the condition under which each applies; one that both the page and the table have stands once. */
function rulesOf({ rules, column }: Field): SheetField["rules"] {
  const always = rules.filter(({ when }) => when === null);
  const saysLess = (rule: Rule): boolean =>
    rule.from === "table" &&
    rule.when === null &&
    kindOf(rule).implied?.(
      rule.demand,
      always.flatMap((other) => (other !== rule && other.rule === rule.rule ? [other.demand] : [])),
      column,
    ) === true;
  const found = new Map<string, { text: string; when: string | null; from: ("page" | "table")[] }>();
  for (const rule of rules) {
    if (saysLess(rule)) continue;
    const text = kindOf(rule).words(rule.demand);
    if (text === null) continue;
    const when = rule.when?.source ?? null;
    const same = `${text}\n${when}`;
    const known = found.get(same);
    if (!known) found.set(same, { text, when, from: [rule.from] });
    else if (!known.from.includes(rule.from)) known.from.push(rule.from);
  }
  return [...found.values()];
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
  setByTrigger: column.setByTrigger === true,
  default: column.default,
  comment: column.comment,
  key: table.keys.some((key) => key.primary && key.columns.includes(column.name)),
  references: table.references
    .filter((each) => each.columns.includes(column.name))
    .map(({ to }) => ({ table: `${to.schema}.${to.table}`, columns: to.columns })),
  shows: [],
  constraints: table.constraints.filter((each) => each.columns.includes(column.name)).map((each) => each.definition),
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
    shows: choices?.from === "table" ? choices.table.columns.map(({ name }) => name) : [],
  };
}

/** The page's fields in the form's order, then the columns that are not on the page. */
const fieldsOf = (page: Page, onPage = new Set(page.fields.map((field) => field.column))): SheetField[] => [
  ...page.fields.map((field) => sheetField(page, field.column, field)),
  ...page.table.columns.filter((column) => !onPage.has(column)).map((column) => sheetField(page, column, undefined)),
];

/** The address as the page file gives it: `/stations/{code}`. */
export const addressPattern = (page: Page): string =>
  `${page.path.list}/${page.path.columns.map((column) => `{${column}}`).join("/")}`;

/** What can refuse a save: CHECKs and the like as they are printed, keys and references by their columns. */
const constraintsOf = ({ constraints, keys, references }: Table): SheetAnswer["constraints"] => {
  const all = [
    ...constraints.map(({ constraint, definition }) => [constraint, definition] as const),
    ...keys.map(({ constraint, columns }) => [constraint, `unique: ${columns.join(", ")}`] as const),
    ...references.map(
      ({ constraint, columns, to }) =>
        [constraint, `${columns.join(", ")} in ${tableName({ schema: to.schema, name: to.table })}`] as const,
    ),
  ];
  return [...new Map(all)].map(([name, definition]) => ({ name, definition }));
};

/** Everything that the Sheet shows of a page, apart from records. */
export function sheetOf(bound: BoundPageFile, mount: string): SheetAnswer {
  const { name, text, findings, page } = bound;
  if (!page) {
    return {
      name,
      plural: pluralIn(text) ?? name,
      path: "",
      listAddress: null,
      table: "",
      tableComment: null,
      version: null,
      text,
      findings,
      fields: [],
      keyColumns: [],
      keys: [],
      access: [],
      checks: [],
      constraints: [],
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
    findings,
    fields: fieldsOf(page),
    keyColumns: page.key.map((column) => column.name),
    keys: page.table.keys.map((key) => key.columns),
    access,
    checks: [
      ...page.checks.map(({ condition, at }) => ({ source: condition.source, at, from: "page" as const })),
      ...tableChecks(page).map((check) => ({
        source: check.sql,
        at: fieldsAskedBy(page, check)[0]?.column.name ?? null,
        from: "table" as const,
      })),
    ],
    constraints: constraintsOf(page.table),
  };
}
