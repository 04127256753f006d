import { attributes, html, type Markup } from "../markup/markup.js";
import type { Word } from "../messages/catalog.js";
import { languages, word } from "../messages/messages.js";
import { rowIdOf } from "../page/ids.js";
import { everywhereName, straightName } from "../page/names.js";
import type { ListColumn, Page } from "../page/page.js";
import { rowPrefix, saveRowName, saveTogetherName } from "../page/rows.js";
import type { Row } from "../postgres/statement.js";
import { filterNames } from "../settings/bound/filters.js";
import { labelFrom } from "../settings/bound/label.js";
import { csvSegment, queryText, recordAddress, spreadsheetSegment, uploadSegment } from "../settings/bound/path.js";
import { isEditableRow, keyPartName } from "../statements/list.js";
import type { Column } from "../table/model.js";
import type { FormView } from "../views/form-view.js";
import type { Frame } from "../views/frame.js";
import type { ListView, RowForm } from "../views/list-view.js";
import { newText } from "../views/own-text.js";
import type { PageParts } from "../views/page-parts.js";
import type { RelatedList } from "../views/record-view.js";
import { datetimeOf, told } from "../views/told.js";
import type { TypedText } from "../views/typed.js";
import { cellBlock } from "./field.js";
import { conflictsLine, formPart, isSearched, sendWords, tokenInput } from "./form.js";
import { type AccessKeys, accessKeys, headingOf, partsOf } from "./layout.js";
import { filtersBlock, isUsed } from "./list-filters.js";
import { typedList } from "./notice.js";
import { saidLine, undoLink } from "./said.js";
import { downloadsToEdit } from "./upload.js";

const figures: ReadonlySet<string> = new Set(["integer", "decimal", "float"]);

/** A cell's text: long texts cut, so that the list stays a list. */
function cell(stored: string | null | undefined, isLabel: boolean, column: Column, page: Page): Markup {
  const text = isLabel ? stored : told(page, column, stored ?? null);
  if (text === null || text === undefined || text === "") return html`–`;
  const datetime = isLabel ? null : datetimeOf(column, stored ?? null);
  if (datetime !== null) return html`<time datetime="${datetime}">${text}</time>`;
  const firstLine = text.split("\n")[0] ?? "";
  const isWhole = [...firstLine].length <= 80 && firstLine === text;
  const shown = isWhole ? text : `${[...firstLine].slice(0, 80).join("")}…`;
  return languages[page.language].direction === "rtl" ? html`<bdi>${shown}</bdi>` : html`${shown}`;
}

/** The id of the first control in the rows that was refused; null where none was. */
const firstStop = (view: ListView): string | null => {
  if (!view.problem) return null;
  for (const [number, row] of (view.forms ?? []).entries())
    for (const { field, problems, conflict } of row.form?.fields ?? [])
      if (problems.length > 0 || conflict !== null) return idInRow(view, row, number, field.column.name);
  return null;
};

/** What was typed in a row that can't be saved any more. */
const typedIn = (typed: readonly TypedText[], { language }: Page): Markup | false =>
  typed.length > 0 && html`<p>${word(language, "what-you-typed")}</p>${typedList(typed)}`;

