import { attributes, html, type Markup } from "../markup/markup.js";
import type { Word } from "../messages/catalog.js";
import { word } from "../messages/messages.js";
import { memoizePerPage } from "../page/memoize-per-page.js";
import {
  answerName,
  carriedName,
  chosenName,
  fileName,
  leftName,
  newName,
  reasonName,
  sessionName,
} from "../page/names.js";
import type { Page } from "../page/page.js";
import { queryText, spreadsheetSegment, uploadSegment } from "../settings/bound/path.js";
import { fileFormats, mediaTypes } from "../spreadsheet/sheet.js";
import type { Frame } from "../views/frame.js";
import type { PageParts } from "../views/page-parts.js";
import type { UploadRow, UploadState, UploadView } from "../views/upload-view.js";
import { sendWords } from "./form.js";
import { headingOf, partsOf } from "./layout.js";

/** So many rows of a state are shown; of the others their number. */
const mostShown = 10_000;

/** The states in the order in which somebody looks at them, each with its heading. */
const states: readonly (readonly [UploadState, Word])[] = [
  ["refused", "upload-refused"],
  ["conflict", "upload-conflicts"],
  ["twice", "upload-rows-twice"],
  ["gone", "upload-gone"],
  ["locked", "upload-locked"],
  ["foreign", "upload-not-ours"],
  ["changed", "upload-changed"],
  ["merged", "upload-merged"],
  ["new", "upload-new"],
  ["ignored", "upload-ignored"],
];

const idOf = (state: UploadState): string => `rows-${state}`;

function rowBlock(view: UploadView, row: UploadRow): Markup {
  const { language } = view.page;
  const say = (code: Word, places?: Record<string, string | number>): string => word(language, code, places);
  const lines = row.cells.map(
    ({ label, old, new: now, problem, theirs }) =>
      html`<tr><th scope="row">${label}</th><td><bdi>${old}</bdi></td><td><bdi>${now}</bdi>${problem && html`<p class="quill-problem">${problem}</p>`}${theirs !== null && html`<p class="quill-conflict">${say("stored-now")} <q dir="auto">${theirs}</q></p>`}</td></tr>`,
  );
  const table =
    lines.length > 0 &&
    html`<table><thead><tr><th scope="col">${say("field")}</th><th scope="col">${say("value-before")}</th><th scope="col">${say("value-after")}</th></tr></thead><tbody>${lines}</tbody></table>`;
  const name = `${chosenName}${row.line}`;
  const choice =
    row.state === "conflict" &&
    html`<fieldset class="quill-options"><legend>${say("upload-choose")}</legend>${(["mine", "theirs"] as const).map((each) => html`<span class="quill-option"><input${attributes({ type: "radio", name, value: each, checked: (each === "mine") === (row.isMine === true), id: `${name}-${each}` })}><label for="${name}-${each}">${say(each === "mine" ? "upload-mine" : "upload-theirs")}</label></span>`)}</fieldset>`;
  return html`<li><h3>${row.title === "" ? say("upload-line", { line: row.line }) : say("upload-line-of", { line: row.line, title: row.title })}</h3>${row.said && html`<p class="quill-problem">${row.said}</p>`}${table}${choice}</li>`;
}

function section(view: UploadView, state: UploadState, heading: Word): Markup | null {
  const rows = view.rows.filter((each) => each.state === state);
  if (rows.length === 0) return null;
  const { language } = view.page;
  const more =
    rows.length > mostShown && html`<p>${word(language, "upload-more", { count: rows.length - mostShown })}</p>`;
  return html`<section aria-labelledby="${idOf(state)}" data-rows><h2 id="${idOf(state)}" tabindex="-1">${word(language, heading, { count: rows.length })}</h2><ol class="quill-history">${rows.slice(0, mostShown).map((row) => rowBlock(view, row))}</ol>${more}</section>`;
}

/** What a file comes to, in numbers that lead to the rows. */
function summary(view: UploadView): Markup {
  const { language } = view.page;
  const lines = states.flatMap(([state, heading]) => {
    const count = view.rows.filter((each) => each.state === state).length;
    return count === 0 ? [] : [html`<li><a href="#${idOf(state)}">${word(language, heading, { count })}</a></li>`];
  });
  const read =
    view.read &&
    html`<p>${word(language, "upload-read", { rows: view.read.rows, untouched: view.read.untouched })}</p>${view.read.readOnly > 0 && html`<p>${word(language, "upload-read-only", { count: view.read.readOnly })}</p>`}${view.read.unmarked > 0 && html`<p>${word(language, "upload-unmarked", { count: view.read.unmarked })}${view.makes && ` ${word(language, "upload-may-be-new")}`}</p>`}`;
  const saved =
    view.saved !== null &&
    html`<p class="quill-said" role="status">${word(language, "upload-saved", { count: view.saved })}</p>`;
  const nothing =
    view.read && lines.length === 0 && html`<p class="quill-empty">${word(language, "upload-no-change")}</p>`;
  return html`${saved}${read}${lines.length > 0 && html`<ul>${lines}</ul>`}${nothing}`;
}

