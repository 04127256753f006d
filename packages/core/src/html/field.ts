import { boxName } from "../controls/check-box.js";
import { type Attributes, contentOf } from "../controls/control.js";
import { controlKind } from "../controls/index.js";
import { attributes, html, Markup } from "../markup/markup.js";
import { type Language, word } from "../messages/messages.js";
import { idOf } from "../page/ids.js";
import { searchButtonName, searchTextName, takeName } from "../page/names.js";
import type { Field } from "../page/page.js";
import { kindOf } from "../rules/index.js";
import { settingAttributes } from "../settings/field/index.js";
import type { FieldView } from "../views/form-view.js";
import { datetimeOf, isDated } from "../views/told.js";

const describedBy = (view: FieldView, id: string): string | null =>
  [
    view.field.help && `${id}-help`,
    view.field.unit && `${id}-unit`,
    view.problems.length > 0 && `${id}-problem`,
    view.replaces !== null && !view.conflict && `${id}-stored`,
    view.isHidden && `${id}-kept`,
    view.conflict && `${id}-conflict`,
    view.offer?.searched && `${id}-found`,
  ]
    .filter(Boolean)
    .join(" ") || null;

/** The attributes that a field's rules ask for, those with a condition left out. Browsers are to judge nothing: the page's own messages do. */
const ruleAttributes = ({ rules }: Field): Readonly<Record<string, string>> =>
  Object.assign({}, ...rules.map((rule) => (rule.when ? {} : kindOf(rule).attributes?.(rule.demand))));

/** What the script of the pages goes by; without it these say nothing. */
function choosingOf({ field: { column, choices }, offer, depends, withNames }: FieldView): Attributes {
  if (choices?.from !== "table") return {};
  return {
    "data-choices": offer?.by === "search" || depends ? column.name : null,
    "data-by": offer?.by ?? null,
    "data-find": offer?.by === "search" ? searchTextName(column.name) : null,
    "data-with": withNames.length > 0 ? JSON.stringify(withNames) : null,
    autofocus: offer?.searched ? true : null,
  };
}

/** What a search among the choices found. */
function foundText(view: FieldView, language: Language): string | null {
  const searched = view.offer?.searched;
  if (!searched) return null;
  if (searched.found === 0) return word(language, "found-none", { text: searched.text });
  return word(language, searched.more ? "found-more" : "found-some", { count: searched.found });
}

/** The way to other choices without a script: a text to find, or a button that shows what now depends on the form. */
function searchLine(view: FieldView, id: string, language: Language): Markup | null {
  if (view.control !== "choice" || !view.offer) return null;
  const { name } = view.field.column;
  const button = { name: searchButtonName, value: name, class: "quill-minor", formnovalidate: true as const };
  if (view.offer.by === "search") {
    const found = foundText(view, language);
    return html`<div class="quill-choice-search" data-choice-search="${name}"><input${attributes({ type: "search", id: `${id}-find`, name: searchTextName(name), value: view.offer.searched?.text ?? "", "aria-label": word(language, "find-in", { label: view.field.label }), autocomplete: "off" })}><button${attributes(button)}>${word(language, "find")}<span class="quill-unseen"> (${view.field.label})</span></button>${found && html`<p class="quill-found" id="${id}-found" role="status">${found}</p>`}</div>`;
  }
  return view.depends
    ? html`<div class="quill-choice-search" data-choice-search="${name}"><button${attributes(button)}>${word(language, "show-choices")}<span class="quill-unseen"> (${view.field.label})</span></button></div>`
    : null;
}

/** Where a control stands that is not in a form of its own: in a row of a list. */
interface InRow {
  readonly prefix: string;
  /** What it is called, since its label stands in the heading of the column. */
  readonly label: string;
}

interface Placed {
  readonly id: string;
  readonly language: Language;
  readonly row?: InRow;
}

function written(view: FieldView, content: Markup, { id, language, row }: Placed): Markup {
  const { field, text } = view;
  const kind = controlKind(view.control);
  const { type = "text", ...asked } = ruleAttributes(field);
  return kind.write({
    column: field.column,
    box: `${row?.prefix ?? ""}${boxName(view.name)}`,
    common: {
      id,
      name: `${row?.prefix ?? ""}${view.name}`,
      "aria-label": row?.label ?? null,
      ...settingAttributes(field),
      "aria-describedby": describedBy(view, id),
      "aria-invalid": view.problems.length > 0 ? "true" : null,
      autofocus: view.hasFocus ? true : null,
      // In a page from right to left a telephone number or an address is still read from left to right.
      dir: ["tel", "email", "url"].includes(String(type)) ? "auto" : null,
      ...asked,
      // Said to those who can't see the page, and not enforced by the browser.
      "aria-required": view.isNeeded ? "true" : null,
    },
    type,
    autocomplete: field.autocomplete,
    text,
    options: view.options,
    words: {
      chooseFile: word(language, "choose-file"),
      removeFile: word(language, "remove-file"),
      from: word(language, "range-from"),
      until: word(language, "range-until"),
      firstDay: word(language, "first-day"),
      lastDay: word(language, "last-day"),
    },
    content,
    choosing: choosingOf(view),
  });
}

