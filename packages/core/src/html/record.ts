import { html, type Markup } from "../markup/markup.js";
import { type Language, word } from "../messages/messages.js";
import { copyPrefix, withPrefix } from "../page/names.js";
import { queryText, recordAddress } from "../settings/bound/path.js";
import type { Frame } from "../views/frame.js";
import { deleteText, newText } from "../views/own-text.js";
import type { PageParts } from "../views/page-parts.js";
import type { RecordView, RelatedList } from "../views/record-view.js";
import { fieldBlock } from "./field.js";
import { keyLine } from "./form.js";
import { grouped } from "./groups.js";
import { headingOf, partsOf } from "./layout.js";
import { relatedTable } from "./list.js";
import { saidLine } from "./said.js";

/** Records of a page with the ways to them, to all of them and to a new one. */
export function relatedPart(list: RelatedList, frame: Frame, language = frame.language): Markup {
  const { page, rows } = list;
  const address = `${frame.base}${page.path.list}`;
  // What the address gives it is what the link can tell.
  const begun = Object.fromEntries(
    Object.entries(list.begins ?? {}).map(([name, value]) => [name.slice(withPrefix.length), value]),
  );
  const making =
    list.begins &&
    html`<a href="${address}/new${queryText(list.begins)}">${newText(page, begun)}<span class="quill-unseen"> (${page.plural})</span></a>`;
  const all =
    list.more &&
    list.all &&
    html`<a href="${address}${queryText(list.all)}">${word(language, "show-all")}<span class="quill-unseen"> (${page.plural})</span></a>`;
  const more = list.more && !list.all && html`<span>${word(language, "more-not-shown")}</span>`;
  return html`${rows.length === 0 ? html`<p class="quill-empty">${word(language, "none-refers")}</p>` : relatedTable(list, frame)}<p class="quill-actions">${making}${all}${more}</p>`;
}

/** Records of another page that refer to this one. */
const relatedSection = (list: RelatedList, frame: Frame, language: Language): Markup =>
  html`<div class="quill-related"><h2>${list.page.plural}</h2>${relatedPart(list, frame, language)}</div>`;

/** The page that shows a record, with the ways to its form, its deletion and the list. */
export function recordPage(view: RecordView, given: Frame): PageParts {
  const { page } = view;
  const { language } = page;
  const frame = { ...given, language };
  const list = `${frame.base}${page.path.list}`;
  const kept = queryText(view.kept);
  const record = `${frame.base}${recordAddress(page.path, view.key)}`;
  const edit =
    view.locked === null && html`<a class="quill-main" href="${record}/edit${kept}">${word(language, "edit")}</a>`;
  const from = Object.fromEntries(page.key.map(({ name }, index) => [`${copyPrefix}${name}`, view.key[index] ?? ""]));
  const another =
    view.makes &&
    html`<a href="${list}/new${queryText({ ...from, ...view.kept })}">${word(language, "new-from-this")}</a>`;
  const past = view.history && html`<a href="${record}/history${kept}">${word(language, "history")}</a>`;
  const removal =
    view.removable && html`<a class="quill-removal" href="${record}/delete${kept}">${deleteText(view)}</a>`;
  const fields = grouped(
    view.fields,
    view.fields.map((field) => fieldBlock(field, false, language)),
  );
  const heading = html`<nav class="quill-back" aria-label="${word(language, "way-back")}"><a href="${list}${kept}">${page.plural}</a></nav>
${headingOf(view.title)}${keyLine(view)}`;
  const notice = html`${saidLine(view.notice, language)}${view.locked !== null && html`<p class="quill-locked" role="status">${view.locked}</p>`}`;
  const content = html`<div class="quill-sheet quill-reading">${fields}</div><p class="quill-actions">${edit}${another}<a href="${list}${kept}">${word(language, "back-to", { list: page.plural })}</a>${past}${removal}</p>${view.related.map((each) => relatedSection(each, frame, language))}`;
  return partsOf(frame, { title: view.title, heading, notice, content });
}
