import { word } from "@loyal-quill/core/messages/messages";
import type { Field, Page } from "@loyal-quill/core/page/page";
import { hasOwnWay } from "@loyal-quill/core/values/in-language";
import { NotPlain, PlainCode } from "./logic.js";
import { hasConditions, tableChoices, takenBy } from "./parts.js";
import { keyOf, member, quote, recordName, templateLiteral, typeName } from "./source.js";
import { tellsMoments, toldCode } from "./told.js";
import { type ControlName, controlTexts, fieldCode, filled, inHtml } from "./view-fields.js";

/* The file with the page's HTML. */

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
export const addressOf = (${record}: ${type}): string => \`\${list.address}/${page.key.map(({ name }) => `\${segment(${member(record, name)})}`).join("/")}\`;

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
  const form = `html\`<form method="post" action="\${view.base}\${addressOf(${record})}/edit"${used.has("file") ? ' enctype="multipart/form-data"' : ""}>
\${byEnter}<input type="hidden" name="form.token" value="\${view.token}">${isMarked ? `\n<p class="help">${inHtml(say("needed-marked"))}</p>` : ""}\${fields}${page.reason ? "\n    ${reasonField(view)}" : ""}
<p><button>\${${button}}</button> <a href="\${view.base}\${list.address}">${inHtml(say("cancel"))}</a></p>
</form>\``;
  if (used.has("date") || used.has("moment")) used.add("line");
  if (used.has("line")) used.add("lines");
  return `import { byEnter, type Conflict, conflictNote, ${used.has("fixed") ? "fixed, " : ""}${usesOptions ? "type Option, " : ""}summary } from "../shared/form-html.js";
${used.has("file") ? 'import { toldSize } from "../shared/files.js";\n' : ""}import { Html, html, idOf, segment } from "../shared/html.js";
${texts.includes("actor: Actor") ? 'import type { Actor } from "./actor.js";\n' : ""}import { type Field, ${used.has("file") ? "type FileField, " : ""}labels, ${withZone ? "localTime, " : ""}type Problem, type ${type}, type Texts, textsOf } from "./form.js";
${used.has("finder") ? 'import { type Choices, type Find, mostFound } from "./sql.js";' : hasChoices ? 'import type { Choices } from "./sql.js";' : ""}

${texts}

${helpTexts(page)}
export interface FormView {
  readonly record: ${type};
${hasConditions(page) ? "  /** Whether a field is on this form. */\n  readonly isOn: (field: string) => boolean;\n" : ""}  /** What the controls show: what is stored, or what was typed. */
  readonly texts: Texts;
${hasChoices ? "  readonly choices: Choices;\n" : ""}${used.has("finder") ? "  /** What was looked for. */\n  readonly find?: Find;\n" : ""}  readonly token: string;
  /** Where the routes are mounted. */
  readonly base: string;
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
  const content = html\`<p><a href="\${view.base}\${list.address}">\${list.title}</a></p>
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
  const label = ${groups ? "around.isGroup ? html`<legend${mark}>${labels[name]}</legend>` : " : ""}html\`<label for="\${idOf(name)}"\${mark}>\${labels[name]}</label>\`;
  const unitText = unit !== undefined && html\` <span class="unit">\${unit}</span>\`;
  const parts = html\`${used.has("box") ? "${around.isBox ? [control, label] : label}" : "${label}"}\${help !== undefined && html\`<p class="help" id="\${idOf(name, "help")}">\${help}</p>\`}\${${used.has("box") ? "!around.isBox && " : ""}control}\${unitText}\`;
  const wrong = html\`\${problems.length > 0 && html\`<p class="problem" id="\${idOf(name, "problem")}">\${problems.map(({ message }) => message).join(" ")}</p>\`}\${conflict && conflictNote(conflict, ${told === "" ? "" : "stored[name]?.(view) ?? "}textsOf(view.record)[name], labels[name])}\`;
  return ${groups ? 'around.isGroup ? html`<fieldset class="field">${parts}${wrong}</fieldset>` : ' : ""}html\`<div class="field">\${parts}\${wrong}</div>\`;
}

/** Only what is there may not be emptied: an old record that lacks it can still be changed elsewhere. */
const isNeeded = ({ texts, record }: FormView, name: Field): boolean =>
  needed.includes(name) && (texts[name] !== "" || textsOf(record)[name] !== "");

/** What every control has. */
const shared = (view: FormView, name: Field): Html => html\`id="\${idOf(name)}" \${described(view, name)}\`;

function described(view: FormView, name: Field): Html {
  const isWrong = view.problems?.some(({ field }) => field === name);
  const by = [helps[name] && idOf(name, "help"), isWrong && idOf(name, "problem")].filter(Boolean).join(" ");
  return html\`name="\${name}"\${by !== "" && html\` aria-describedby="\${by}"\`}\${isWrong && html\` aria-invalid="true"\`}\${isNeeded(view, name) && html\` aria-required="true"\`}\`;
}
${labelled ? "\nconst options = (...values: readonly string[]): readonly Option[] => values.map((value) => ({ value, label: value }));\n" : ""}
${[...used].map((name) => controlTexts[name](page)).join("\n\n")}

${page.reason ? reasonField(page) : ""}
${withZone ? momentText : ""}
`;
}

const reasonField = (page: Page): string => `/** Why it is changed, for the log. */
function reasonField(view: FormView): Html {
  const name = "form.reason";
  const problems = view.problems?.filter(({ field }) => field === name) ?? [];
  const isWrong = problems.length > 0;
  const wrong = isWrong && html\`<p class="problem" id="\${idOf(name, "problem")}">\${problems.map(({ message }) => message)}</p>\`;
  return html\`<div class="field"><label for="\${idOf(name)}">${inHtml(word(page.language, "reason"))}</label><p class="help" id="\${idOf(name, "help")}">${inHtml(word(page.language, "reason-help"))}</p><textarea id="\${idOf(name)}" name="\${name}" rows="2" maxlength="1000" aria-describedby="\${idOf(name, "help")}\${isWrong && \` \${idOf(name, "problem")}\`}"\${isWrong && html\` aria-invalid="true"\`}>\\n\${view.reason}</textarea>\${wrong}</div>\`;
}
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