/** The cells of a row that is edited in its place: controls where a field is taken, and its own button. */
function recordRow(view: ListView, row: Row, frame: Frame, number: number): Markup {
  const { page } = view;
  const own = view.forms?.[number] ?? null;
  const form = own?.form ?? null;
  const key = page.key.map((_, index) => row[keyPartName(index)] ?? "");
  const address = `${frame.base}${recordAddress(page.path, key)}`;
  const kept = queryText(view.kept);
  const saved = view.savedAddress === address;
  const chosen = view.chosenAddress === address;
  const cells = page.list.columns.map(({ column, choices, label }, index) => {
    const field = form?.fields.find((each) => each.field.column === column);
    const text = cell(row[column.name], choices !== null, column, page);
    const control =
      field &&
      cellBlock(
        (saved && index === 0) || rowIdOf(number, index) === firstStop(view) ? { ...field, hasFocus: true } : field,
        rowIdOf(number, index),
        { prefix: rowPrefix(number), label: `${label}, ${key.join(", ")}` },
        page.language,
      );
    const content = html`${index === 0 && form ? html`${tokenInput(form.token, rowPrefix(number))}${conflictsLine(form, rowPrefix(number))}` : null}${control ?? (index === 0 ? html`<a${attributes({ class: "quill-record", href: `${address}${page.list.beside ? "/edit" : ""}${kept}`, "aria-current": chosen ? "true" : null, autofocus: saved ? true : null })}>${text}</a>` : text)}${index === 0 && own?.typed && typedIn(own.typed, page)}${saved && index === 0 ? html` <span class="quill-mark">${word(page.language, "saved-just-now")}</span>${undoLink(view.notice, page.language)}` : null}`;
    const shared = attributes({
      class: !choices && figures.has(column.type.kind) ? "quill-figure" : null,
      // What stands before the value where the screen is too narrow for a table.
      "data-label": label,
    });
    return index === 0
      ? html`<th scope="row" role="rowheader"${shared}>${content}</th>`
      : html`<td role="cell"${shared}>${content}</td>`;
  });
  const save =
    form && !page.list.together
      ? html`<button name="${saveRowName}" value="${number}">${word(page.language, "save-row")}<span class="quill-unseen"> ${key.join(", ")}</span></button>`
      : null;
  const way = isEditableRow(page, row)
    ? html`${save}<a href="${address}/edit${kept}">${word(page.language, "edit")}<span class="quill-unseen"> ${key.join(", ")}</span></a>`
    : html`<a href="${address}${kept}">${word(page.language, "view")}<span class="quill-unseen"> ${key.join(", ")}</span></a>`;
  return html`<tr role="row"${attributes({ class: chosen ? "quill-chosen" : saved ? "quill-saved" : null })}>${cells}<td role="cell" class="quill-way">${own?.said && html`<p class="quill-problem" role="alert">${own.said}</p>`}${way}</td></tr>`;
}

/** What an address says of the filters. */
const filterQuery = ({ filters }: ListView): Readonly<Record<string, string>> =>
  Object.fromEntries(
    filters.flatMap(({ filter, typed }) => {
      const names = filterNames(filter.column);
      return (["is", "from", "to"] as const).flatMap((each) => (typed[each] ? [[names[each], typed[each]]] : []));
    }),
  );

/** An address of the list as it is looked at, with something else about it. */
function listAddress(
  view: ListView,
  base: string,
  other: Readonly<Record<string, string>>,
  path = view.page.path.list,
): string {
  const { page, search, sort } = view;
  const own = page.list.sort;
  const isOwn = sort.column === own.column && sort.down === own.down;
  const asked = {
    ...(search ? { q: search } : {}),
    ...(everywhereName in view.kept ? { [everywhereName]: "" } : {}),
    ...filterQuery(view),
    ...(isOwn ? {} : { sort: `${sort.down ? "-" : ""}${sort.column.name}` }),
    ...other,
  };
  return `${base}${path}${queryText(asked)}`;
}

function parts(view: ListView, base: string): Markup | null {
  const { page, previous, next } = view;
  if (!previous && !next) return null;
  const say = (code: Word): string => word(page.language, code);
  const to = (other: Readonly<Record<string, string>>): string => listAddress(view, base, other);
  const back =
    previous &&
    html`<a href="${to({})}">${say("first-part")}</a><a rel="prev" href="${to(previous)}">${say("back")}</a>`;
  const on =
    next &&
    html`<a rel="next" href="${to(next)}">${say("further")}</a><a href="${to({ last: "" })}">${say("last-part")}</a>`;
  return html`<nav class="quill-parts" aria-label="${say("parts-of-list")}">${back}${on}</nav>`;
}

const countWords = { exactly: "records", "more than": "more-records", about: "about-records" } as const;

/** How many there are, in the page's language. */
function countLine({ page, count }: ListView): Markup | null {
  if (!count) return null;
  const number = new Intl.NumberFormat(page.language).format(count.number);
  const code = count.is === "exactly" && count.number === 1 ? "one-record" : countWords[count.is];
  return html`<p class="quill-count">${word(page.language, code, { number })}</p>`;
}

