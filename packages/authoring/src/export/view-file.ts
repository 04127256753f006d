import { word } from "@loyal-quill/core/messages/messages";
import type { Field, Page } from "@loyal-quill/core/page/page";
import { hasOwnWay } from "@loyal-quill/core/values/in-language";
import { NotPlain, PlainCode } from "./logic.js";
import { choicesAskedWith, dependsOnForm, hasConditions, searchedFields, tableChoices, takenBy } from "./parts.js";
import { inTemplate, keyOf, literalOf, member, quote, recordName, templateLiteral, typeName } from "./source.js";
import { tellsMoments, toldCode } from "./told.js";

/* The file with the page's HTML. */

/** The controls that the file writes, each by a function of its own. */
type ControlName =
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
const inHtml = (text: string): string => inTemplate(escapedAttribute(text));

const escapedAttribute = (text: string): string =>
  text.replaceAll("&", "&amp;").replaceAll('"', "&quot;").replaceAll("<", "&lt;");

/** The call that writes one field. */
function fieldCode(page: Page, field: Field, used: Set<ControlName>): string {
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

const controlTexts: Readonly<Record<ControlName, (page: Page) => string>> = {
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
    const id = index === 0 ? name : \`\${name}-\${index + 1}\`;
    return html\`<input type="radio" id="\${id}" \${described(view, name)} value="\${value}"\${value === view.texts[name] && html\` checked\`}><label for="\${id}">\${label}</label> \`;
  })}\`;`,
  file: (page) => `/** A file: the way to the stored one, a control to choose another, and a box that takes it away. */
function file(view: FormView, name: FileField, isNullable: boolean, accept = ""): Html {
  const stored = view.record[name];
  const way = stored !== null && html\`<p><a href="\${addressOf(view.record)}/\${segment(name)}" download>\${${filled(page, "download-file", { size: "toldSize(stored)" })}}<span class="unseen"> (\${labels[name]})</span></a></p>\`;
  const remove = stored !== null && isNullable && html\` <input type="checkbox" id="\${name}-remove" name="form.remove:\${name}" value="true"> <label for="\${name}-remove">${inHtml(word(page.language, "remove-file"))}</label>\`;
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
  return html\`<input type="search" id="\${name}-find" name="form.find:\${name}" aria-label="\${${filled(page, "find-in", { label: "labels[name]" })}}" autocomplete="off"> <button class="minor" name="form.look" value="\${name}" formnovalidate>${inHtml(word(page.language, "find"))}<span class="unseen"> (\${labels[name]})</span></button>\${text !== undefined && html\`<p class="found" role="status">\${told}</p>\`}\`;
}`,
  fixed: () => "",
};

/** A word of the pages with one place, which an expression fills. */
function filled(page: Page, code: Parameters<typeof word>[1], places: Readonly<Record<string, string>>): string {
  const names = Object.keys(places);
  const marked = Object.fromEntries(names.map((name, index) => [name, `\uE000${index}\uE001`]));
  const parts = word(page.language, code, marked).split(/\uE000(\d+)\uE001/);
  return literalOf(
    parts.map((part, index) => (index % 2 === 0 ? part : { code: places[names[Number(part)] ?? ""] ?? "" })),
  );
}

/** What a page says of its records, as functions over one. */
function textsCode(page: Page): string {
  const record = recordName(page);
  const type = typeName(page);
  const told = (template: Page["title"]): string => templateLiteral(template, (name) => toldCode(page, record, name));
  const title = `titleOf(${record})`;
  const { edit } = page.access;
  const plain =
    edit && new PlainCode({ row: record, form: record, actor: "actor", now: "new Date()" }).truth(edit.expression);
  return `/** Where the records are listed: the way back. */
export const list = { address: ${quote(page.path.list)}, title: ${quote(page.plural)} };
export const addressOf = (${record}: ${type}): string => \`${page.path.list}/${page.key.map(({ name }) => `\${segment(${member(record, name)})}`).join("/")}\`;

export const titleOf = (${record}: ${type}): string => ${told(page.title)};
export const savedText = (${record}: ${type}): string => ${page.answer.message ? told(page.answer.message) : filled(page, "is-saved", { title })};
export const unchangedText = (${record}: ${type}): string => ${filled(page, "nothing-changed", { title })};
const saveText = ${page.texts.save ? `(${record}: ${type}): string => ${told(page.texts.save)}` : quote(word(page.language, "update"))};
${
  plain
    ? `
// ${edit.source}
export const mayEdit = (${record}: ${type}${plain.includes("actor.") ? ", actor: Actor" : ""}): boolean => ${plain};
export const lockedText = ${quote(page.access.because ?? word(page.language, "locked"))};`
    : ""
}`;
}

/** What is explained of fields, and which have to be filled in. */
function helpTexts(page: Page): string {
  const taken = takenBy(page);
  const helped = taken.flatMap(({ column, help }) => (help ? [`${keyOf(column.name)}: ${quote(help)},`] : []));
  const isNeeded = ({ rules, control, tidy }: Field): boolean =>
    control !== "check-box" &&
    tidy.every((each) => typeof each === "string") &&
    rules.some(({ rule, when }) => rule === "required" && !when);
  return `const helps: Partial<Record<Field, string>> = {${helped.length > 0 ? `\n${helped.join("\n")}\n` : ""}};
/** What has to be filled in. */
const needed: readonly Field[] = [${taken
    .filter(isNeeded)
    .map(({ column }) => quote(column.name))
    .join(", ")}];
`;
}

/** What is told of stored values beside what somebody typed instead, where it is not what a control shows. */
function storedTexts(page: Page, used: Set<ControlName>): string {
  const texts = takenBy(page).flatMap((field) => {
    const { name, type } = field.column;
    const value = member("record", name);
    const text = tableChoices(field)
      ? `(view) => labelOf(view, ${quote(name)}, ${member("view.choices", name)})`
      : field.control === "file"
        ? `({ record }) => (${value} === null ? "" : toldSize(${value}))`
        : ["timestamptz", "timestamp", "boolean"].includes(type.kind)
          ? `({ record }) => (${value} === null ? "" : ${toldCode(page, "record", name)})`
          : null;
    return text === null ? [] : [`${keyOf(name)}: ${text},`];
  });
  if (texts.length === 0) return "";
  const hasLabels = texts.some((text) => text.includes("labelOf("));
  if (hasLabels) used.add("offered");
  const labelOf = `
/** What the stored choice is called. */
const labelOf = (view: FormView, name: Field, options: readonly Option[]): string =>
  offered(view, name, options).find(({ value }) => value === textsOf(view.record)[name])?.label ?? "";
`;
  return `/** What is stored, as people read it, where that is not what a control shows. */
const stored: Partial<Record<Field, (view: FormView) => string>> = {
${texts.join("\n")}
};
${hasLabels ? labelOf : ""}
`;
}

/** The text of the file. @throws NotPlain */
export function viewFile(page: Page): string {
  const { language } = page;
  const isNumber = ["integer", "decimal", "float"];
  if (
    page.fields.some(
      ({ column: { type } }) => hasOwnWay(type.kind, language) || (language !== "en" && isNumber.includes(type.kind)),
    )
  )
    throw new NotPlain(`numbers or days that are written in the way of its language (${language})`);
  const record = recordName(page);
  const type = typeName(page);
  const used = new Set<ControlName>();
  const taken = takenBy(page);
  const fixed = page.fields.filter((field) => !taken.includes(field));
  const blocks = groupsOf(page).map(({ name, fields }) => {
    const lines = fields.map((field) => {
      const isTaken = taken.includes(field);
      if (!isTaken) used.add("fixed");
      const line = isTaken
        ? fieldCode(page, field, used)
        : `\${fixed(${quote(field.label)}, ${toldCode(page, record, field.column.name)})}`;
      return field.when ? line.replace("${", `\${view.isOn(${quote(field.column.name)}) && `) : line;
    });
    const isAny = fields.map(({ column }) => `view.isOn(${quote(column.name)})`).join(" || ");
    if (name !== null && fields.every(({ when }) => when))
      return `\${(${isAny}) && html\`<fieldset><legend>${inHtml(name)}</legend>
    ${lines.join("\n    ")}
    </fieldset>\`}`;
    return name === null
      ? lines.join("\n    ")
      : `<fieldset><legend>${inHtml(name)}</legend>\n    ${lines.join("\n    ")}\n    </fieldset>`;
  });
  const hasChoices = taken.some((field) => tableChoices(field));
  const usesOptions = used.has("select") || used.has("radios");
  const withZone = tellsMoments(page, fixed);
  const isEditable = page.access.edit !== null;
  const texts = textsCode(page);
  const told = storedTexts(page, used);
  const say = (code: Parameters<typeof word>[1]): string => word(language, code);
  const keyShown = page.key.every((column) => page.fields.some((each) => each.column === column));
  const button = page.texts.save ? "saveText(view.record)" : "saveText";
  const groups = used.has("radios") || used.has("file");
  const labelled = blocks.some((block) => block.includes("options("));
  const isMarked = taken.some(
    ({ rules, control }) => control !== "check-box" && rules.some(({ rule, when }) => rule === "required" && !when),
  );
  const form = `html\`<form method="post" action="\${addressOf(${record})}/edit"${used.has("file") ? ' enctype="multipart/form-data"' : ""}>
\${byEnter}<input type="hidden" name="form.token" value="\${view.token}">${isMarked ? `\n<p class="help">${inHtml(say("needed-marked"))}</p>` : ""}\${fields}${page.reason ? "\n    ${reasonField(view)}" : ""}
<p><button>\${${button}}</button> <a href="\${list.address}">${inHtml(say("cancel"))}</a></p>
</form>\``;
  if (used.has("date") || used.has("moment")) used.add("line");
  if (used.has("line")) used.add("lines");
  return `import { byEnter, type Conflict, conflictNote, ${used.has("fixed") ? "fixed, " : ""}${usesOptions ? "type Option, " : ""}summary } from "../shared/form-html.js";
${used.has("file") ? 'import { toldSize } from "../shared/files.js";\n' : ""}import { Html, html, segment } from "../shared/html.js";
${texts.includes("actor: Actor") ? 'import type { Actor } from "./actor.js";\n' : ""}import { type Field, ${used.has("file") ? "type FileField, " : ""}labels, ${withZone ? "localTime, " : ""}type Problem, type ${type}, type Texts, textsOf } from "./form.js";
${used.has("finder") ? 'import { type Choices, type Find, mostFound } from "./sql.js";' : hasChoices ? 'import type { Choices } from "./sql.js";' : ""}

${texts}

${helpTexts(page)}
export interface FormView {
  readonly record: ${type};
${hasConditions(page) ? "  /** Whether a field is on this form. */\n  readonly isOn: (field: string) => boolean;\n" : ""}  /** What the controls show: what is stored, or what was typed. */
  readonly texts: Texts;
${hasChoices ? "  readonly choices: Choices;\n" : ""}${used.has("finder") ? "  /** What was looked for. */\n  readonly find?: Find;\n" : ""}  readonly token: string;
${isEditable ? "  readonly isLocked?: boolean;\n" : ""}  readonly said?: string | undefined;
  readonly problems?: readonly Problem[];
  readonly conflicts?: readonly Conflict<Field>[];
${page.reason ? "  readonly reason?: string;\n" : ""}}

/** The page of one record's form. */
export function formPage(view: FormView): { readonly title: string; readonly content: Html } {
  const { record: ${record}${hasChoices ? ", choices" : ""}, problems = [], conflicts = [] } = view;
  const title = titleOf(${record});
  const isWrong = problems.length + conflicts.length > 0;
  const fields = html\`
    ${blocks.join("\n    ")}\`;
  const content = html\`<p><a href="\${list.address}">\${list.title}</a></p>
<h1>\${title}</h1>
${keyShown ? "" : `<p>${page.key.map((column) => `${inHtml(column.name)}: \${${member(record, column.name)}}`).join(", ")}</p>\n`}\${view.said !== undefined && html\`<p class="said" role="status">\${view.said}</p>\`}
\${isWrong && summary({ problems, conflicts, labels, button: ${button} })}
${isEditable ? `\${view.isLocked ? html\`<p class="locked" role="status">\${lockedText}</p><fieldset disabled>\${fields}</fieldset>\` : ${form}}` : `\${${form}}`}\`;
  return { title: isWrong ? ${filled(page, "put-right", { title: "title" })} : title, content };
}

${told}type Around = { unit?: string${used.has("box") ? "; isBox?: true" : ""}${groups ? "; isGroup?: true" : ""} };

/** One field: its label, help, control, and what is wrong with it. */
function field(view: FormView, name: Field, control: Html, around: Around = {}): Html {
  const { unit } = around;
  const problems = view.problems?.filter((problem) => problem.field === name) ?? [];
  const conflict = view.conflicts?.find((each) => each.field === name);
  const help = helps[name];
  const mark = isNeeded(view, name) && html\` class="needed"\`;
  const label = ${groups ? "around.isGroup ? html`<legend${mark}>${labels[name]}</legend>` : " : ""}html\`<label for="\${name}"\${mark}>\${labels[name]}</label>\`;
  const unitText = unit !== undefined && html\` <span class="unit">\${unit}</span>\`;
  const parts = html\`${used.has("box") ? "${around.isBox ? [control, label] : label}" : "${label}"}\${help !== undefined && html\`<p class="help" id="\${name}-help">\${help}</p>\`}\${${used.has("box") ? "!around.isBox && " : ""}control}\${unitText}\`;
  const wrong = html\`\${problems.length > 0 && html\`<p class="problem" id="\${name}-problem">\${problems.map(({ message }) => message).join(" ")}</p>\`}\${conflict && conflictNote(conflict, ${told === "" ? "" : "stored[name]?.(view) ?? "}textsOf(view.record)[name], labels[name])}\`;
  return ${groups ? 'around.isGroup ? html`<fieldset class="field">${parts}${wrong}</fieldset>` : ' : ""}html\`<div class="field">\${parts}\${wrong}</div>\`;
}

/** Only what is there may not be emptied: an old record that lacks it can still be changed elsewhere. */
const isNeeded = ({ texts, record }: FormView, name: Field): boolean =>
  needed.includes(name) && (texts[name] !== "" || textsOf(record)[name] !== "");

/** What every control has. */
const shared = (view: FormView, name: Field): Html => html\`id="\${name}" \${described(view, name)}\`;

function described(view: FormView, name: Field): Html {
  const isWrong = view.problems?.some(({ field }) => field === name);
  const by = [helps[name] && \`\${name}-help\`, isWrong && \`\${name}-problem\`].filter(Boolean).join(" ");
  return html\`name="\${name}"\${by !== "" && html\` aria-describedby="\${by}"\`}\${isWrong && html\` aria-invalid="true"\`}\${isNeeded(view, name) && html\` aria-required="true"\`}\`;
}
${labelled ? "\nconst options = (...values: readonly string[]): readonly Option[] => values.map((value) => ({ value, label: value }));\n" : ""}
${[...used].map((name) => controlTexts[name](page)).join("\n\n")}

${page.reason ? reasonField(page) : ""}
${withZone ? momentText : ""}
`;
}

const reasonField = (page: Page): string => `/** Why it is changed, for the log. */
const reasonField = (view: FormView): Html => html\`<div class="field"><label for="reason">${inHtml(word(page.language, "reason"))}</label><p class="help">${inHtml(word(page.language, "reason-help"))}</p><textarea id="reason" name="form.reason" rows="2" maxlength="1000">\\n\${view.reason}</textarea>\${view.problems?.filter(({ field }) => field === "reason").map(({ message }) => html\`<p class="problem">\${message}</p>\`)}</div>\`;
`;

const momentText = `/** A stored moment as people read it, to the second. */
const toldMoment = (stored: string | null): string => (stored === null ? "–" : localTime(stored).replace(/(:\\d\\d)\\.\\d+/, "$1"));
`;

/** Fields that stand together under a heading, in their order. */
function groupsOf(page: Page): readonly { readonly name: string | null; readonly fields: readonly Field[] }[] {
  const groups: { name: string | null; fields: Field[] }[] = [];
  for (const field of page.fields) {
    const last = groups.at(-1);
    if (last && last.name === (field.group ?? null)) last.fields.push(field);
    else groups.push({ name: field.group ?? null, fields: [field] });
  }
  return groups;
}
