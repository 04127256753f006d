import { attributes, html, inApostrophes, type Markup } from "../markup/markup.js";
import type { Word } from "../messages/catalog.js";
import { type Language, word } from "../messages/messages.js";
import { isTaken } from "../page/columns.js";
import { idOf } from "../page/ids.js";
import { memoizePerPage } from "../page/memoize-per-page.js";
import { conflictsName, reasonName, saveName, tokenName } from "../page/names.js";
import { labelFrom } from "../settings/bound/label.js";
import {
  choicesSegment,
  encodeSegment,
  type neighbourSegments,
  queryText,
  recordAddress,
} from "../settings/bound/path.js";
import { dayPattern } from "../values/in-language.js";
import type { FieldView, FormView } from "../views/form-view.js";
import type { Frame } from "../views/frame.js";
import { deleteText, type Subject, saveText } from "../views/own-text.js";
import type { FormPieces, PageParts } from "../views/page-parts.js";
import { fieldBlock } from "./field.js";
import { grouped } from "./groups.js";
import { type AccessKeys, accessKeys, headingOf, partsOf } from "./layout.js";
import { saidLine } from "./said.js";

const subjectOf = ({ page, begins, key }: FormView): Subject => ({ page, row: begins, key });

/** Whether choices were looked for: what was found has the focus. */
export const isSearched = ({ fields }: FormView): boolean => fields.some(({ offer }) => Boolean(offer?.searched));

const isWrong = ({ problems, conflicts }: FormView): boolean => problems.length > 0 || conflicts.length > 0;

/** What stands over so many problems. */
const headingOfProblems = (language: Language, count: number): string =>
  count === 1 ? word(language, "one-thing") : word(language, "many-things", { count });

/** The first control that was refused, or that somebody else has changed too. */
const firstWrong = ({ fields }: FormView): FieldView | undefined =>
  fields.find(({ problems, conflict }) => problems.length > 0 || conflict !== null);

/** What is wrong, above the form, each line a link to its field (WCAG 2.2, 3.3.1). */
function summary(view: FormView): Markup | null {
  const say = (code: Word, places?: Record<string, string | number>): string => word(view.page.language, code, places);
  const lines = [
    ...view.problems,
    ...view.conflicts.map(({ field }) => ({
      field,
      message: say("conflict-field", {
        label: view.fields.find((each) => each.field.column.name === field)?.field.label ?? field,
      }),
    })),
  ];
  if (lines.length === 0) return null;
  const heading =
    view.conflicts.length > 0
      ? say("conflict-heading")
      : view.heading
        ? say(view.heading)
        : headingOfProblems(view.page.language, lines.length);
  const list = lines.map(({ field, message }) => {
    if (field === reasonName) return html`<li><a href="#${view.ids}reason">${message}</a></li>`;
    const found = view.fields.find((each) => each.field.column.name === field && isTaken(each.field, view.form));
    return found ? html`<li><a href="#${idOf(found.field, view.ids)}">${message}</a></li>` : html`<li>${message}</li>`;
  });
  const advice = say(
    view.conflicts.length > 0 ? "conflict-advice" : view.certain ? "typed-is-here" : "typed-is-here-only",
    { button: saveText(subjectOf(view), view.form) },
  );
  const kind = view.heading === "heading-look-again" ? "quill-summary quill-asking" : "quill-summary";
  return html`<section class="${kind}" role="alert" tabindex="-1"${attributes({ autofocus: firstWrong(view) === undefined })} aria-labelledby="${view.ids}summary-heading"><h2 id="${view.ids}summary-heading">${heading}</h2><ul>${list}</ul><p>${advice}</p></section>`;
}

/** The key, where the fields do not show it. */
export const keyLine = (view: Pick<FormView, "page" | "fields" | "key">): Markup | null =>
  view.page.key.every((column) => view.fields.some((each) => each.field.column.name === column.name))
    ? null
    : html`<dl class="quill-key">${view.page.key.map((column, index) => html`<div><dt>${view.fields.find((each) => each.field.column.name === column.name)?.field.label ?? labelFrom(column.name)}</dt><dd>${view.key[index] ?? ""}</dd></div>`)}</dl>`;

