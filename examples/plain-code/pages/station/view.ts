import { byEnter, type Conflict, conflictNote, fixed, type Option, summary } from "../shared/form-html.js";
import { Html, html, idOf, segment } from "../shared/html.js";
import { type Field, labels, type Problem, type Station, type Texts, textsOf } from "./form.js";
import type { Choices } from "./sql.js";

/** Where the records are listed: the way back. */
export const list = { address: "/stations", title: "Stations" };
export const addressOf = (station: Station): string => `${list.address}/${segment(station.code)}`;

export const titleOf = (station: Station): string => `Station ${station.code}, ${station.name}`;
export const savedText = (station: Station): string => `${station.code}, ${station.name}, is saved.`;
export const unchangedText = (station: Station): string => `Nothing was changed in ${titleOf(station)}.`;
const saveText = "Update";

// row.status != "retired"
export const mayEdit = (station: Station): boolean => station.status !== "retired";
export const lockedText = "A retired station is kept as it was.";

const helps: Partial<Record<Field, string>> = {
  alert_m: "Above the gauge's zero.",
  warning_m: "Above the gauge's zero. People are called out at this level.",
  telemetry: "Whether the station reports by itself.",
};
/** What has to be filled in. */
const needed: readonly Field[] = ["name", "river_id", "region_id", "grid_reference", "status", "alert_m", "warning_m"];

export interface FormView {
  readonly record: Station;
  /** What the controls show: what is stored, or what was typed. */
  readonly texts: Texts;
  readonly choices: Choices;
  readonly token: string;
  /** Where the routes are mounted. */
  readonly base: string;
  readonly isLocked?: boolean;
  readonly said?: string | undefined;
  readonly problems?: readonly Problem[];
  readonly conflicts?: readonly Conflict<Field>[];
}

/** The page of one record's form. */
export function formPage(view: FormView): { readonly title: string; readonly content: Html } {
  const { record: station, choices, problems = [], conflicts = [] } = view;
  const title = titleOf(station);
  const isWrong = problems.length + conflicts.length > 0;
  const fields = html`
    ${fixed("Code", station.code)}
    ${field(view, "name", line(view, "name", 'type="text" autocomplete="off"'))}
    ${field(view, "river_id", select(view, "river_id", choices.river_id, false))}
    ${field(view, "region_id", select(view, "region_id", choices.region_id, false))}
    ${field(view, "grid_reference", line(view, "grid_reference", 'type="text" autocomplete="off"'))}
    ${field(view, "status", select(view, "status", options("planned", "live", "suspended", "retired"), false))}
    ${field(view, "alert_m", line(view, "alert_m", 'type="text" inputmode="decimal" autocomplete="off"'), { unit: "m" })}
    ${field(view, "warning_m", line(view, "warning_m", 'type="text" inputmode="decimal" autocomplete="off"'), { unit: "m" })}
    ${field(view, "telemetry", box(view, "telemetry"), { isBox: true })}
    ${field(view, "installed_on", date(view, "installed_on"))}
    ${field(view, "notes", lines(view, "notes"))}`;
  const content = html`<p><a href="${view.base}${list.address}">${list.title}</a></p>
<h1>${title}</h1>
${view.said !== undefined && html`<p class="said" role="status">${view.said}</p>`}
${isWrong && summary({ problems, conflicts, labels, button: saveText })}
${
  view.isLocked
    ? html`<p class="locked" role="status">${lockedText}</p><fieldset disabled>${fields}</fieldset>`
    : html`<form method="post" action="${view.base}${addressOf(station)}/edit">
${byEnter}<input type="hidden" name="form.token" value="${view.token}">
<p class="help">Fields marked * have to be filled in.</p>${fields}
<p><button>${saveText}</button> <a href="${view.base}${list.address}">Cancel</a></p>
</form>`
}`;
  return { title: isWrong ? `Error: ${title}` : title, content };
}

