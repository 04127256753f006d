import { type Language, type Word, word } from "../messages/messages.js";
import { boxName, tokenName } from "../page/bind.js";
import type { Field } from "../page/page.js";
import { recordAddress } from "../page/path.js";
import type { FieldView, FormView } from "../steps/prefill.js";
import { document, type Frame } from "./layout.js";
import { attributes, html, type Markup } from "./markup.js";

/** The id of a field's control: by place, since a column's name may hold what an id may not. */
const idOf = (index: number): string => `field-${index + 1}`;

const describedBy = (view: FieldView, id: string): string | null =>
  [
    view.field.help && `${id}-help`,
    view.field.unit && `${id}-unit`,
    view.problems.length > 0 && `${id}-problem`,
    view.conflict && `${id}-conflict`,
  ]
    .filter(Boolean)
    .join(" ") || null;

/** What the rules say of a text in HTML's own terms (HTML, 4.10.5.3 and 4.10.18.7). The server decides. */
function textAttributes({ rules }: Field): Record<string, string | null> {
  const always = rules.filter((rule) => rule.when === null);
  const length = (name: "min-length" | "max-length"): number[] =>
    always.flatMap((rule) => (rule.rule === name ? [rule.characters] : []));
  const most = length("max-length");
  const least = length("min-length");
  const has = (name: string): boolean => always.some((rule) => rule.rule === name);
  return {
    maxlength: most.length > 0 ? String(Math.min(...most)) : null,
    minlength: least.length > 0 ? String(Math.max(...least)) : null,
    inputmode: has("e-mail") ? "email" : has("web-address") ? "url" : null,
  };
}

/** The range of a date, where the rules give one. */
function dateRange({ rules }: Field): { min: string | null; max: string } {
  const bound = (name: "min" | "max"): string | undefined =>
    rules.flatMap((rule) =>
      rule.rule === name && rule.when === null && /^\d{4}-\d\d-\d\d$/.test(rule.bound) ? [rule.bound] : [],
    )[0];
  return { min: bound("min") ?? null, max: bound("max") ?? "9999-12-31" };
}

const inputModes: Partial<Record<string, string>> = { integer: "numeric", decimal: "decimal", float: "decimal" };

function select(view: FieldView, common: Readonly<Record<string, string | true | null | false>>): Markup {
  const empty = view.field.column.nullable || view.text === "" ? html`<option value="">–</option>` : null;
  const options = view.options.map(
    ({ value, label }) => html`<option${attributes({ value, selected: value === view.text })}>${label}</option>`,
  );
  return html`<select${attributes(common)}>${empty}${options}</select>`;
}

function input(view: FieldView, id: string): Markup {
  const { field, control, text } = view;
  const common = {
    id,
    name: field.column.name,
    "aria-describedby": describedBy(view, id),
    "aria-invalid": view.problems.length > 0 ? "true" : null,
    // An old record without the value must stay repairable elsewhere, so only what is there may not be emptied; and what
    // is made of another field when it is left empty may be.
    required:
      control !== "check-box" &&
      text !== "" &&
      field.tidy.every((tidying) => typeof tidying === "string") &&
      field.rules.some((rule) => rule.rule === "required" && rule.when === null),
  };
  switch (control) {
    case "multi-line":
      // The line break after the tag is dropped by the parser (HTML, 13.2.6.4.7); without it the text's own first one would be.
      return html`<textarea${attributes({ ...common, ...textAttributes(field), inputmode: null, rows: "5", class: field.column.type.kind === "json" ? "code" : null })}>
${text}</textarea>`;
    case "choice":
      return select(view, common);
    case "check-box":
      return html`<input type="hidden" name="${boxName(field.column.name)}" value=""><input${attributes({ ...common, type: "checkbox", value: "true", checked: text === "true" })}>`;
    case "date":
      return html`<input${attributes({ ...common, type: "date", value: text, ...dateRange(field) })}>`;
    case "date-time":
      return html`<input${attributes({ ...common, type: "datetime-local", value: text, step: text.includes(".") ? "0.001" : "1" })}>`;
    case "number":
      return html`<input${attributes({ ...common, type: "text", inputmode: inputModes[field.column.type.kind] ?? "decimal", value: text, class: "figure", autocomplete: "off" })}>`;
    case "text":
      return html`<input${attributes({ ...common, type: "text", value: text, autocomplete: field.autocomplete, ...textAttributes(field) })}>`;
  }
}

function conflictNote(view: FieldView, id: string, language: Language): Markup | null {
  if (!view.conflict) return null;
  const { stored, by, at } = view.conflict;
  const said = by === null ? word(language, "stored-now") : word(language, "stored-now-by", { by, at: at ?? "–" });
  return html`<p class="conflict" id="${id}-conflict">${said} <q>${stored}</q></p>`;
}