/** What the script says of a search, with its places left open. */
const foundWords = ({ page }: FormView): string =>
  JSON.stringify({
    none: word(page.language, "found-none", { text: "{text}" }),
    some: word(page.language, "found-some", { count: "{count}" }),
    more: word(page.language, "found-more", { count: "{count}" }),
    shown: word(page.language, "choices-shown"),
    pending: word(page.language, "choice-pending"),
  });

/**
 * The button that the enter key presses: a form's first one (HTML, 4.10.21.2). Without it that would be the first field's search;
 * it has no name, so that the reader can tell it from the button that says what it does.
 */
const byEnter = html`<button class="quill-unseen" tabindex="-1" aria-hidden="true"></button>`;

/** The ways to the records that stand beside this one in its list. */
function neighbourLinks({ page, key, kept }: FormView, frame: Frame): Markup {
  const to = (by: keyof typeof neighbourSegments): string =>
    `${frame.base}${page.path.list}/${[by, ...key.map(encodeSegment)].join("/")}${queryText(kept)}`;
  return html`<span class="quill-neighbours"><a rel="prev" accesskey="p" href="${to("~previous")}">${word(page.language, "back")}</a><a rel="next" accesskey="n" href="${to("~next")}">${word(page.language, "further")}</a></span>`;
}

/** What a form remembers of its making. */
export const tokenInput = (token: string, prefix = ""): Markup =>
  html`<input type="hidden" name="${prefix}${tokenName}" value=${inApostrophes(token)}>`;

/** Where somebody else's value stands beside what was typed: told still when the form comes back for another reason. */
export const conflictsLine = ({ conflicts }: FormView, prefix = ""): Markup | null =>
  conflicts.length > 0
    ? html`<input type="hidden" name="${prefix}${conflictsName}" value="${JSON.stringify(conflicts.map(({ field }) => field))}">`
    : null;

/** Why it is saved: asked for by the page, kept in the log. */
function reasonBlock({ page, reason, ids }: FormView): Markup | null {
  if (!reason) return null;
  const { language } = page;
  const id = `${ids}reason`;
  const shared = attributes({
    id,
    name: reasonName,
    rows: "2",
    maxlength: "1000",
    "aria-describedby": `${id}-help${reason.problem ? ` ${id}-problem` : ""}`,
    "aria-invalid": reason.problem ? "true" : null,
  });
  return html`<div class="quill-field${reason.problem ? " quill-wrong" : ""}" data-own="${reasonName}"><label for="${id}">${word(language, "reason")}</label><p class="quill-help" id="${id}-help">${word(language, "reason-help")}</p><div class="quill-control"><textarea${shared}>
${reason.text}</textarea></div>${reason.problem && html`<p class="quill-problem" id="${id}-problem">${reason.problem}</p>`}</div>`;
}

/** A form with what stands around it, as a part of a page. */
interface FormPart {
  /** What is said above it: notices, and what is wrong. */
  readonly above: Markup;
  readonly form: Markup;
  /** The form in its pieces; null where there is nothing to send. */
  readonly pieces: FormPieces | null;
  /** The title of the document that it stands in. */
  readonly title: string;
}

/** Where a form is sent. */
export const actionOf = ({ page, form, key, kept }: FormView, base: string): string =>
  `${base}${form === "new" ? `${page.path.list}/new` : `${recordAddress(page.path, key)}/edit`}${queryText(kept)}`;

