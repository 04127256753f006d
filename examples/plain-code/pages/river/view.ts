import { byEnter, type Conflict, conflictNote, summary } from "../shared/form-html.js";
import { Html, html, idOf, segment } from "../shared/html.js";
import { type Field, labels, type Problem, type River, type Texts, textsOf } from "./form.js";

/** Where the records are listed: the way back. */
export const list = { address: "/rivers", title: "Rivers" };
export const addressOf = (river: River): string => `${list.address}/${segment(river.id)}`;

export const titleOf = (river: River): string => `River ${river.name}`;
export const savedText = (river: River): string => `${titleOf(river)} is saved.`;
export const unchangedText = (river: River): string => `Nothing was changed in ${titleOf(river)}.`;
const saveText = "Update";

const helps: Partial<Record<Field, string>> = {};
/** What has to be filled in. */
const needed: readonly Field[] = ["name"];

export interface FormView {
  readonly record: River;
  /** What the controls show: what is stored, or what was typed. */
  readonly texts: Texts;
  readonly token: string;
  /** Where the routes are mounted. */
  readonly base: string;
  readonly said?: string | undefined;
  readonly problems?: readonly Problem[];
  readonly conflicts?: readonly Conflict<Field>[];
}

/** The page of one record's form. */
export function formPage(view: FormView): { readonly title: string; readonly content: Html } {
  const { record: river, problems = [], conflicts = [] } = view;
  const title = titleOf(river);
  const isWrong = problems.length + conflicts.length > 0;
  const fields = html`
    ${field(view, "name", line(view, "name", 'type="text" autocomplete="off"'))}
    ${field(view, "length_km", line(view, "length_km", 'type="text" inputmode="decimal" autocomplete="off"'), { unit: "km" })}`;
  const content = html`<p><a href="${view.base}${list.address}">${list.title}</a></p>
<h1>${title}</h1>
<p>id: ${river.id}</p>
${view.said !== undefined && html`<p class="said" role="status">${view.said}</p>`}
${isWrong && summary({ problems, conflicts, labels, button: saveText })}
${html`<form method="post" action="${view.base}${addressOf(river)}/edit">
${byEnter}<input type="hidden" name="form.token" value="${view.token}">
<p class="help">Fields marked * have to be filled in.</p>${fields}
<p><button>${saveText}</button> <a href="${view.base}${list.address}">Cancel</a></p>
</form>`}`;
  return { title: isWrong ? `Error: ${title}` : title, content };
}

type Around = { unit?: string };

/** One field: its label, help, control, and what is wrong with it. */
function field(view: FormView, name: Field, control: Html, around: Around = {}): Html {
  const { unit } = around;
  const problems = view.problems?.filter((problem) => problem.field === name) ?? [];
  const conflict = view.conflicts?.find((each) => each.field === name);
  const help = helps[name];
  const mark = isNeeded(view, name) && html` class="needed"`;
  const label = html`<label for="${idOf(name)}"${mark}>${labels[name]}</label>`;
  const unitText = unit !== undefined && html` <span class="unit">${unit}</span>`;
  const parts = html`${label}${help !== undefined && html`<p class="help" id="${idOf(name, "help")}">${help}</p>`}${control}${unitText}`;
  const wrong = html`${problems.length > 0 && html`<p class="problem" id="${idOf(name, "problem")}">${problems.map(({ message }) => message).join(" ")}</p>`}${conflict && conflictNote(conflict, textsOf(view.record)[name], labels[name])}`;
  return html`<div class="field">${parts}${wrong}</div>`;
}

/** Only what is there may not be emptied: an old record that lacks it can still be changed elsewhere. */
const isNeeded = ({ texts, record }: FormView, name: Field): boolean =>
  needed.includes(name) && (texts[name] !== "" || textsOf(record)[name] !== "");

/** What every control has. */
const shared = (view: FormView, name: Field): Html => html`id="${idOf(name)}" ${described(view, name)}`;

function described(view: FormView, name: Field): Html {
  const isWrong = view.problems?.some(({ field }) => field === name);
  const by = [helps[name] && idOf(name, "help"), isWrong && idOf(name, "problem")].filter(Boolean).join(" ");
  return html`name="${name}"${by !== "" && html` aria-describedby="${by}"`}${isWrong && html` aria-invalid="true"`}${isNeeded(view, name) && html` aria-required="true"`}`;
}

/** One line of text. Line breaks would be lost in it: a text that has some stands in several lines. */
const line = (view: FormView, name: Field, attributes = 'type="text"'): Html =>
  /[\r\n]/.test(view.texts[name] + textsOf(view.record)[name])
    ? lines(view, name)
    : html`<input ${shared(view, name)} ${new Html(attributes)} value="${view.texts[name]}">`;

/** Several lines. The line break after the tag is dropped by the browser (HTML, 13.2.6.4.7). */
const lines = (view: FormView, name: Field): Html =>
  html`<textarea ${shared(view, name)} rows="5">\n${view.texts[name]}</textarea>`;
