import { type Language, message, word } from "../messages/messages.js";
import { boxName, findName, lookName } from "../page/names.js";
import type { Field } from "../page/page.js";
import type { FieldView } from "../views/form-view.js";
import { attributes, escaped, html, Markup } from "./markup.js";

/** The id of a field's control: by place, since a column's name may hold what an id may not. */
export const idOf = (index: number): string => `field-${index + 1}`;

const describedBy = (view: FieldView, id: string): string | null =>
  [
    view.field.help && `${id}-help`,
    view.field.unit && `${id}-unit`,
    view.problems.length > 0 && `${id}-problem`,
    view.conflict && `${id}-conflict`,
    view.offer?.looked && `${id}-found`,
  ]
    .filter(Boolean)
    .join(" ") || null;

/** Which keyboard suits a text (HTML, 6.8.8.1). The page's own messages say what is wrong with it, so the browser judges nothing. */
function inputModeOf({ rules }: Field): string | null {
  const has = (name: string): boolean => rules.some((rule) => rule.rule === name && rule.when === null);
  return has("e-mail") ? "email" : has("web-address") ? "url" : null;
}

const inputModes: Partial<Record<string, string>> = { integer: "numeric", decimal: "decimal", float: "decimal" };

type Attributes = Readonly<Record<string, string | true | null | false>>;

const none = new Markup('<option value="">–</option>');

/** What stands in a control: its text, or the options of a list with the chosen one selected. */
function contentOf({ field, control, text, options }: FieldView): Markup {
  if (control !== "choice") return new Markup(escaped(text));
  let content = field.column.nullable || text === "" ? none.text : "";
  for (const { value, label } of options)
    content += `<option value="${escaped(value)}"${value === text ? " selected" : ""}>${escaped(label)}</option>`;
  return new Markup(content);
}

function select(view: FieldView, common: Attributes, content: Markup): Markup {
  const { column, choices } = view.field;
  // What the script of the pages goes by; without it they say nothing.
  const by = choices?.from === "table" && {
    "data-choices": view.offer?.by === "search" || view.depends ? column.name : null,
    "data-by": view.offer?.by ?? null,
    "data-with": view.depends ? (choices.where?.formColumns.join(" ") ?? null) : null,
  };
  return html`<select${attributes({ ...common, ...(by || {}), autofocus: view.offer?.looked ? true : null })}>${content}</select>`;
}

/** What a search among the choices found. */
function foundText(view: FieldView, language: Language): string | null {
  const looked = view.offer?.looked;
  if (!looked) return null;
  if (looked.found === 0) return word(language, "found-none", { text: looked.text });
  return word(language, looked.more ? "found-more" : "found-some", { count: looked.found });
}

/** The way to other choices without a script: a text to find, or a button that shows what now depends on the form. */
function lookLine(view: FieldView, id: string, language: Language): Markup | null {
  if (view.control !== "choice" || !view.offer) return null;
  const { name } = view.field.column;
  const look = { name: lookName, value: name, class: "minor", formnovalidate: true as const };
  if (view.offer.by === "search") {
    const found = foundText(view, language);
    return html`<div class="look" data-look="${name}"><input${attributes({ type: "search", id: `${id}-find`, name: findName(name), value: view.offer.looked?.text ?? "", "aria-label": word(language, "find-in", { label: view.field.label }), autocomplete: "off" })}><button${attributes(look)}>${word(language, "find")}<span class="unseen"> (${view.field.label})</span></button>${found && html`<p class="found" id="${id}-found" role="status">${found}</p>`}</div>`;
  }
  return view.depends
    ? html`<div class="look" data-look="${name}"><button${attributes(look)}>${word(language, "show-choices")}<span class="unseen"> (${view.field.label})</span></button></div>`
    : null;
}

function input(view: FieldView, id: string, content: Markup, language: Language): Markup {
  const { field, control, text } = view;
  /** What the script says of a date that was begun and not finished, for which a browser sends nothing. */
  const unfinished = (code: "not-a-date" | "not-a-time"): string =>
    field.message ?? message(language, code, { label: field.label });
  const common = {
    id,
    name: field.column.name,
    "aria-describedby": describedBy(view, id),
    "aria-invalid": view.problems.length > 0 ? "true" : null,
    // Said to those who can't see the page, and not enforced by the browser. An old record without the value must stay repairable
    // elsewhere, so only what is there may not be emptied; and what is made of another field when it is left empty may be.
    "aria-required":
      control !== "check-box" &&
      text !== "" &&
      field.tidy.every((tidying) => typeof tidying === "string") &&
      field.rules.some((rule) => rule.rule === "required" && rule.when === null)
        ? "true"
        : null,
  };
  const line = (values: Attributes): Markup => html`<input${attributes({ ...common, ...values })} value="${content}">`;
  switch (control) {
    case "multi-line":
      // The line break after the tag is dropped by the parser (HTML, 13.2.6.4.7); without it the text's own first one would be.
      return html`<textarea${attributes({ ...common, rows: "5", class: field.column.type.kind === "json" ? "code" : null })}>
${content}</textarea>`;
    case "choice":
      return select(view, common, content);
    case "check-box":
      return html`<input type="hidden" name="${boxName(field.column.name)}" value=""><input${attributes({ ...common, type: "checkbox", value: "true", checked: text === "true" })}>`;
    case "date":
      return line({ type: "date", max: "9999-12-31", "data-unfinished": unfinished("not-a-date") });
    case "date-time":
      return line({
        type: "datetime-local",
        step: text.includes(".") ? "0.001" : "1",
        "data-unfinished": unfinished("not-a-time"),
      });
    case "number":
      return line({
        type: "text",
        inputmode: inputModes[field.column.type.kind] ?? "decimal",
        class: "figure",
        autocomplete: "off",
      });
    case "text":
      return line({ type: "text", autocomplete: field.autocomplete, inputmode: inputModeOf(field) });
  }
}