/** Whether somebody may have to look for a record here: it is no list of one part alone. */
const isLong = (view: ListView): boolean =>
  view.previous !== null ||
  view.next !== null ||
  view.sought !== null ||
  view.search !== "" ||
  view.filters.some(isUsed);

/** A field for the key itself: for those who know it. A key of several parts has a field for each. */
function goToForm({ page, sought }: ListView, address: string): Markup {
  const fields = page.key.map((column, index) => {
    const label = page.fields.find((each) => each.column === column)?.label ?? labelFrom(column.name);
    const shared = attributes({
      id: `go-${index}`,
      name: `go.${column.name}`,
      autocomplete: "off",
      "aria-describedby": sought ? "go-problem" : null,
      "aria-invalid": sought ? "true" : null,
      accesskey: index === 0 ? "g" : null,
      autofocus: sought && index === 0 ? true : null,
    });
    return html`<label for="go-${index}">${label}</label><input${shared} value="${sought?.typed[index] ?? ""}">`;
  });
  const name = word(page.language, "go-to");
  return html`<form class="quill-go" method="get" action="${address}" aria-label="${name}">${fields}<button>${name}</button>${sought && html`<p class="quill-problem" id="go-problem" role="alert">${sought.problem}</p>`}</form>`;
}

/** A column's heading: the way to its order, where the list can be put in it. */
function heading(view: ListView, { column, choices, label, sortable }: ListColumn, base: string): Markup {
  const isSorted = view.sort.column === column;
  const shared = attributes({
    class: !choices && figures.has(column.type.kind) ? "quill-figure" : null,
    "aria-sort": isSorted && sortable ? (view.sort.down ? "descending" : "ascending") : null,
  });
  if (!sortable) return html`<th scope="col" role="columnheader"${shared}>${label}</th>`;
  const down = isSorted && !view.sort.down;
  const to = listAddress({ ...view, sort: { column, down } }, base, {});
  const mark = isSorted && html`<span class="quill-order" aria-hidden="true">${view.sort.down ? "↓" : "↑"}</span>`;
  return html`<th scope="col" role="columnheader"${shared}><a href="${to}">${label}</a>${mark}</th>`;
}

/** A search keeps the order. */
function sortKept({ page, sort }: ListView): Markup | null {
  const own = page.list.sort;
  if (sort.column === own.column && sort.down === own.down) return null;
  return html`<input type="hidden" name="sort" value="${sort.down ? "-" : ""}${sort.column.name}">`;
}

function empty(view: ListView, address: string): Markup {
  if (view.tooSlow)
    return html`<p class="quill-empty" role="status">${word(view.page.language, "search-too-slow")} <a href="${address}">${word(view.page.language, "show-all")}</a></p>`;
  if (view.filters.some(({ problem }) => problem !== null))
    return html`<p class="quill-empty" role="status">${word(view.page.language, "filter-wrong")}</p>`;
  if (view.filters.some(isUsed))
    return html`<p class="quill-empty">${word(view.page.language, "nothing-matches")} <a href="${address}">${word(view.page.language, "show-all")}</a></p>`;
  if (view.search !== "")
    return html`<p class="quill-empty">${word(view.page.language, "nothing-contains", { search: view.search })} <a href="${address}">${word(view.page.language, "show-all")}</a></p>`;
  return html`<p class="quill-empty">${view.page.texts.empty ?? word(view.page.language, "nothing-open")}</p>`;
}

/** Where a search goes on that was stopped before it found anything; null where it does not. */
const wayOn = ({ looked, rows, chosenAddress, next, previous }: ListView): ListView["next"] | ListView["previous"] =>
  looked?.how === "stopped" && rows.length === 0 && !chosenAddress ? (looked.backward ? previous : next) : null;