/** What is stored, as people read it, where that is not what a control shows. */
const stored: Partial<Record<Field, (view: FormView) => string>> = {
  river_id: (view) => labelOf(view, "river_id", view.choices.river_id),
  region_id: (view) => labelOf(view, "region_id", view.choices.region_id),
  telemetry: ({ record }) => (record.telemetry === null ? "" : record.telemetry === "true" ? "Yes" : "No"),
};

/** What the stored choice is called. */
const labelOf = (view: FormView, name: Field, options: readonly Option[]): string =>
  offered(view, name, options).find(({ value }) => value === textsOf(view.record)[name])?.label ?? "";

type Around = { unit?: string; isBox?: true };

/** One field: its label, help, control, and what is wrong with it. */
function field(view: FormView, name: Field, control: Html, around: Around = {}): Html {
  const { unit } = around;
  const problems = view.problems?.filter((problem) => problem.field === name) ?? [];
  const conflict = view.conflicts?.find((each) => each.field === name);
  const help = helps[name];
  const mark = isNeeded(view, name) && html` class="needed"`;
  const label = html`<label for="${idOf(name)}"${mark}>${labels[name]}</label>`;
  const unitText = unit !== undefined && html` <span class="unit">${unit}</span>`;
  const parts = html`${around.isBox ? [control, label] : label}${help !== undefined && html`<p class="help" id="${idOf(name, "help")}">${help}</p>`}${!around.isBox && control}${unitText}`;
  const wrong = html`${problems.length > 0 && html`<p class="problem" id="${idOf(name, "problem")}">${problems.map(({ message }) => message).join(" ")}</p>`}${conflict && conflictNote(conflict, stored[name]?.(view) ?? textsOf(view.record)[name], labels[name])}`;
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

const options = (...values: readonly string[]): readonly Option[] => values.map((value) => ({ value, label: value }));

/** One line of text. Line breaks would be lost in it: a text that has some stands in several lines. */
const line = (view: FormView, name: Field, attributes = 'type="text"'): Html =>
  /[\r\n]/.test(view.texts[name] + textsOf(view.record)[name])
    ? lines(view, name)
    : html`<input ${shared(view, name)} ${new Html(attributes)} value="${view.texts[name]}">`;

/** What is stored or was sent and is not among the options stays chosen, and is marked. */
function offered(view: FormView, name: Field, options: readonly Option[]): readonly Option[] {
  const [text, stored] = [view.texts[name], textsOf(view.record)[name]];
  const isMissing = (value: string): boolean => value !== "" && options.every((option) => option.value !== value);
  return [
    ...(text !== stored && isMissing(text) ? [{ value: text, label: `${text} (not offered)` }] : []),
    ...(isMissing(stored) ? [{ value: stored, label: `${stored} (no longer offered)` }] : []),
    ...options,
  ];
}

/** One of these options. */
function select(view: FormView, name: Field, options: readonly Option[], isNullable: boolean): Html {
  const text = view.texts[name];
  const all = offered(view, name, options);
  const none = (isNullable || text === "") && html`<option value="">–</option>`;
  return html`<select ${shared(view, name)}>${none}${all.map(({ value, label }) => html`<option value="${value}"${value === text && html` selected`}>${label}</option>`)}</select>`;
}

/** Yes or no. A box that is not ticked sends nothing: the hidden control says that it was on the form. */
const box = (view: FormView, name: Field): Html =>
  html`<input type="hidden" name="${name}.box" value="false"><input ${shared(view, name)} type="checkbox" value="true"${view.texts[name] === "true" && html` checked`}>`;

/** A day. What such a control could not show, it would drop: then it is a line of text. */
const date = (view: FormView, name: Field): Html => {
  const isShown = [view.texts[name], textsOf(view.record)[name]].every((text) =>
    /^((?!0000)\d{4}-\d\d-\d\d)?$/.test(text),
  );
  return isShown ? line(view, name, 'type="date" max="9999-12-31"') : line(view, name);
};

/** Several lines. The line break after the tag is dropped by the browser (HTML, 13.2.6.4.7). */
const lines = (view: FormView, name: Field): Html =>
  html`<textarea ${shared(view, name)} rows="5">\n${view.texts[name]}</textarea>`;