function conflictNote(view: FieldView, id: string, language: Language): Markup | null {
  if (!view.conflict) return null;
  const { stored, by, at } = view.conflict;
  const said = by === null ? word(language, "stored-now") : word(language, "stored-now-by", { by, at: at ?? "–" });
  const label = view.options.find((option) => option.value === stored)?.label ?? stored;
  return html`<p class="conflict" id="${id}-conflict">${said} <q>${label}</q></p>`;
}

function readOnlyText(view: FieldView, language: Language): string {
  if (view.control === "check-box") return word(language, view.text === "true" ? "yes" : "no");
  // The T between date and time is the control's (HTML, 2.3.5.5), not a reader's.
  if (view.control === "date-time") return view.text === "" ? "–" : view.text.replace("T", " ");
  return view.options.find((option) => option.value === view.text)?.label ?? (view.text === "" ? "–" : view.text);
}

function fixedBlock(view: FieldView, index: number, language: Language): Markup {
  const id = idOf(index);
  const { field } = view;
  return html`<div class="field fixed" data-field="${field.column.name}"><span class="label" id="${id}-label">${field.label}</span>${helpOf(view, id)}<div class="control"><span class="value" role="group" aria-labelledby="${id}-label">${readOnlyText(view, language)}</span>${unitOf(view, id)}</div></div>`;
}

const unitOf = ({ field }: FieldView, id: string): Markup | null =>
  field.unit === null ? null : html`<span class="unit" id="${id}-unit">${field.unit}</span>`;
const helpOf = ({ field }: FieldView, id: string): Markup | null =>
  field.help === null ? null : html`<p class="help" id="${id}-help">${field.help}</p>`;

function takenBlock(view: FieldView, index: number, language: Language, content: Markup): Markup {
  const id = idOf(index);
  const { field } = view;
  const [unit, help] = [unitOf(view, id), helpOf(view, id)];
  const problems =
    view.problems.length > 0 ? html`<p class="problem" id="${id}-problem">${view.problems.join(" ")}</p>` : null;
  const wrong = view.problems.length > 0 || view.conflict ? " wrong" : "";
  const label = html`<label for="${id}">${field.label}</label>`;
  const control = input(view, id, content, language);
  if (view.control === "check-box") {
    return html`<div class="field${wrong}" data-field="${field.column.name}"><div class="control box">${control}${label}${unit}</div>${help}${problems}${conflictNote(view, id, language)}</div>`;
  }
  return html`<div class="field${wrong}" data-field="${field.column.name}">${label}${help}<div class="control">${control}${unit}</div>${lookLine(view, id, language)}${problems}${conflictNote(view, id, language)}</div>`;
}

/** A block without what stands in its control: the HTML before it and after it. */
type Halves = readonly [before: string, after: string];

const known = new WeakMap<Field, Map<string, Halves | null>>();

/** A character for private use (Unicode, 23.5) that marks the place of the content while a block is cut in two. */
const place = "\uE000";

/**
 * The halves of a block in which nothing is wrong: they depend on the page alone, so they are written once. Null where they
 * can't be told apart, since the page itself uses the mark.
 */
function halvesOf(view: FieldView, index: number, language: Language): Halves | null {
  const { field, control, text, offer } = view;
  const shape = [
    index,
    language,
    control,
    text === "",
    control === "check-box" && text,
    control === "date-time" && text.includes("."),
    offer?.by,
  ].join(" ");
  const of = known.get(field) ?? new Map<string, Halves | null>();
  known.set(field, of);
  const found = of.get(shape);
  if (found !== undefined) return found;
  const halves = takenBlock(view, index, language, new Markup(place)).text.split(place);
  const [before = "", after = ""] = halves;
  const made: Halves | null = halves.length <= 2 ? [before, after] : null;
  of.set(shape, made);
  return made;
}

/**
 * One field: its label, help, control, and what is wrong with it.
 *
 * @param taken whether it may be changed here; otherwise its value is shown
 */
export function fieldBlock(view: FieldView, index: number, taken: boolean, language: Language): Markup {
  if (!taken) return fixedBlock(view, index, language);
  const content = contentOf(view);
  const isPlain = view.problems.length === 0 && view.conflict === null && !view.offer?.looked;
  const halves = isPlain ? halvesOf(view, index, language) : null;
  if (!halves) return takenBlock(view, index, language, content);
  // A check box says what it holds by being ticked, which is part of the block.
  return new Markup(view.control === "check-box" ? halves[0] : halves[0] + content.text + halves[1]);
}