/** What the script says while an upload is worked on. */
const workWords = memoizePerPage(({ language }) => {
  const places = { done: "{done}", of: "{of}" };
  const words = {
    reading: word(language, "upload-reading", places),
    checking: word(language, "upload-checking", places),
    saving: word(language, "upload-saving", places),
    stop: word(language, "upload-stop"),
    cancelled: word(language, "upload-cancelled"),
    saved: word(language, "upload-was-saved"),
    unknown: word(language, "upload-unknown"),
  };
  return attributes({ "data-work": JSON.stringify(words) });
});

/** The ways to download a list for editing, in each format. */
export const downloadsToEdit = (page: Page, address: (query: Readonly<Record<string, string>>) => string): Markup[] =>
  [...fileFormats]
    .reverse()
    .map(
      (format) =>
        html`<a href="${address({ format, ...(format === "csv" ? { bom: "1" } : {}) })}" download>${word(page.language, "download-format", { format: format === "csv" ? "CSV" : ".xlsx" })}</a>`,
    );

const downloads = ({ page, kept }: UploadView, base: string): Markup[] =>
  downloadsToEdit(page, (query) => `${base}${page.path.list}/${spreadsheetSegment}${queryText({ ...kept, ...query })}`);

/** The button by which the rows that can't be saved as they are come back as a file: of a form of its own, wherever it stands. */
const leftButton = ({ left, page: { language } }: UploadView): Markup | null =>
  left &&
  html`<p><span id="left-help">${word(language, "upload-left-help", { count: left.number })}</span> <button form="left" class="quill-minor" name="${answerName}" value="${left.format}" aria-describedby="left-help">${word(language, "upload-left")}</button></p>`;

/** The page on which a list is uploaded again, and on which it is looked at before it is saved. */
export function uploadPage(view: UploadView, given: Frame): PageParts {
  const { page } = view;
  const { language } = page;
  const say = (code: Word): string => word(language, code);
  const frame = { ...given, language };
  const list = `${frame.base}${page.path.list}`;
  const kept = queryText(view.kept);
  const action = `${list}/${uploadSegment}${kept}`;
  const title = word(language, "upload-title", { list: page.plural });
  const heading = html`<nav class="quill-back" aria-label="${say("way-back")}"><a href="${list}${kept}">${page.plural}</a></nav>
${headingOf(title, view.problem === null)}`;
  const notice = html`${view.problem !== null && html`<section class="quill-summary" role="alert" tabindex="-1" autofocus><h2>${view.problem}</h2></section>`}`;
  const isSaving = view.carried !== null;
  const reason =
    page.reason !== null &&
    html`<div class="quill-field"><label for="reason">${say("reason")}</label><p class="quill-help">${say("reason-help")}</p><textarea id="reason" name="${reasonName}" rows="2" maxlength="1000">
${view.reason ?? ""}</textarea></div>`;
  const takes =
    view.makes &&
    html`<div class="quill-field"><div class="quill-control quill-box"><input${attributes({ id: "new", type: "checkbox", name: newName, value: "true", checked: view.takesNew })}><label for="new">${say("upload-take-new")}</label></div></div>`;
  const choosing = html`<form class="quill-sheet" method="post" enctype="multipart/form-data" action="${action}"${sendWords(page)}${workWords(page)}>${!isSaving && reason}<div class="quill-field"><label for="file">${say("upload-file")}</label><p class="quill-help">${say("upload-help")}</p><input id="file" type="file" name="${fileName}" accept=".csv,.xlsx,text/csv,${mediaTypes.xlsx}"></div>${takes}<p class="quill-actions"><button>${say("upload-look")}</button><a href="${list}${kept}">${say("cancel")}</a>${downloads(view, frame.base)}</p></form>`;
  const sections = states.map(([state, name]) => section(view, state, name));
  const filter =
    view.rows.length > 1 &&
    html`<p data-filter="${say("upload-filter")}" data-none="${say("upload-filter-none")}" hidden></p>`;
  const saving = isSaving
    ? html`<form method="post" enctype="multipart/form-data" action="${action}"${sendWords(page)}${workWords(page)}><textarea hidden name="${carriedName}">
${view.carried}</textarea><input type="hidden" name="${sessionName}" value="${view.session}">${view.reason !== null && html`<input type="hidden" name="${reasonName}" value="${view.reason}">`}${summary(view)}${leftButton(view)}<p class="quill-actions"><button accesskey="s">${say(page.list.spreadsheet?.save === "all" ? "upload-save-all" : "upload-save")}</button><a href="${list}${kept}">${say("cancel")}</a></p>${filter}${sections}</form>`
    : html`${summary(view)}${leftButton(view)}${filter}${sections}`;
  const another = (isSaving || view.left) && html`<h2>${say("upload-another")}</h2>`;
  const left =
    view.left &&
    html`<form id="left" method="post" enctype="multipart/form-data" action="${action}"><textarea hidden name="${leftName}">
${view.left.rows}</textarea></form>`;
  const content = html`${saving}${left}${another}${choosing}`;
  return partsOf(frame, {
    title: view.problem === null ? title : word(language, "put-right", { title }),
    heading,
    notice,
    content,
    scripted: true,
  });
}
