import { byEnter, type Conflict, conflictNote, fixed, type Option, summary } from "../shared/form-html.js";
import { toldSize } from "../shared/files.js";
import { Html, html, idOf, segment } from "../shared/html.js";
import {
  type Field,
  type FileField,
  labels,
  localTime,
  type Problem,
  type Visit,
  type Texts,
  textsOf,
} from "./form.js";
import { type Choices, type Find, mostFound } from "./sql.js";

/** Where the records are listed: the way back. */
export const list = { address: "/visits", title: "Visits" };
export const addressOf = (visit: Visit): string => `${list.address}/${segment(visit.id)}`;

export const titleOf = (visit: Visit): string => `Visit to ${visit.station_code}, ${toldMoment(visit.visited_at)}`;
export const savedText = (visit: Visit): string => `${titleOf(visit)} is saved.`;
export const unchangedText = (visit: Visit): string => `Nothing was changed in ${titleOf(visit)}.`;
const saveText = "Update";

const helps: Partial<Record<Field, string>> = {
  follow_up_on: "When somebody should look again.",
};
/** What has to be filled in. */
const needed: readonly Field[] = ["station_code", "visitor_id", "visited_at"];

export interface FormView {
  readonly record: Visit;
  /** What the controls show: what is stored, or what was typed. */
  readonly texts: Texts;
  readonly choices: Choices;
  /** What was looked for. */
  readonly find?: Find;
  readonly token: string;
  /** Where the routes are mounted. */
  readonly base: string;
  readonly said?: string | undefined;
  readonly problems?: readonly Problem[];
  readonly conflicts?: readonly Conflict<Field>[];
}

/** The page of one record's form. */
export function formPage(view: FormView): { readonly title: string; readonly content: Html } {
  const { record: visit, choices, problems = [], conflicts = [] } = view;
  const title = titleOf(visit);
  const isWrong = problems.length + conflicts.length > 0;
  const fields = html`
    ${field(view, "station_code", html`${select(view, "station_code", shownOf(choices.station_code), false)} ${finder(view, "station_code")}`)}
    ${field(view, "visitor_id", select(view, "visitor_id", choices.visitor_id, false))}
    ${field(view, "visited_at", moment(view, "visited_at"))}
    ${field(view, "level_read_m", line(view, "level_read_m", 'type="text" inputmode="decimal" autocomplete="off"'), { unit: "m" })}
    ${field(view, "findings", lines(view, "findings"))}
    ${field(view, "follow_up_on", date(view, "follow_up_on"))}
    ${field(view, "photo", file(view, "photo", true, 'accept="image/jpeg,image/png"'), { isGroup: true })}
    ${fixed("Recorded by", visit.recorded_by ?? "–")}
    ${fixed("Recorded at", toldMoment(visit.recorded_at))}`;
  const content = html`<p><a href="${view.base}${list.address}">${list.title}</a></p>
<h1>${title}</h1>
<p>id: ${visit.id}</p>
${view.said !== undefined && html`<p class="said" role="status">${view.said}</p>`}
${isWrong && summary({ problems, conflicts, labels, button: saveText })}
${html`<form method="post" action="${view.base}${addressOf(visit)}/edit" enctype="multipart/form-data">
${byEnter}<input type="hidden" name="form.token" value="${view.token}">
<p class="help">Fields marked * have to be filled in.</p>${fields}
<p><button>${saveText}</button> <a href="${view.base}${list.address}">Cancel</a></p>
</form>`}`;
  return { title: isWrong ? `Error: ${title}` : title, content };
}

/** What is stored, as people read it, where that is not what a control shows. */
const stored: Partial<Record<Field, (view: FormView) => string>> = {
  station_code: (view) => labelOf(view, "station_code", view.choices.station_code),
  visitor_id: (view) => labelOf(view, "visitor_id", view.choices.visitor_id),
  visited_at: ({ record }) => (record.visited_at === null ? "" : toldMoment(record.visited_at)),
  photo: ({ record }) => (record.photo === null ? "" : toldSize(record.photo)),
};

/** What the stored choice is called. */
const labelOf = (view: FormView, name: Field, options: readonly Option[]): string =>
  offered(view, name, options).find(({ value }) => value === textsOf(view.record)[name])?.label ?? "";

type Around = { unit?: string; isGroup?: true };

