import type { Row } from "@loyal-quill/core/postgres/statement";
import { labelFrom } from "@loyal-quill/core/settings/bound/label";
import { type Catalog, type Column, type Table, tableName } from "@loyal-quill/core/table/model";
import { isMap, isScalar, isSeq, parseDocument } from "yaml";
import { draftPages } from "../draft/draft.js";
import { type FormFinding, formFinding, formFindings } from "./findings.js";
import { type HandlerRead, readHandler } from "./handler.js";
import { formsIn, type HtmlControl, type HtmlForm } from "./html-form.js";
import { type Certainty, type ChosenColumns, formFor, type Matched } from "./match.js";
import { readTemplate } from "./template.js";
import { templateFindings } from "./template-findings.js";

/** A form that was written elsewhere, with the record that it shows. */
export interface FormSource {
  readonly html: string;
  /** Where it was asked for; null for a saved page. */
  readonly address: string | null;
  readonly table: Table;
  readonly key: readonly (readonly [name: string, value: string])[];
  /** The record as it is stored; null for a template, which shows none. */
  readonly row: Row | null;
  readonly zones: readonly string[];
  /** The code of its handler, in JavaScript or TypeScript; null where that is not at hand. */
  readonly handler: string | null;
  /** The columns that somebody has chosen for controls; the others are matched. */
  readonly chosen?: ChosenColumns;
}

/** A control with the column that it was taken for. */
export interface AdoptedControl {
  readonly name: string;
  readonly label: string | null;
  readonly column: string | null;
  readonly certainty: Certainty | null;
  readonly reasons: readonly string[];
  readonly line: number;
}

/** What a form came to. */
export interface Adopted {
  /** `schema.table`. */
  readonly table: string;
  /** The page file that does the same; null where no form of the page is for the table. */
  readonly page: { readonly name: string; readonly text: string } | null;
  readonly controls: readonly AdoptedControl[];
  /** The columns that a control may be for. */
  readonly columns: readonly string[];
  readonly findings: readonly FormFinding[];
  /** What of the handler was not understood. */
  readonly notRead: HandlerRead["notRead"];
}

/** A text in which a template prints nothing; null for any other. */
const fixed = (text: string | null): string | null => (text === null || /[\uE000\uE001]/.test(text) ? null : text);

/** What a control says that a draft from the table alone does not. */
function settingsOf({ control, column }: Matched, isKey: boolean): Record<string, unknown> {
  const { kind, demands, isReadOnly, isDisabled } = control;
  const [label, help, group] = [control.label, control.help, control.group].map(fixed);
  const { type } = column;
  const rules: unknown[] = [];
  const number = (text: string | undefined): number | null =>
    text !== undefined && /^-?\d+(\.\d+)?$/.test(text) ? Number(text) : null;
  if ("required" in demands && column.nullable) rules.push("required");
  const most = number(demands.maxlength);
  if (most !== null && type.kind === "text" && (type.maxLength === null || most < type.maxLength))
    rules.push({ "max-length": most });
  const least = number(demands.minlength);
  if (least !== null && least > 0 && type.kind === "text") rules.push({ "min-length": least });
  for (const side of ["min", "max"] as const) {
    const bound = demands[side];
    if (bound === undefined || bound === "") continue;
    if (["integer", "decimal", "float"].includes(type.kind) && number(bound) !== null)
      rules.push({ [side]: number(bound) });
    if (type.kind === "date" && /^\d{4}-\d\d-\d\d$/.test(bound)) rules.push({ [side]: bound });
  }
  if (fixed(demands.pattern ?? null) && type.kind === "text") rules.push({ pattern: demands.pattern });
  return {
    ...(label && label !== labelFrom(column.name) ? { label } : {}),
    ...(help ? { help } : {}),
    ...(group ? { group } : {}),
    ...(kind === "textarea" && type.kind === "text" ? { control: "multi-line" } : {}),
    ...((isReadOnly || isDisabled) && !isKey ? { "read-only": true } : {}),
    ...(rules.length > 0 ? { rules } : {}),
  };
}

/** Options of a select over a column that refers to no other table, which are no choices of the table itself. */
function fixedChoices({ options }: HtmlControl, table: Table, column: Column): unknown {
  const refers = table.references.some(({ columns }) => columns.includes(column.name));
  const isKnown = table.demands.some(({ by, column: name }) => by === "in" && name === column.name);
  if (options.length === 0 || refers || isKnown || column.type.kind !== "text") return undefined;
  const given = options.filter(({ value }) => value !== "");
  if (given.some(({ value, label }) => fixed(`${value}${label}`) === null)) return undefined;
  return given.map(({ value, label }) => (label === value || label === "" ? value : { [value]: label }));
}

const nameOfField = (node: unknown): string | null => {
  if (isScalar(node)) return String(node.value);
  const key = isMap(node) ? node.items[0]?.key : null;
  return isScalar(key) ? String(key.value) : null;
};