/** Puts what is stored in the place of what was typed, also without a script. */
const takeButton = ({ field }: FieldView, code: "take-theirs" | "put-back", language: Language, prefix = ""): Markup =>
  html`<button${attributes({ name: `${prefix}${takeName}`, value: field.column.name, class: "quill-minor", formnovalidate: true })}>${word(language, code)}<span class="quill-unseen"> (${field.label})</span></button>`;

/** What is stored, beside what was typed instead. */
function replacedNote(view: FieldView, id: string, language: Language, prefix = ""): Markup | null {
  if (view.replaces === null || view.conflict) return null;
  const stored = storedText(view, language);
  const shown = view.replaces === "" ? stored : html`<q dir="auto">${stored}</q>`;
  return html`<p class="quill-replaced" id="${id}-stored">${word(language, "stored-value")} ${shown} ${takeButton(view, "put-back", language, prefix)}</p>`;
}

function conflictNote(view: FieldView, id: string, language: Language, prefix = ""): Markup | null {
  if (!view.conflict) return null;
  const { stored, by, at } = view.conflict;
  const said = by === null ? word(language, "stored-now") : word(language, "stored-now-by", { by, at: at ?? "–" });
  const label = view.options.find((option) => option.value === stored)?.label ?? stored;
  return html`<p class="quill-conflict" id="${id}-conflict">${said} <q dir="auto">${label}</q> ${takeButton(view, "take-theirs", language, prefix)}</p>`;
}

/** What is stored, as people read it: the label of a choice, the entries of a list, a day in the page's language. */
function storedText(view: FieldView, language: Language): string {
  const { field, stored, told, options, control } = view;
  const label = options.find((option) => option.value === stored)?.label;
  if (label !== undefined) return label;
  if (isDated(field.column)) return told ?? "–";
  // A control tells what it would show; that of a file shows nothing.
  const text = control === "file" ? (stored ?? "") : (view.replaces ?? view.text);
  return controlKind(control).told?.(text, language) || told || "–";
}

/** The same; a moment has its whole value for programs. */
function storedValue(view: FieldView, language: Language): Markup {
  const text = storedText(view, language);
  const datetime = datetimeOf(view.field.column, view.stored);
  return datetime === null ? html`<bdi>${text}</bdi>` : html`<time datetime="${datetime}">${text}</time>`;
}

/** A stored file: the way to it, with its size. */
const downloadOf = (view: FieldView, language: Language): Markup | null =>
  view.download === null
    ? null
    : html`<a href="${view.download}" download>${word(language, "download-file", { size: storedText(view, language) })}<span class="quill-unseen"> (${view.field.label})</span></a>`;

function fixedBlock(view: FieldView, language: Language, form: string): Markup {
  const id = idOf(view.field, form);
  const { field } = view;
  return html`<div class="quill-field quill-fixed" data-field="${field.column.name}"><span class="quill-label" id="${id}-label">${field.label}</span>${helpOf(view, id)}<div class="quill-control"><span class="quill-value" role="group" aria-labelledby="${id}-label">${downloadOf(view, language) ?? (view.isHidden ? word(language, "not-shown") : storedValue(view, language))}</span>${unitOf(view, id)}</div></div>`;
}

const unitOf = ({ field }: FieldView, id: string): Markup | null =>
  field.unit === null ? null : html`<span class="quill-unit" id="${id}-unit">${field.unit}</span>`;
const helpOf = ({ field }: FieldView, id: string): Markup | null =>
  field.help === null ? null : html`<p class="quill-help" id="${id}-help">${field.help}</p>`;