/** How far a search came, with the way on from there. */
function lookedLine(view: ListView, base: string): Markup | null {
  const { page, looked, rows } = view;
  if (!looked) return null;
  const to = (other: Readonly<Record<string, string>>, code: Word): Markup =>
    html`<a${attributes({ href: listAddress(view, base, other), autofocus: other === wayOn(view) ? true : null })}>${word(page.language, code)}</a>`;
  const line = (said: string, way: Markup | null): Markup =>
    html`<p class="${rows.length === 0 ? "quill-empty" : "quill-looked"}" role="status">${said} ${way}</p>`;
  switch (looked.how) {
    case "exact":
      return line(
        word(page.language, "found-exactly", { search: looked.search }),
        to({ [everywhereName]: "" }, "find-everywhere"),
      );
    case "to the end":
      return line(word(page.language, "nothing-further"), to({}, "first-part"));
    case "stopped": {
      const number = new Intl.NumberFormat(page.language).format(looked.records);
      const code = rows.length === 0 ? "looked-through-none" : "looked-through";
      const on = looked.backward ? view.previous : view.next;
      return line(word(page.language, code, { number, value: looked.until ?? "–" }), on && to(on, "look-on"));
    }
  }
}

/** What an address asked for and the list left out. Applications add parameters of their own, which are none of its matter. */
function leftOut({ page, wrong, filters }: ListView): Markup | null {
  const shown = new Set(
    filters.flatMap(({ filter, problem }) => (problem ? Object.values(filterNames(filter.column)) : [])),
  );
  const names = wrong.flatMap(({ parameter }) =>
    /^(?:is|from|to)\.|^(?:q|sort)$/.test(parameter) && !shown.has(parameter) ? [parameter] : [],
  );
  if (names.length === 0) return null;
  const said = word(page.language, "query-left-out", { names: names.join(", ") });
  return html`<p class="quill-problem" role="alert">${said}</p>`;
}

/** A short table of records that refer to another one. */
export function relatedTable({ page, without, rows, kept = {} }: RelatedList, frame: Frame): Markup {
  const columns = page.list.columns.filter(({ column }) => !without.includes(column));
  const list = { ...page.list, columns, beside: false, edit: [] };
  const view: ListView = { ...bareView({ ...page, list }), rows, kept };
  const heads = columns.map(
    ({ column, choices, label }) =>
      html`<th scope="col" role="columnheader"${attributes({ class: !choices && figures.has(column.type.kind) ? "quill-figure" : null })}>${label}</th>`,
  );
  return html`<div class="quill-scroll" role="region" aria-label="${page.plural}" tabindex="0"><table role="table"><thead role="rowgroup"><tr role="row">${heads}<th scope="col" role="columnheader"><span class="quill-unseen">${word(page.language, "way-in")}</span></th></tr></thead><tbody role="rowgroup">${rows.map((row, index) => recordRow(view, row, frame, index))}</tbody></table></div>`;
}

/** A list of which only rows are shown. */
const bareView = (page: Page): ListView => ({
  page,
  rows: [],
  search: "",
  filters: [],
  offers: new Map(),
  sort: page.list.sort,
  kept: {},
  previous: null,
  next: null,
  count: null,
  tooSlow: false,
  looked: null,
  wrong: [],
  sought: null,
  forms: null,
  problem: null,
  makes: false,
  notice: null,
  savedAddress: null,
});

/** A row that was sent and is not in this part of the list any more: with what was typed, as it would be sent again where it can be. */
function elsewhereRow(view: ListView, { form, said, title, typed }: RowForm, number: number): Markup {
  const { page } = view;
  const fields = (form?.fields ?? []).map((field, index) =>
    cellBlock(
      field,
      rowIdOf(number, index),
      { prefix: rowPrefix(number), label: `${field.field.label}, ${title}` },
      page.language,
    ),
  );
  const token = form && tokenInput(form.token, rowPrefix(number));
  const save =
    form &&
    !page.list.together &&
    html`<button name="${saveRowName}" value="${number}">${word(page.language, "save-row")}<span class="quill-unseen"> ${title}</span></button>`;
  return html`<tr role="row" class="quill-elsewhere"><th scope="row" role="rowheader" colspan="${page.list.columns.length}">${token}${title}${form && html` <span class="quill-mark">${word(page.language, "row-elsewhere")}</span>`}${said && html`<p class="quill-problem" role="alert">${said}</p>`}${fields}${typed && typedIn(typed, page)}</th><td role="cell" class="quill-way">${save}</td></tr>`;
}