/** Whether a control's name can be kept: it is one, of this control alone, and none of a page's own. */
const isName = (name: string, shown: readonly Matched[]): boolean =>
  name.trim() !== "" &&
  fixed(name) !== null &&
  !name.startsWith("quill.") &&
  shown.filter(({ control, column }) => control.name === name || column.name === name).length === 1;

/** The draft of a table's page with what the form says: its fields in their order, with their labels, groups, help and rules. */
function drafted(
  catalog: Pick<Catalog, "tables" | "unusable">,
  { table, key }: FormSource,
  form: HtmlForm,
  matched: readonly Matched[],
): Adopted["page"] {
  const [draft] = draftPages(catalog, [tableName(table)]).drafts;
  if (!draft) return null;
  const document = parseDocument(draft.text);
  const fields = document.get("fields");
  if (!isSeq(fields)) return { name: draft.name, text: draft.text };
  const keyNames = key.map(([name]) => name);
  const shown = matched.filter(
    ({ control, column }) => control.kind !== "hidden" && !(keyNames.includes(column.name) && control.isDisabled),
  );
  const items = shown.map((each) => {
    const { column, control } = each;
    const known = fields.items.find((item) => nameOfField(item) === column.name);
    const before = isMap(known)
      ? ((known.toJSON() as Record<string, unknown>)[column.name] as Record<string, unknown>)
      : {};
    const { group: _, ...kept } = before ?? {};
    const choices = fixedChoices(control, table, column);
    const settings = { ...kept, ...settingsOf(each, keyNames.includes(column.name)), ...(choices ? { choices } : {}) };
    const node = document.createNode(Object.keys(settings).length > 0 ? { [column.name]: settings } : column.name, {
      flow: true,
    });
    return node;
  });
  const keyItems = fields.items.filter((item) => {
    const name = nameOfField(item);
    return name !== null && keyNames.includes(name) && shown.every(({ column }) => column.name !== name);
  });
  fields.items = [...keyItems, ...items];
  // Who sends the form by other ways goes on with the names that it has.
  const names = shown.flatMap(({ control, column }) =>
    control.name !== column.name && isName(control.name, shown) ? [[column.name, control.name] as const] : [],
  );
  if (names.length > 0) document.set("names", document.createNode(Object.fromEntries(names), { flow: true }));
  // What can be typed into the form is no key that may be changed unseen.
  document.deleteIn(["record", "key-editable"]);
  // The form of a stored record says nothing of new ones.
  for (const name of ["access", "texts"]) document.delete(name);
  const others = form.controls.filter(
    (control) => matched.every((each) => each.control !== control) && control.kind !== "hidden",
  );
  const comments = [
    ...others.map(
      ({ name, label, kind, place }) =>
        ` Not matched: ${kind} “${name}”${label ? ` (${label})` : ""}, line ${place.line}.`,
    ),
    ...shown
      .filter(({ certainty }) => certainty !== "certain")
      .map(
        ({ control, column, certainty, reasons }) =>
          ` ${certainty === "likely" ? "Likely" : "A guess"}: “${control.name}” is ${column.name}, since ${reasons.join(", and ")}.`,
      ),
  ];
  document.commentBefore = [
    ` Made from a form, over ${tableName(table)}. What the table says holds without being written here.`,
    ...comments,
  ].join("\n");
  return {
    name: draft.name,
    text: document.toString({ lineWidth: 0, flowCollectionPadding: true }).replace(/^\n?# Drafted from .*\n/m, ""),
  };
}

/** What a form of a known record comes to: the page file that does the same, and what is wrong with the form. */
export function adoptForm(catalog: Pick<Catalog, "tables" | "unusable">, source: FormSource): Adopted {
  const { html, table, key, row, address, zones, handler, chosen } = source;
  const template = row === null ? readTemplate(html) : null;
  const found = formFor(formsIn(template?.html ?? html), table, template ?? row ?? {}, chosen);
  if (!found)
    return {
      table: tableName(table),
      page: null,
      controls: [],
      columns: [],
      notRead: [],
      findings: [
        formFinding("form-not-found", `No form of the page has a control for a column of ${tableName(table)}.`, {
          line: 1,
          column: 1,
        }),
      ],
    };
  const { form, matched } = found;
  const read = handler === null ? null : readHandler(handler, form, matched, table);
  return {
    table: tableName(table),
    notRead: read?.notRead ?? [],
    page: drafted(catalog, source, form, matched),
    columns: table.columns.map(({ name }) => name),
    controls: form.controls.map((control) => {
      const match = matched.find((each) => each.control === control);
      return {
        name: control.name,
        label: control.label,
        column: match?.column.name ?? null,
        certainty: match?.certainty ?? null,
        reasons: match?.reasons ?? [],
        line: control.place.line,
      };
    }),
    findings: [
      ...(template
        ? templateFindings(form, matched, table, template)
        : formFindings({ form, matched, table, key, row: row ?? {}, address, zones })),
      ...(read?.findings ?? []),
    ],
  };
}
