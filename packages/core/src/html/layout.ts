import { attributes, html, Markup } from "../markup/markup.js";
import type { Word } from "../messages/catalog.js";
import { type Language, languages, word } from "../messages/messages.js";
import type { Frame } from "../views/frame.js";
import type { PageParts } from "../views/page-parts.js";

function personLine(frame: Frame): Markup | null {
  if (!frame.person) return null;
  const { name: called, account } = frame.person;
  const name = account === undefined ? html`<span>${called}</span>` : html`<a href="${account}">${called}</a>`;
  const signOut =
    frame.signOut &&
    html`<form method="post" action="${frame.signOut.action}"><input type="hidden" name="token" value="${frame.signOut.token}"><button class="quill-plain">${word(frame.language, "sign-out")}</button></form>`;
  return html`<div class="quill-person">${name}${signOut}</div>`;
}

type Navigation = ReturnType<NonNullable<Frame["pages"]>>;

/** The last that was written of each navigation, by what stands in it besides. */
const navs = new WeakMap<Navigation, Pick<Frame, "language" | "home"> & { readonly nav: Markup | null }>();

/** The way from page to page: in a line where there is room for one, folded where there is not. */
function pagesNav({ pages, language, home }: Frame): Markup | null {
  const shown = pages?.();
  if (!shown) return null;
  const known = navs.get(shown);
  if (known?.language === language && known.home === home) return known.nav;
  const nav = writtenNav(shown, language, home);
  navs.set(shown, { language, home, nav });
  return nav;
}

function writtenNav({ links, more }: Navigation, language: Language, home: string): Markup | null {
  if (links.length < 2) return null;
  const name = word(language, "all-pages");
  const all = more && html`<li><a href="${home}">${word(language, "show-all")}</a></li>`;
  const list = html`<ul>${links.map(({ title, href, isCurrent }) => html`<li><a href="${href}"${attributes({ "aria-current": isCurrent ? "page" : null })}>${title}</a></li>`)}${all}</ul>`;
  return html`<nav class="quill-nav" aria-label="${name}">${list}</nav><details class="quill-nav-folded"><summary>${name}</summary><nav aria-label="${name}">${list}</nav></details>`;
}

const numberLine = ({ number, language }: Frame): Markup | null =>
  number === undefined
    ? null
    : html`<p class="quill-number">${word(language, "request-number")} <code>${number}</code></p>`;

/** The keys of a kind of page, each with what it does. */
export type AccessKeys = readonly (readonly [key: string, does: Word])[];

const keyLines = new WeakMap<AccessKeys, Map<Language, Markup>>();

/**
 * The keys by which a page's controls are reached (HTML, 6.8.2): which others go with them is the browser's.
 *
 * @param keys a constant list: its line is written once for each language
 */
export function accessKeys(language: Language, keys: AccessKeys): Markup {
  const lines = keyLines.get(keys) ?? new Map<Language, Markup>();
  keyLines.set(keys, lines);
  const known = lines.get(language);
  if (known) return known;
  // Each by itself, whichever way the page is read (Unicode, UAX 9, 2.4.2).
  const told = keys.map(([key, does]) => `\u2068${key} (${word(language, does)})\u2069`).join(", ");
  const line = html`<p class="quill-keys">${word(language, "access-keys", { keys: told })}</p>`;
  lines.set(language, line);
  return line;
}

/**
 * A whole document (HTML, 13.1) around a main part.
 *
 * @param scripted whether there is something for the script to do
 */
export function document(frame: Frame, title: string, main: Markup, scripted = false): string {
  return html`<!doctype html>
<html lang="${frame.language}" dir="${languages[frame.language].direction}">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<meta name="color-scheme" content="light dark">
<title>${title} · ${frame.application}</title>
${frame.styleSheets.map((address) => html`<link rel="stylesheet" href="${address}">`)}
<link rel="icon" href="data:,">${scripted && frame.script !== null && html`<script src="${frame.script}" type="module"></script>`}
</head>
<body class="quill quill-document">
<a class="quill-skip" href="#main">${word(frame.language, "skip")}</a>
<header class="quill-header"><a class="quill-home" href="${frame.home}">${frame.application}</a>${pagesNav(frame)}${personLine(frame)}</header>
<main id="main" tabindex="-1" class="quill-content" data-quill>${main}</main>
</body>
</html>
`.text;
}

const nothing = new Markup("");

/** The parts of a page, of which some may be left out. */
export const partsOf = (
  frame: Frame,
  given: Pick<PageParts, "title" | "heading" | "content"> & Partial<PageParts>,
): PageParts => ({
  notice: nothing,
  form: null,
  scripted: false,
  ...given,
  content: html`${given.content}${numberLine(frame)}`,
  language: frame.language,
});

/**
 * The heading of a page. It has the focus when the page is there, unless something on it is to be looked at first: a refused control, a row
 * that was saved, the way on of a search that has found nothing yet.
 */
export const headingOf = (text: string, hasFocus = true): Markup =>
  hasFocus ? html`<h1 tabindex="-1" autofocus>${text}</h1>` : html`<h1>${text}</h1>`;

/** A whole document of a page's parts. */
export const documentOf = (frame: Frame, { language, title, heading, notice, content, scripted }: PageParts): string =>
  document(
    { ...frame, language },
    title,
    html`${heading}
${notice}${content}`,
    scripted,
  );