/** One field: its label, help, control, and what is wrong with it. */
function field(view: FormView, name: Field, control: Html, around: Around = {}): Html {
  const { unit } = around;
  const problems = view.problems?.filter((problem) => problem.field === name) ?? [];
  const conflict = view.conflicts?.find((each) => each.field === name);
  const help = helps[name];
  const mark = isNeeded(view, name) && html` class="needed"`;
  const label = around.isGroup
    ? html`<legend${mark}>${labels[name]}</legend>`
    : html`<label for="${idOf(name)}"${mark}>${labels[name]}</label>`;
  const unitText = unit !== undefined && html` <span class="unit">${unit}</span>`;
  const parts = html`${label}${help !== undefined && html`<p class="help" id="${idOf(name, "help")}">${help}</p>`}${control}${unitText}`;
  const wrong = html`${problems.length > 0 && html`<p class="problem" id="${idOf(name, "problem")}">${problems.map(({ message }) => message).join(" ")}</p>`}${conflict && conflictNote(conflict, stored[name]?.(view) ?? textsOf(view.record)[name], labels[name])}`;
  return around.isGroup
    ? html`<fieldset class="field">${parts}${wrong}</fieldset>`
    : html`<div class="field">${parts}${wrong}</div>`;
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

/** What is stored or was sent and is not among the options stays chosen, and is marked. */
function offered(view: FormView, name: Field, options: readonly Option[]): readonly Option[] {
  const [text, stored] = [view.texts[name], textsOf(view.record)[name]];
  const isMissing = (value: string): boolean => value !== "" && options.every((option) => option.value !== value);
  return [
    ...(text !== stored && isMissing(text) ? [{ value: text, label: `${text} (not offered)` }] : []),
    ...(isMissing(stored) ? [{ value: stored, label: `${stored} (no longer offered)` }] : []),
    ...options.map((option) => (option.gone ? { ...option, label: `${option.label} (no longer offered)` } : option)),
  ];
}

/** What is stored or chosen, and what was found, without what is more. */
const shownOf = (options: readonly Option[]): readonly Option[] => [
  ...options.filter(({ isFound }) => !isFound),
  ...options.filter(({ isFound }) => isFound).slice(0, mostFound),
];

/** A text to find among the choices, and what it found. */
function finder(view: FormView, name: "station_code"): Html {
  const text = view.find?.[name];
  const found = view.choices[name].filter(({ isFound }) => isFound).length;
  const count = Math.min(found, mostFound);
  const told =
    found === 0
      ? `Nothing contains “${text ?? ""}”.`
      : found > mostFound
        ? `The first ${count} are shown: type more to find fewer.`
        : `${count} found: choose one.`;
  return html`<input type="search" name="form.find:${name}" aria-label="${`Find in ${labels[name]}`}" autocomplete="off"> <button class="minor" name="form.look" value="${name}" formnovalidate>Find<span class="unseen"> (${labels[name]})</span></button>${text !== undefined && html`<p class="found" role="status">${told}</p>`}`;
}

/** One of these options. */
function select(view: FormView, name: Field, options: readonly Option[], isNullable: boolean): Html {
  const text = view.texts[name];
  const all = offered(view, name, options);
  const none = (isNullable || text === "") && html`<option value="">–</option>`;
  return html`<select ${shared(view, name)}>${none}${all.map(({ value, label }) => html`<option value="${value}"${value === text && html` selected`}>${label}</option>`)}</select>`;
}

/** A day and a time. What such a control could not show, it would drop: then it is a line of text. */
const moment = (view: FormView, name: Field): Html => {
  const text = view.texts[name];
  const form = /^((?!0000)\d{4}-\d\d-\d\dT\d\d:\d\d(:\d\d(\.\d{1,3})?)?)?$/;
  const isShown = form.test(text) && form.test(textsOf(view.record)[name]);
  return isShown
    ? line(view, name, `type="datetime-local" step="${text.includes(".") ? "0.001" : "1"}"`)
    : line(view, name);
};

/** One line of text. Line breaks would be lost in it: a text that has some stands in several lines. */
const line = (view: FormView, name: Field, attributes = 'type="text"'): Html =>
  /[\r\n]/.test(view.texts[name] + textsOf(view.record)[name])
    ? lines(view, name)
    : html`<input ${shared(view, name)} ${new Html(attributes)} value="${view.texts[name]}">`;

/** Several lines. The line break after the tag is dropped by the browser (HTML, 13.2.6.4.7). */
const lines = (view: FormView, name: Field): Html =>
  html`<textarea ${shared(view, name)} rows="5">\n${view.texts[name]}</textarea>`;

/** A day. What such a control could not show, it would drop: then it is a line of text. */
const date = (view: FormView, name: Field): Html => {
  const isShown = [view.texts[name], textsOf(view.record)[name]].every((text) =>
    /^((?!0000)\d{4}-\d\d-\d\d)?$/.test(text),
  );
  return isShown ? line(view, name, 'type="date" max="9999-12-31"') : line(view, name);
};

/** A file: the way to the stored one, a control to choose another, and a box that takes it away. */
function file(view: FormView, name: FileField, isNullable: boolean, accept = ""): Html {
  const stored = view.record[name];
  const way =
    stored !== null &&
    html`<p><a href="${view.base}${addressOf(view.record)}/${segment(name)}" download>${`Download (${toldSize(stored)})`}<span class="unseen"> (${labels[name]})</span></a></p>`;
  const remove =
    stored !== null &&
    isNullable &&
    html` <input type="checkbox" id="${idOf(name, "remove")}" name="form.remove:${name}" value="true"> <label for="${idOf(name, "remove")}">Remove the stored file</label>`;
  return html`${way}<input type="file" ${shared(view, name)} ${new Html(accept)} aria-label="Choose a file">${remove}`;
}

/** A stored moment as people read it, to the second. */
const toldMoment = (stored: string | null): string =>
  stored === null ? "–" : localTime(stored).replace(/(:\d\d)\.\d+/, "$1");
