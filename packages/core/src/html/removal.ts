import { html, type Markup } from "../markup/markup.js";
import { type Language, word } from "../messages/messages.js";
import { labelFrom } from "../settings/bound/label.js";
import { queryText, recordAddress } from "../settings/bound/path.js";
import type { Frame } from "../views/frame.js";
import { ownText } from "../views/own-text.js";
import type { PageParts } from "../views/page-parts.js";
import type { DependentCount, RemovalView } from "../views/removal-view.js";
import { fieldBlock } from "./field.js";
import { keyLine, sendWords, tokenInput } from "./form.js";
import { grouped } from "./groups.js";
import { headingOf, partsOf } from "./layout.js";

const effectWords = {
  cascade: "dependents-cascade",
  "set null": "dependents-set-null",
  "set default": "dependents-set-default",
  restrict: "dependents-restrict",
} as const;

function dependentLine({ table, effect, count, more }: DependentCount, language: Language): Markup {
  const name = labelFrom(table);
  if (count === null) return html`<li>${word(language, "dependents-unread", { table: name })}</li>`;
  const told = more ? word(language, "more-than", { count }) : String(count);
  return html`<li class="${effect === "restrict" ? "quill-keeps" : effect === "cascade" ? "quill-goes" : "quill-loses"}">${word(language, effectWords[effect], { count: told, table: name })}</li>`;
}

/** The page that shows what will go and what hangs on it. Where something keeps the record, there is nothing to press. */
export function removalPage(view: RemovalView, given: Frame): PageParts {
  const { page } = view;
  const { language } = page;
  const frame = { ...given, language };
  const record = `${frame.base}${recordAddress(page.path, view.key)}`;
  const asked = queryText(view.kept);
  const kept = view.dependents.some((each) => each.effect === "restrict" && each.count !== null);
  const title = ownText(view, "question") ?? word(language, "delete-question", { title: view.title });
  const fields = grouped(
    view.fields,
    view.fields.map((field) => fieldBlock(field, false, language)),
  );
  const dependents =
    view.dependents.length > 0 &&
    html`<section class="quill-dependents" aria-labelledby="dependents"><h2 id="dependents">${word(language, "related-records")}</h2><ul>${view.dependents.map((each) => dependentLine(each, language))}</ul></section>`;
  const keep = html`<a href="${record}/edit${asked}">${word(language, "keep")}</a>`;
  const act = kept
    ? html`<p>${word(language, "delete-first")}</p><p class="quill-actions">${keep}</p>`
    : html`<form class="quill-removing" method="post" action="${record}/delete${asked}"${sendWords(page)}>${tokenInput(view.token)}<p>${word(language, "delete-logged")}</p><p class="quill-actions"><button class="quill-refusing">${ownText(view, "remove") ?? word(language, "delete-for-good")}</button>${keep}</p></form>`;
  const heading = html`<nav class="quill-back" aria-label="${word(language, "way-back")}"><a href="${frame.base}${page.path.list}${asked}">${page.plural}</a></nav>
${headingOf(title)}${keyLine(view)}`;
  const notice = html`${view.said !== null && html`<section class="quill-summary" role="alert"><p>${view.said}</p></section>`}`;
  const content = html`${dependents}${act}
<section class="quill-going" aria-labelledby="goes"><h2 id="goes">${word(language, kept ? "the-record" : "what-goes")}</h2><div class="quill-sheet quill-reading">${fields}</div></section>`;
  return partsOf(frame, { title, heading, notice, content, scripted: true });
}