/** The form around the rows that are edited in their places. */
function rowsForm(view: ListView, address: string, table: Markup): Markup {
  const { page } = view;
  const all =
    page.list.together &&
    html`<p class="quill-actions"><button name="${saveTogetherName}">${word(page.language, "save-rows")}</button></p>`;
  // Pressed by the enter key, it has no name: which row is meant is told by what was typed.
  return html`<form class="quill-rows" data-in-place${sendWords(page)} data-leave="${word(page.language, "leave-unsaved")}" method="post" action="${address}${queryText(view.kept)}"><button class="quill-unseen" tabindex="-1" aria-hidden="true"></button>${table}${all}</form>`;
}

/** The id of a field's control in a row, by the column that it stands in; in a row that is elsewhere by its place in the form. */
function idInRow({ page }: ListView, { row, form }: RowForm, number: number, column: string): string | null {
  const index =
    row === null
      ? (form?.fields.findIndex(({ field }) => field.column.name === column) ?? -1)
      : page.list.columns.findIndex((each) => each.column.name === column);
  return index < 0 ? null : rowIdOf(number, index);
}

/** What is wrong with the rows that were sent, each line a link to its control (WCAG 2.2, 3.3.1). */
function rowsSummary(view: ListView): Markup | null {
  if (!view.problem) return null;
  const { language } = view.page;
  const lines = (view.forms ?? []).flatMap((each, number) => {
    const { form, said, title } = each;
    const says = (message: string): string => word(language, "row-problem", { title, message });
    const problems = (form?.problems ?? []).map(({ field, message }) => ({ field, message }));
    const conflicts = (form?.conflicts ?? []).map(({ field }) => ({
      field,
      message: word(language, "conflict-field", {
        label: form?.fields.find((one) => one.field.column.name === field)?.field.label ?? field,
      }),
    }));
    const at = [...problems, ...conflicts].flatMap(({ field, message }) => {
      const id = field === null ? null : idInRow(view, each, number, field);
      return id === null ? [] : [html`<li><a href="#${id}">${says(message)}</a></li>`];
    });
    return [...at, ...(said ? [html`<li>${says(said)}</li>`] : [])];
  });
  const hasFocus = (view.forms ?? []).every(({ form }) => !form || !isStopped(form));
  return html`<section class="quill-summary" role="alert" tabindex="-1"${attributes({ autofocus: hasFocus ? true : null })}><h2>${view.problem}</h2>${lines.length > 0 && html`<ul>${lines}</ul>`}</section>`;
}

const isStopped = ({ fields }: FormView): boolean =>
  fields.some(({ problems, conflict }) => problems.length > 0 || conflict !== null);

/** The list of a page's records as a part of a page, with an edit link in every row. */
function listPart(view: ListView, frame: Frame): Markup {
  const { page } = view;
  const say = (code: Word): string => word(page.language, code);
  const address = `${frame.base}${page.path.list}`;
  const heads = page.list.columns.map((each) => heading(view, each, frame.base));
  const looked = lookedLine(view, frame.base);
  const elsewhere = (view.forms ?? []).flatMap((each, index) =>
    each.row === null ? [elsewhereRow(view, each, index)] : [],
  );
  const table = html`<div class="quill-scroll" role="region" aria-label="${page.plural}" tabindex="0"><table role="table"><thead role="rowgroup"><tr role="row">${heads}<th scope="col" role="columnheader"><span class="quill-unseen">${say("way-in")}</span></th></tr></thead><tbody role="rowgroup">${view.rows.map((row, index) => recordRow(view, row, frame, index))}${elsewhere}</tbody></table></div>`;
  return html`<div class="quill-ways"><form class="quill-search" role="search" method="get" action="${address}"><label for="q">${say("contains")}</label><input id="q" name="q" type="search" value="${view.search}" autocomplete="off" accesskey="f"><input type="hidden" name="${straightName}" value="1">${sortKept(view)}<button>${say("find")}</button>${(view.search !== "" || view.filters.some(isUsed)) && html`<a href="${address}">${say("show-all")}</a>`}${filtersBlock(view)}</form>${isLong(view) && goToForm(view, address)}${view.makes && html`<a class="quill-make" href="${address}/new${queryText(view.kept)}">${newText(page)}</a>`}</div>
${leftOut(view)}<div class="quill-about">${countLine(view)}${view.rows.length > 0 && html`<a class="quill-csv" href="${listAddress(view, frame.base, {}, `${page.path.list}/${csvSegment}`)}" download>${say("download-csv")}</a>`}${page.list.spreadsheet && view.rows.length > 0 && downloadsToEdit(page, (query) => listAddress(view, frame.base, query, `${page.path.list}/${spreadsheetSegment}`))}${page.list.spreadsheet && html`<a href="${address}/${uploadSegment}${queryText(view.kept)}">${say("upload-edited")}</a>`}</div>${rowsSummary(view)}${view.rows.length === 0 && elsewhere.length === 0 ? (looked ?? empty(view, address)) : html`${view.forms ? rowsForm(view, address, table) : table}${looked}`}${parts(view, frame.base)}`;
}