/** The form of one record, or of a new one, as a part of a page. */
export function formPart(view: FormView, frame: Frame): FormPart {
  const { page } = view;
  const { language } = page;
  const list = `${frame.base}${page.path.list}`;
  const kept = queryText(view.kept);
  const locked = view.locked !== null;
  const isNew = view.form === "new";
  const record = `${frame.base}${recordAddress(page.path, view.key)}`;
  const action = actionOf(view, frame.base);
  const choosing = !locked && view.fields.some(({ offer, depends }) => depends || offer?.by === "search");
  const removal =
    view.removable && html`<a class="quill-removal" href="${record}/delete${kept}">${deleteText(subjectOf(view))}</a>`;
  const first = firstWrong(view);
  const blocks = view.fields.map((field) =>
    fieldBlock(
      field === first ? { ...field, hasFocus: true } : field,
      !locked && isTaken(field.field, view.form),
      language,
      view.ids,
    ),
  );
  const fields = grouped(view.fields, blocks);
  const reason = reasonBlock(view);
  const isMarked = !locked && view.fields.some(({ field, isNeeded }) => isNeeded && isTaken(field, view.form));
  const needed = isMarked && html`<p class="quill-help quill-needed-help">${word(language, "needed-marked")}</p>`;
  const actions = html`<p class="quill-actions"><button name="${saveName}"${attributes({ accesskey: view.ids === "" ? "s" : null })}>${saveText(subjectOf(view), view.form)}</button><a href="${view.back ?? `${list}${kept}`}">${word(language, "cancel")}</a>${removal}</p>`;
  const around = (inside: Markup): Markup =>
    html`<form class="quill-sheet" method="post" action="${action}"${sendWords(page)}${attributes({ enctype: view.fields.some(({ control }) => control === "file") ? "multipart/form-data" : null })}${isNew ? leaveWords(page) : changedWords(page)}${choosing && attributes({ "data-choices": `${list}/${choicesSegment}`, "data-words": foundWords(view) })}>${tokenInput(view.token)}${conflictsLine(view)}${byEnter}${inside}</form>`;
  const form = locked
    ? html`<div class="quill-sheet">${fields}</div><p class="quill-actions"><a href="${view.back ?? `${list}${kept}`}">${word(language, "back-to", { list: page.plural })}</a></p>`
    : around(html`${needed}${fields}${reason}${actions}`);
  const pieces: FormPieces | null = locked
    ? null
    : {
        kind: view.form,
        fields: view.fields.map(({ field }, index) => ({
          name: field.column.name,
          label: field.label,
          block: blocks[index] ?? html``,
        })),
        reason,
        actions,
        around,
      };
  const wrong = isWrong(view);
  const above = html`${saidLine(view.notice, language)}${view.locked !== null && html`<p class="quill-locked" role="status">${view.locked}</p>`}${summary(view)}`;
  const title = view.heading
    ? `${word(language, view.heading)}: ${view.title}`
    : wrong
      ? word(language, "put-right", { title: view.title })
      : view.title;
  return { above, form, pieces, title };
}

/** What the script says where a form that it sends is not answered by a page. */
export const sendWords = memoizePerPage(({ language }) => {
  const words = {
    sending: word(language, "sending"),
    away: word(language, "server-away"),
    strange: word(language, "server-strange", { status: "{status}" }),
    kept: word(language, "typed-is-here-only"),
    open: word(language, "open-elsewhere"),
  };
  return html` data-send=${inApostrophes(JSON.stringify(words))}`;
});

/** What is asked before what was typed is left. */
const leaveWords = memoizePerPage(({ language }) => attributes({ "data-leave": word(language, "leave-unsaved") }));

/** The same, and what the script says of a field that differs from what is stored. */
const changedWords = memoizePerPage((page) => {
  const { language } = page;
  const words = {
    stored: word(language, "stored-value"),
    back: word(language, "put-back"),
    yes: word(language, "yes"),
    no: word(language, "no"),
    day: dayPattern(language),
  };
  return html`${leaveWords(page)} data-changed=${inApostrophes(JSON.stringify(words))}`;
});

const ways: AccessKeys = [
  ["N", "key-next"],
  ["P", "key-previous"],
];
const keysOf: Readonly<Record<"edit" | "locked" | "new", AccessKeys>> = {
  edit: [["S", "key-save"], ...ways],
  locked: ways,
  new: [["S", "key-save"]],
};

/** The page of one record's form, or of a new one. */
export function formPage(view: FormView, given: Frame): PageParts {
  const { page } = view;
  const frame = { ...given, language: page.language };
  const { above, form, pieces, title } = formPart(view, frame);
  const isNew = view.form === "new";
  const heading = html`<nav class="quill-back" aria-label="${word(page.language, "way-back")}"><a href="${frame.base}${page.path.list}${queryText(view.kept)}">${page.plural}</a>${isNew ? null : neighbourLinks(view, frame)}</nav>
${headingOf(view.title, !isWrong(view) && !isSearched(view))}${isNew ? null : keyLine(view)}`;
  const scripted = view.locked === null;
  const keys = accessKeys(page.language, isNew ? keysOf.new : scripted ? keysOf.edit : keysOf.locked);
  const withKeys = (content: Markup): Markup => html`${content}${keys}`;
  return partsOf(frame, {
    title,
    heading,
    notice: above,
    content: withKeys(form),
    form: pieces && { ...pieces, around: (inside) => withKeys(pieces.around(inside)) },
    scripted,
  });
}
