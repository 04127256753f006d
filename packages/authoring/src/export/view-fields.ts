import { word } from "@loyal-quill/core/messages/messages";
import type { Field, Page } from "@loyal-quill/core/page/page";
import { NotPlain } from "./logic.js";
import { choicesAskedWith, dependsOnForm, searchedFields, tableChoices } from "./parts.js";
import { inTemplate, literalOf, member, quote } from "./source.js";

/* The controls in the file with the page's HTML. */

/** The controls that the file writes, each by a function of its own. */
export type ControlName =
  | "line"
  | "lines"
  | "box"
  | "select"
  | "radios"
  | "date"
  | "moment"
  | "offered"
  | "fixed"
  | "look"
  | "file"
  | "finder";

/** Options of a field that stand in the file, or are loaded. */
function optionsOf(page: Page, field: Field): string {
  const { choices } = field;
  if (choices?.from === "table") return member("choices", field.column.name);
  if (choices?.from === "truth")
    return `[{ value: "true", label: ${quote(word(page.language, "yes"))} }, { value: "false", label: ${quote(word(page.language, "no"))} }]`;
  const labels = choices?.from === "labels" ? choices.labels : [];
  return `options(${labels.map(quote).join(", ")})`;
}

/** Attributes of a field's control beside those that every control has, as a literal of HTML. */
function attributesOf(field: Field): string {
  const modes: Readonly<Record<string, string>> = { integer: "numeric", decimal: "decimal", float: "decimal" };
  const mode =
    field.control === "number"
      ? modes[field.column.type.kind]
      : field.rules.some(({ rule, when }) => rule === "e-mail" && !when)
        ? "email"
        : field.rules.some(({ rule, when }) => rule === "web-address" && !when)
          ? "url"
          : undefined;
  return [
    'type="text"',
    mode ? `inputmode="${mode}"` : "",
    field.hint ? `placeholder="${escapedAttribute(field.hint)}"` : "",
    `autocomplete="${escapedAttribute(field.control === "number" ? "off" : field.autocomplete)}"`,
  ]
    .filter(Boolean)
    .join(" ");
}

/** A text as HTML that stands in a template literal. */
export const inHtml = (text: string): string => inTemplate(escapedAttribute(text));

const escapedAttribute = (text: string): string =>
  text.replaceAll("&", "&amp;").replaceAll('"', "&quot;").replaceAll("<", "&lt;");

/** The call that writes one field. */
export function fieldCode(page: Page, field: Field, used: Set<ControlName>): string {
  const { name } = field.column;
  const more = field.unit ? [`unit: ${quote(field.unit)}`] : [];
  const options = more.length > 0 ? `, { ${more.join(", ")} }` : "";
  const block = (control: ControlName, ...given: readonly string[]): string => {
    used.add(control);
    return `\${field(view, ${quote(name)}, ${control}(view, ${[quote(name), ...given].join(", ")})${options})}`;
  };
  const isGroup = more.length > 0 ? `{ ${more.join(", ")}, isGroup: true }` : "{ isGroup: true }";
  switch (field.control) {
    case "file": {
      used.add("file");
      const types = field.rules.flatMap(({ rule, demand }) =>
        rule === "media-types" ? (demand as readonly string[]) : [],
      );
      const accept = types.length > 0 ? `, ${quote(`accept="${escapedAttribute(types.join(","))}"`)}` : "";
      return `\${field(view, ${quote(name)}, file(view, ${quote(name)}, ${field.column.nullable}${accept}), ${isGroup})}`;
    }
    case "text":
    case "number":
      return block("line", quote(attributesOf(field)));
    case "multi-line":
      return block("lines");
    case "check-box":
      used.add("box");
      return `\${field(view, ${quote(name)}, box(view, ${quote(name)}), ${more.length > 0 ? `{ ${more.join(", ")}, isBox: true }` : "{ isBox: true }"})}`;
    case "choice":
      used.add("offered");
      if (dependsOnForm(field)) {
        used.add("look");
        const select = `select(view, ${quote(name)}, ${optionsOf(page, field)}, ${field.column.nullable})`;
        used.add("select");
        return `\${field(view, ${quote(name)}, html\`\${${select}} \${look(${quote(name)})}\`${options})}`;
      }
      if (tableChoices(field)?.by === "search") {
        used.add("finder");
        used.add("select");
        const select = `select(view, ${quote(name)}, shownOf(${optionsOf(page, field)}), ${field.column.nullable})`;
        return `\${field(view, ${quote(name)}, html\`\${${select}} \${finder(view, ${quote(name)})}\`${options})}`;
      }
      return block("select", optionsOf(page, field), String(field.column.nullable));
    case "radio":
      used.add("offered");
      used.add("radios");
      return `\${field(view, ${quote(name)}, radios(view, ${quote(name)}, ${optionsOf(page, field)}, ${field.column.nullable}), ${isGroup})}`;
    case "date":
      return block("date");
    case "date-time":
      return block("moment");
    default:
      throw new NotPlain(`the control "${field.control}" of ${name}`);
  }
}