const listHeading = (view: ListView, hasFocus = true): Markup => {
  const { page, savedAddress, problem, sought } = view;
  const { plural, texts } = page;
  const { introduction } = texts;
  const first = hasFocus && savedAddress === null && problem === null && sought === null && wayOn(view) === null;
  return html`${headingOf(plural, first)}${introduction !== null && html`<p class="quill-introduction">${introduction}</p>`}`;
};

const find: AccessKeys[number] = ["F", "key-find"];
const keysOf: Readonly<Record<"short" | "long", AccessKeys>> = { short: [find], long: [find, ["G", "key-go"]] };

/** The page of a list. */
export function listPage(view: ListView, given: Frame): PageParts {
  const { page } = view;
  const frame = { ...given, language: page.language };
  const heading = listHeading(view);
  const notice = html`${saidLine(view.notice, page.language)}`;
  const content = html`${listPart(view, frame)}${accessKeys(page.language, isLong(view) ? keysOf.long : keysOf.short)}`;
  const title = view.problem ? word(page.language, "put-right", { title: page.plural }) : page.plural;
  return partsOf(frame, { title, heading, notice, content, scripted: view.forms !== null });
}

/** A list and a form on one page: of the record that was chosen, or of a new one. */
export function besidePage(list: ListView, form: FormView | null, given: Frame): PageParts {
  const { page } = list;
  const frame = { ...given, language: page.language };
  const part = form && formPart(form, frame);
  const chosen = form && form.form === "edit" ? `${frame.base}${recordAddress(page.path, form.key)}` : null;
  const whole = { ...list, chosenAddress: chosen };
  const isFormFirst = form?.form === "edit" && !isStopped(form) && form.problems.length === 0 && !isSearched(form);
  const right = (within: Markup | undefined): Markup =>
    form && part
      ? html`<section class="quill-beside-form" aria-labelledby="form-heading"><h2 id="form-heading"${attributes({ tabindex: "-1", autofocus: isFormFirst ? true : null })}>${form.title}</h2>${part.above}${within}</section>`
      : html`<section class="quill-beside-form"><p class="quill-empty">${word(page.language, "choose-a-record")}</p></section>`;
  const content = (within: Markup | undefined): Markup =>
    html`<div class="quill-beside${chosen || (part && part.title !== form?.title) ? " quill-of-record" : ""}" data-in-place>${right(within)}<section class="quill-beside-list" aria-label="${page.plural}">${listPart(whole, frame)}</section></div>`;
  const pieces = part?.pieces ?? null;
  return partsOf(frame, {
    title: part && form?.form === "edit" ? part.title : page.plural,
    heading: listHeading(whole, form?.form !== "edit" && !(form && (isSearched(form) || form.problems.length > 0))),
    notice: html`${saidLine(list.notice, page.language)}`,
    content: content(part?.form),
    form: pieces && { ...pieces, around: (inside) => content(pieces.around(inside)) },
    scripted: true,
  });
}