function takenBlock(view: FieldView, language: Language, form: string, content: Markup): Markup {
  const id = idOf(view.field, form);
  const { field } = view;
  const kept = view.isHidden
    ? html`<p class="quill-help" id="${id}-kept">${word(language, "stored-hidden")}</p>`
    : null;
  const [unit, help] = [unitOf(view, id), html`${helpOf(view, id)}${kept}`];
  const problems =
    view.problems.length > 0 ? html`<p class="quill-problem" id="${id}-problem">${view.problems.join(" ")}</p>` : null;
  const wrong = view.problems.length > 0 || view.conflict ? " quill-wrong" : "";
  const isGroup = controlKind(view.control).isGroup === true;
  const needed = view.isNeeded ? html` class="quill-needed"` : null;
  const label = isGroup
    ? html`<legend${needed}>${field.label}</legend>`
    : html`<label for="${id}"${needed}>${field.label}</label>`;
  const control = written(view, content, { id, language });
  if (controlKind(view.control).isBox) {
    return html`<div class="quill-field${wrong}" data-field="${field.column.name}"><div class="quill-control quill-box">${control}${label}${unit}</div>${help}${problems}${replacedNote(view, id, language)}${conflictNote(view, id, language)}</div>`;
  }
  if (isGroup)
    return html`<fieldset class="quill-field${wrong}" data-field="${field.column.name}">${label}${help}${downloadOf(view, language)}<div class="quill-control">${control}${unit}</div>${problems}${replacedNote(view, id, language)}${conflictNote(view, id, language)}</fieldset>`;
  return html`<div class="quill-field${wrong}" data-field="${field.column.name}">${label}${help}<div class="quill-control">${control}${unit}</div>${searchLine(view, id, language)}${problems}${replacedNote(view, id, language)}${conflictNote(view, id, language)}</div>`;
}

/** One field in a row of a list: its control, and what is wrong with it. */
export function cellBlock(view: FieldView, id: string, row: InRow, language: Language): Markup {
  const content = contentOf(controlKind(view.control), view.field.column, view.text, view.options);
  const problems =
    view.problems.length > 0 ? html`<p class="quill-problem" id="${id}-problem">${view.problems.join(" ")}</p>` : null;
  const wrong = view.problems.length > 0 || view.conflict ? " quill-wrong" : "";
  const control = written({ ...view, field: { ...view.field, help: null } }, content, { id, language, row });
  return html`<div class="quill-field${wrong}" data-field="${view.field.column.name}"><div class="quill-control">${control}${unitOf(view, id)}</div>${problems}${replacedNote(view, id, language, row.prefix)}${conflictNote(view, id, language, row.prefix)}</div>`;
}

/** A block without what stands in its control: the HTML before it and after it. */
type Halves = readonly [before: string, after: string];

/** What a block depends on besides its field. */
interface Shape {
  readonly form: string;
  readonly needed: boolean;
  readonly language: Language;
  readonly control: FieldView["control"];
  readonly empty: boolean;
  readonly more: string | undefined;
  readonly by: "list" | "search" | undefined;
}

const known = new WeakMap<Field, (Shape & { readonly halves: Halves | null })[]>();

/** A character for private use (Unicode, 23.5) that marks the place of the content while a block is cut in two. */
const place = "\uE000";

/**
 * The halves of a block in which nothing is wrong: they depend on the page alone, so they are written once. Null where they
 * can't be told apart, since the page itself uses the mark.
 */
function halvesOf(view: FieldView, language: Language, form: string): Halves | null {
  const { field, control, text, offer, isNeeded: needed } = view;
  const [empty, more, by] = [text === "", controlKind(control).shape?.(text), offer?.by];
  const of = known.get(field);
  if (!of) {
    // A draft's page is written once, and then it is another one: halves are for what is written again.
    known.set(field, []);
    return null;
  }
  for (const each of of)
    if (
      each.form === form &&
      each.needed === needed &&
      each.control === control &&
      each.empty === empty &&
      each.more === more &&
      each.by === by &&
      each.language === language
    )
      return each.halves;
  const halves = takenBlock(view, language, form, new Markup(place)).text.split(place);
  const [before = "", after = ""] = halves;
  const made: Halves | null = halves.length <= 2 ? [before, after] : null;
  of.push({ form, needed, language, control, empty, more, by, halves: made });
  return made;
}

/**
 * One field: its label, help, control, and what is wrong with it.
 *
 * @param taken whether it may be changed here; otherwise its value is shown
 * @param form what tells its form from others in one document
 */
export function fieldBlock(view: FieldView, taken: boolean, language: Language, form = ""): Markup {
  if (!taken) return fixedBlock(view, language, form);
  const kind = controlKind(view.control);
  const content = contentOf(kind, view.field.column, view.text, view.options);
  const isPlain =
    view.problems.length === 0 &&
    view.conflict === null &&
    view.replaces === null &&
    !view.isHidden &&
    !view.offer?.searched;
  const halves = isPlain && !kind.isGroup && !kind.isOwn ? halvesOf(view, language, form) : null;
  if (!halves) return takenBlock(view, language, form, content);
  return new Markup(kind.isBox ? halves[0] : halves[0] + content.text + halves[1]);
}
