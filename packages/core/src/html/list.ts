import { attributes, html, type Markup } from "../markup/markup.js";
import type { Word } from "../messages/catalog.js";
import { word } from "../messages/messages.js";
import { editableFields } from "../page/columns.js";
import type { Page } from "../page/page.js";
import { recordAddress } from "../page/path.js";
import type { Row } from "../postgres/statement.js";
import { editableName, keyPartName } from "../statements/list.js";
import type { Column } from "../table/model.js";
import type { Frame } from "../views/frame.js";
import type { ListView } from "../views/list-view.js";
import { told } from "../views/told.js";
import { document } from "./layout.js";

const figures: ReadonlySet<string> = new Set(["integer", "decimal", "float"]);

/** A cell's text: long texts cut, so that the list stays a list. */
function cell(stored: string | null | undefined, isLabel: boolean, column: Column, page: Page): string {
  const text = isLabel ? stored : told(page, column, stored ?? null);
  if (text === null || text === undefined || text === "") return "–";
  const firstLine = text.split("\n")[0] ?? "";
  return [...firstLine].length > 80 || firstLine !== text ? `${[...firstLine].slice(0, 80).join("")}…` : text;
}

/** Whether there is anything to change on the record's form: a field that is taken, and a state that allows it. */
const isEditable = (page: Page, row: Row): boolean =>
  editableFields(page).length > 0 && (page.access.edit === null || row[editableName] === "true");

function recordRow(view: ListView, row: Row, frame: Frame): Markup {
  const { page } = view;
  const key = page.key.map((_, index) => row[keyPartName(index)] ?? "");
  const address = `${frame.base}${recordAddress(page.path, key)}`;
  const saved = view.savedAddress === address;
  const cells = page.list.columns.map(({ column, choices }, index) => {
    const text = cell(row[column.name], choices !== null, column, page);
    const content = html`${index === 0 ? html`<a class="record" href="${address}">${text}</a>` : text}${saved && index === 0 ? html` <span class="mark">${word(page.language, "saved-just-now")}</span>` : null}`;
    const shared = attributes({ class: !choices && figures.has(column.type.kind) ? "figure" : null });
    return index === 0 ? html`<th scope="row"${shared}>${content}</th>` : html`<td${shared}>${content}</td>`;
  });
  const way = isEditable(page, row)
    ? html`<a href="${address}/edit">${word(page.language, "edit")}<span class="unseen"> ${key.join(", ")}</span></a>`
    : html`<a href="${address}">${word(page.language, "view")}<span class="unseen"> ${key.join(", ")}</span></a>`;
  return html`<tr${attributes({ class: saved ? "saved" : null })}>${cells}<td class="way">${way}</td></tr>`;
}

function parts(view: ListView, address: string): Markup | null {
  if (view.part === 0 && !view.more) return null;
  const to = (part: number): string =>
    `${address}?${view.search ? `q=${encodeURIComponent(view.search)}&` : ""}part=${part + 1}`;
  return html`<nav class="parts" aria-label="${word(view.page.language, "parts-of-list")}">${view.part > 0 && html`<a rel="prev" href="${to(view.part - 1)}">${word(view.page.language, "back")}</a>`}<span>${word(view.page.language, "part", { part: view.part + 1 })}</span>${view.more && html`<a rel="next" href="${to(view.part + 1)}">${word(view.page.language, "further")}</a>`}</nav>`;
}

function empty(view: ListView, address: string): Markup {
  if (view.search !== "")
    return html`<p class="empty">${word(view.page.language, "nothing-contains", { search: view.search })} <a href="${address}">${word(view.page.language, "show-all")}</a></p>`;
  return html`<p class="empty">${word(view.page.language, "nothing-open")}</p>`;
}

/** The list of a page's records, with an edit link in every row. */
export function listPage(view: ListView, given: Frame): string {
  const { page } = view;
  const frame = { ...given, language: page.language };
  const say = (code: Word): string => word(page.language, code);
  const address = `${frame.base}${page.path.list}`;
  const heads = page.list.columns.map(
    ({ column, choices, label }) =>
      html`<th scope="col"${attributes({ class: !choices && figures.has(column.type.kind) ? "figure" : null })}>${label}</th>`,
  );
  const table = html`<div class="scroll" role="region" aria-label="${page.plural}" tabindex="0"><table><thead><tr>${heads}<th scope="col"><span class="unseen">${say("way-in")}</span></th></tr></thead><tbody>${view.rows.map((row) => recordRow(view, row, frame))}</tbody></table></div>`;
  const main = html`<h1>${page.plural}</h1>
${view.notice && html`<p class="said" role="status">${view.notice}</p>`}
<form class="search" role="search" method="get" action="${address}"><label for="q">${say("contains")}</label><input id="q" name="q" type="search" value="${view.search}" autocomplete="off"><button>${say("find")}</button>${view.search !== "" && html`<a href="${address}">${say("show-all")}</a>`}${view.makes && html`<a class="make" href="${address}/new">${say("new-record")}</a>`}</form>
${view.rows.length === 0 ? empty(view, address) : table}${parts(view, address)}`;
  return document(frame, page.plural, main);
}
