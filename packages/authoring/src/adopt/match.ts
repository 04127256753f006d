import type { Row } from "@loyal-quill/core/postgres/statement";
import { labelFrom } from "@loyal-quill/core/settings/bound/label";
import type { Column, Table } from "@loyal-quill/core/table/model";
import { isSame } from "./compare.js";
import type { HtmlControl, HtmlForm } from "./html-form.js";
import { printsIn, speaksOf, type Template } from "./template.js";

/** How sure it is that a control is a column's. */
export type Certainty = "certain" | "likely" | "guess";

/** A control and the column that it is taken for. */
export interface Matched {
  readonly control: HtmlControl;
  readonly column: Column;
  /** Why: whole sentences without their ends. */
  readonly reasons: readonly string[];
  readonly certainty: Certainty;
}

/** A name without what frameworks put around it: `station[alert_m]`, `Station.AlertM` and `alert-m` are `alertm`. */
export const flat = (name: string): string =>
  (/\[([^\]]*)\]\s*$/.exec(name)?.[1] ?? name.split(".").at(-1) ?? name)
    .replaceAll(/[^\p{L}\p{N}]/gu, "")
    .toLowerCase();

/** A column's name without the end that says what it refers to, or in what it is measured. */
export const short = (name: string): string =>
  name.replace(/_(id|code|key|no|mm|cm|m|km|g|kg|ms|s|pct|percent|at|on)$/i, "");

const points = { name: 5, nearName: 3, label: 3, value: 2 };

interface Candidate {
  readonly control: HtmlControl;
  readonly column: Column;
  readonly score: number;
  readonly reasons: readonly string[];
}

/** Values that say something of a record: one that stands in one column only, and is no word for yes or no. */
function isTelling(row: Row, column: Column): boolean {
  const value = row[column.name];
  if (typeof value !== "string" || value.length < 3 || column.type.kind === "boolean") return false;
  return Object.values(row).filter((each) => each === value).length === 1;
}

function candidateOf(control: HtmlControl, column: Column, row: Row | Template): Candidate | null {
  const reasons: string[] = [];
  let score = 0;
  const add = (worth: number, reason: string): void => {
    score += worth;
    reasons.push(reason);
  };
  const [name, own] = [flat(control.name), flat(column.name)];
  if (name === own) add(points.name, "it has the column's name");
  else if (name !== "" && (name === flat(short(column.name)) || own === flat(short(control.name))))
    add(points.nearName, "its name is nearly the column's");
  const label = control.label === null ? "" : flat(control.label);
  const isLabel = [column.name, short(column.name)].some((each) => flat(labelFrom(each)) === label);
  if (label !== "" && isLabel) add(points.label, "its label says so");
  if (isRead(row)) {
    if (printsIn(control.source, row).some((each) => speaksOf(each, column))) add(points.value, "it prints the column");
    return score === 0 ? null : { control, column, score, reasons };
  }
  const shows = control.value !== null && control.value !== "" && isSame(control, column, row[column.name] ?? null);
  if (shows && (score > 0 || isTelling(row, column))) add(points.value, "it shows what is stored there");
  return score === 0 ? null : { control, column, score, reasons };
}

const certaintyOf = (score: number): Certainty =>
  score >= points.name ? "certain" : score >= points.label ? "likely" : "guess";

/** Whether a form is held against its template, and not against a record. */
const isRead = (row: Row | Template): row is Template => Array.isArray((row as Partial<Template>).printed);

/** The columns that somebody has chosen for controls, by the controls' names; null for none. */
export type ChosenColumns = Readonly<Record<string, string | null>>;

/** The controls of a form with the columns that they are for: what was chosen, then each column once, the best matches first. */
function matchControls(
  form: HtmlForm,
  table: Table,
  row: Row | Template,
  chosen: ChosenColumns = {},
): readonly Matched[] {
  const isChosen = ({ name }: HtmlControl): boolean => Object.hasOwn(chosen, name);
  const found = new Map<HtmlControl, Matched>();
  const taken = new Set<Column>();
  for (const control of form.controls.filter((each) => isChosen(each) && each.kind !== "hidden")) {
    const column = table.columns.find(({ name }) => name === chosen[control.name]);
    if (!column || taken.has(column)) continue;
    taken.add(column);
    found.set(control, { control, column, reasons: ["it was chosen"], certainty: "certain" });
  }
  const candidates = form.controls
    .filter((control) => !isChosen(control) || control.kind === "hidden")
    .flatMap((control) => table.columns.flatMap((column) => candidateOf(control, column, row) ?? []))
    .sort((a, b) => b.score - a.score);
  for (const { control, column, score, reasons } of candidates) {
    if (found.has(control) || taken.has(column)) continue;
    taken.add(column);
    found.set(control, { control, column, reasons, certainty: certaintyOf(score) });
  }
  return form.controls.flatMap((control) => found.get(control) ?? []);
}

/** The form of a page that is for this table: the one with the most matches; null where none has any. */
export function formFor(
  forms: readonly HtmlForm[],
  table: Table,
  row: Row | Template,
  chosen: ChosenColumns = {},
): { readonly form: HtmlForm; readonly matched: readonly Matched[] } | null {
  const all = forms.map((form) => ({ form, matched: matchControls(form, table, row, chosen) }));
  const visible = ({ matched }: (typeof all)[number]): number =>
    matched.filter(({ control }) => control.kind !== "hidden").length;
  const [best] = all.sort((a, b) => visible(b) - visible(a));
  return best && visible(best) > 0 ? best : null;
}