function readOnlyText(view: FieldView, language: Language): string {
  if (view.control === "check-box") return word(language, view.text === "true" ? "yes" : "no");
  return view.options.find((option) => option.value === view.text)?.label ?? (view.text === "" ? "–" : view.text);
}

function fieldBlock(view: FieldView, index: number, locked: boolean, language: Language): Markup {
  const id = idOf(index);
  const { field } = view;
  const unit = field.unit && html`<span class="unit" id="${id}-unit">${field.unit}</span>`;
  const help = field.help && html`<p class="help" id="${id}-help">${field.help}</p>`;
  if (locked || field.readOnly) {
    return html`<div class="field fixed" data-field="${field.column.name}"><span class="label" id="${id}-label">${field.label}</span>${help}<div class="control"><span class="value" role="group" aria-labelledby="${id}-label">${readOnlyText(view, language)}</span>${unit}</div></div>`;
  }
  const problems =
    view.problems.length > 0 ? html`<p class="problem" id="${id}-problem">${view.problems.join(" ")}</p>` : null;
  const wrong = view.problems.length > 0 || view.conflict ? " wrong" : "";
  const label = html`<label for="${id}">${field.label}</label>`;
  if (view.control === "check-box") {
    return html`<div class="field${wrong}" data-field="${field.column.name}"><div class="control box">${input(view, id)}${label}${unit}</div>${help}${problems}${conflictNote(view, id, language)}</div>`;
  }
  return html`<div class="field${wrong}" data-field="${field.column.name}">${label}${help}<div class="control">${input(view, id)}${unit}</div>${problems}${conflictNote(view, id, language)}</div>`;
}

/** What is wrong, above the form, each line a link to its field (WCAG 2.2, 3.3.1). */
function summary(view: FormView): Markup | null {
  const say = (code: Word, places?: Record<string, string | number>): string => word(view.page.language, code, places);
  const lines = [
    ...view.problems,
    ...view.conflicts.map(({ field }) => ({
      field,
      message: say("conflict-field", {
        label: view.fields.find((each) => each.field.column.name === field)?.field.label ?? field,
      }),
    })),
  ];
  if (lines.length === 0) return null;
  const heading =
    view.conflicts.length > 0
      ? say("conflict-heading")
      : lines.length === 1
        ? say("one-thing")
        : say("many-things", { count: lines.length });
  const list = lines.map(({ field, message }) => {
    const index = view.fields.findIndex((each) => each.field.column.name === field && !each.field.readOnly);
    return index < 0 ? html`<li>${message}</li>` : html`<li><a href="#${idOf(index)}">${message}</a></li>`;
  });
  const advice = say(view.conflicts.length > 0 ? "conflict-advice" : "typed-is-here");
  return html`<section class="summary" role="alert" tabindex="-1" autofocus aria-labelledby="summary-heading"><h2 id="summary-heading">${heading}</h2><ul>${list}</ul><p>${advice}</p></section>`;
}

/** The key, where the form does not show it among its fields. */
const keyLine = (view: FormView): Markup | null =>
  view.page.key.every((column) => view.fields.some((each) => each.field.column.name === column.name))
    ? null
    : html`<dl class="key">${view.page.key.map((column, index) => html`<div><dt>${column.name}</dt><dd>${view.key[index] ?? ""}</dd></div>`)}</dl>`;

/** The edit page of one record. */
export function formPage(view: FormView, given: Frame): string {
  const { page } = view;
  const { language } = page;
  const frame = { ...given, language };
  const list = `${frame.base}${page.path.list}`;
  const locked = view.locked !== null;
  const action = `${frame.base}${recordAddress(page.path, view.key)}/edit`;
  const fields = view.fields.map((field, index) => fieldBlock(field, index, locked, language));
  const form = locked
    ? html`<div class="sheet">${fields}</div><p class="actions"><a href="${list}">${word(language, "back-to", { list: page.plural })}</a></p>`
    : html`<form class="sheet" method="post" action="${action}"><input type="hidden" name="${tokenName}" value="${view.token}">${fields}<p class="actions"><button>${word(language, "update")}</button><a href="${list}">${word(language, "cancel")}</a></p></form>`;
  const wrong = view.problems.length > 0 || view.conflicts.length > 0;
  const main = html`<nav class="back" aria-label="${word(language, "way-back")}"><a href="${list}">${page.plural}</a></nav>
<h1>${view.title}</h1>${keyLine(view)}
${view.notice && html`<p class="said" role="status">${view.notice}</p>`}
${view.locked !== null && html`<p class="locked" role="status">${view.locked}</p>`}
${summary(view)}${form}`;
  return document(frame, wrong ? word(language, "put-right", { title: view.title }) : view.title, main);
}