export const controlTexts: Readonly<Record<ControlName, (page: Page) => string>> = {
  line: () => `/** One line of text. Line breaks would be lost in it: a text that has some stands in several lines. */
const line = (view: FormView, name: Field, attributes = 'type="text"'): Html =>
  /[\\r\\n]/.test(view.texts[name] + textsOf(view.record)[name])
    ? lines(view, name)
    : html\`<input \${shared(view, name)} \${new Html(attributes)} value="\${view.texts[name]}">\`;`,
  lines: () => `/** Several lines. The line break after the tag is dropped by the browser (HTML, 13.2.6.4.7). */
const lines = (view: FormView, name: Field): Html =>
  html\`<textarea \${shared(view, name)} rows="5">\\n\${view.texts[name]}</textarea>\`;`,
  box: () => `/** Yes or no. A box that is not ticked sends nothing: the hidden control says that it was on the form. */
const box = (view: FormView, name: Field): Html =>
  html\`<input type="hidden" name="\${name}.box" value="false"><input \${shared(view, name)} type="checkbox" value="true"\${view.texts[name] === "true" && html\` checked\`}>\`;`,
  date: () => `/** A day. What such a control could not show, it would drop: then it is a line of text. */
const date = (view: FormView, name: Field): Html => {
  const isShown = [view.texts[name], textsOf(view.record)[name]].every((text) => /^((?!0000)\\d{4}-\\d\\d-\\d\\d)?$/.test(text));
  return isShown ? line(view, name, 'type="date" max="9999-12-31"') : line(view, name);
};`,
  moment: () => `/** A day and a time. What such a control could not show, it would drop: then it is a line of text. */
const moment = (view: FormView, name: Field): Html => {
  const text = view.texts[name];
  const form = /^((?!0000)\\d{4}-\\d\\d-\\d\\dT\\d\\d:\\d\\d(:\\d\\d(\\.\\d{1,3})?)?)?$/;
  const isShown = form.test(text) && form.test(textsOf(view.record)[name]);
  return isShown ? line(view, name, \`type="datetime-local" step="\${text.includes(".") ? "0.001" : "1"}"\`) : line(view, name);
};`,
  select: () => `/** One of these options. */
function select(view: FormView, name: Field, options: readonly Option[], isNullable: boolean): Html {
  const text = view.texts[name];
  const all = offered(view, name, options);
  const none = (isNullable || text === "") && html\`<option value="">–</option>\`;
  return html\`<select \${shared(view, name)}>\${none}\${all.map(({ value, label }) => html\`<option value="\${value}"\${value === text && html\` selected\`}>\${label}</option>\`)}</select>\`;
}`,
  offered: (page) => `/** What is stored or was sent and is not among the options stays chosen, and is marked. */
function offered(view: FormView, name: Field, options: readonly Option[]): readonly Option[] {
  const [text, stored] = [view.texts[name], textsOf(view.record)[name]];
  const isMissing = (value: string): boolean => value !== "" && options.every((option) => option.value !== value);
  return [
    ...(text !== stored && isMissing(text) ? [{ value: text, label: ${filled(page, "not-offered", { value: "text" })} }] : []),
    ...(isMissing(stored) ? [{ value: stored, label: ${filled(page, "no-longer-offered", { value: "stored" })} }] : []),
    ${choicesAskedWith(page).gone ? `...options.map((option) => (option.gone ? { ...option, label: ${filled(page, "no-longer-offered", { value: "option.label" })} } : option)),` : "...options,"}
  ];
}`,
  look: (page) => `/** Shows what may be chosen where something else was chosen first. */
const look = (name: Field): Html =>
  html\`<button class="minor" name="form.look" value="\${name}" formnovalidate>${inHtml(word(page.language, "show-choices"))}<span class="unseen"> (\${labels[name]})</span></button>\`;`,
  radios:
    () => `/** One of a few options, all in view. Where none is chosen nothing is sent for them: the hidden control says that they were on the form. */
const radios = (view: FormView, name: Field, options: readonly Option[], isNullable: boolean): Html =>
  html\`<input type="hidden" name="\${name}.box" value="">\${[...(isNullable ? [{ value: "", label: "–" }] : []), ...offered(view, name, options)].map(({ value, label }, index) => {
    const id = index === 0 ? idOf(name) : idOf(name, \`option-\${index + 1}\`);
    return html\`<input type="radio" id="\${id}" \${described(view, name)} value="\${value}"\${value === view.texts[name] && html\` checked\`}><label for="\${id}">\${label}</label> \`;
  })}\`;`,
  file: (page) => `/** A file: the way to the stored one, a control to choose another, and a box that takes it away. */
function file(view: FormView, name: FileField, isNullable: boolean, accept = ""): Html {
  const stored = view.record[name];
  const way = stored !== null && html\`<p><a href="\${view.base}\${addressOf(view.record)}/\${segment(name)}" download>\${${filled(page, "download-file", { size: "toldSize(stored)" })}}<span class="unseen"> (\${labels[name]})</span></a></p>\`;
  const remove = stored !== null && isNullable && html\` <input type="checkbox" id="\${idOf(name, "remove")}" name="form.remove:\${name}" value="true"> <label for="\${idOf(name, "remove")}">${inHtml(word(page.language, "remove-file"))}</label>\`;
  return html\`\${way}<input type="file" \${shared(view, name)} \${new Html(accept)} aria-label="${inHtml(word(page.language, "choose-file"))}">\${remove}\`;
}`,
  finder: (page) => `/** What is stored or chosen, and what was found, without what is more. */
const shownOf = (options: readonly Option[]): readonly Option[] => [
  ...options.filter(({ isFound }) => !isFound),
  ...options.filter(({ isFound }) => isFound).slice(0, mostFound),
];

/** A text to find among the choices, and what it found. */
function finder(view: FormView, name: ${searchedFields(page)
    .map(({ column }) => quote(column.name))
    .join(" | ")}): Html {
  const text = view.find?.[name];
  const found = view.choices[name].filter(({ isFound }) => isFound).length;
  const count = Math.min(found, mostFound);
  const told = found === 0 ? ${filled(page, "found-none", { text: 'text ?? ""' })} : found > mostFound ? ${filled(page, "found-more", { count: "count" })} : ${filled(page, "found-some", { count: "count" })};
  return html\`<input type="search" name="form.find:\${name}" aria-label="\${${filled(page, "find-in", { label: "labels[name]" })}}" autocomplete="off"> <button class="minor" name="form.look" value="\${name}" formnovalidate>${inHtml(word(page.language, "find"))}<span class="unseen"> (\${labels[name]})</span></button>\${text !== undefined && html\`<p class="found" role="status">\${told}</p>\`}\`;
}`,
  fixed: () => "",
};

/** A word of the pages with one place, which an expression fills. */
export function filled(page: Page, code: Parameters<typeof word>[1], places: Readonly<Record<string, string>>): string {
  const names = Object.keys(places);
  const marked = Object.fromEntries(names.map((name, index) => [name, `\uE000${index}\uE001`]));
  const parts = word(page.language, code, marked).split(/\uE000(\d+)\uE001/);
  return literalOf(
    parts.map((part, index) => (index % 2 === 0 ? part : { code: places[names[Number(part)] ?? ""] ?? "" })),
  );
}
