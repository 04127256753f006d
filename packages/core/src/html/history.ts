import { html, type Markup } from "../markup/markup.js";
import type { Word } from "../messages/catalog.js";
import { word } from "../messages/messages.js";
import { queryText, recordAddress } from "../settings/bound/path.js";
import type { Frame } from "../views/frame.js";
import type { HistoryEntry, HistoryView } from "../views/history-view.js";
import type { PageParts } from "../views/page-parts.js";
import { headingOf, partsOf } from "./layout.js";

const operationWords = { insert: "was-added", update: "was-changed" } as const;

function entryBlock(view: HistoryView, entry: HistoryEntry, record: string): Markup {
  const say = (code: Word, places?: Record<string, string>): string => word(view.page.language, code, places);
  const rows = entry.changes.map(
    (change) =>
      html`<tr><th scope="row">${change.label}</th><td><bdi>${entry.operation === "insert" ? "" : change.old}</bdi></td><td><bdi>${change.new}</bdi></td></tr>`,
  );
  const table = html`<table><thead><tr><th scope="col">${say("field")}</th><th scope="col">${say("value-before")}</th><th scope="col">${say("value-after")}</th></tr></thead><tbody>${rows}</tbody></table>`;
  const takes = view.editable && entry.operation === "update" && entry.changes.some(({ isTaken }) => isTaken);
  const way =
    takes &&
    html`<p><a href="${record}/edit${queryText({ old: entry.id, ...view.kept })}">${say("open-with-old")}<span class="quill-unseen"> ${entry.at}</span></a></p>`;
  return html`<li><h2>${say(operationWords[entry.operation], { by: entry.by, at: entry.at })}</h2>${entry.reason !== null && html`<p class="quill-reason">${say("reason-was")} <q>${entry.reason}</q></p>`}${entry.changes.length > 0 ? table : html`<p class="quill-empty">${say("no-field-here")}</p>`}${way}</li>`;
}

/** The page of a record's changes. */
export function historyPage(view: HistoryView, given: Frame): PageParts {
  const { page, entries } = view;
  const say = (code: Word, places?: Record<string, string>): string => word(page.language, code, places);
  const frame = { ...given, language: page.language };
  const record = `${frame.base}${recordAddress(page.path, view.key)}`;
  const title = say("changes-of", { title: view.title });
  const older =
    view.older !== null &&
    html`<nav class="quill-parts" aria-label="${say("parts-of-list")}"><a rel="next" href="${record}/history${queryText({ upto: view.older, ...view.kept })}">${say("older")}</a></nav>`;
  const heading = html`<nav class="quill-back" aria-label="${say("way-back")}"><a href="${record}${queryText(view.kept)}">${view.title}</a></nav>
${headingOf(title)}`;
  const content = html`${entries.length === 0 ? html`<p class="quill-empty">${say("no-changes")}</p>` : html`<ol class="quill-history">${entries.map((entry) => entryBlock(view, entry, record))}</ol>`}${older}`;
  return partsOf(frame, { title, heading, content });
}
