import type { Code } from "../messages/codes.js";
import { titleOfCode, word } from "../messages/messages.js";
import { document, type Frame } from "./layout.js";
import { html } from "./markup.js";

/** What a refusal shows: the catalogue's words, a way back, and what was typed where a form was refused whole. */
export interface Notice {
  readonly code: Code;
  /** Words of the page itself, before the catalogue's advice. */
  readonly because: string | null;
  readonly back: { readonly href: string; readonly text: string } | null;
  readonly typed: readonly { readonly label: string; readonly text: string }[];
}

/** A page that says why something can't be done and what to do. */
export function noticePage(notice: Notice, frame: Frame): string {
  const { title, advice } = titleOfCode(frame.language, notice.code);
  const typed =
    notice.typed.length > 0 &&
    html`<h2>${word(frame.language, "what-you-typed")}</h2><dl class="typed">${notice.typed.map(({ label, text }) => html`<div><dt>${label}</dt><dd>${text}</dd></div>`)}</dl>`;
  const main = html`<h1>${title}</h1>
${notice.because && html`<p>${notice.because}</p>`}<p>${advice}</p>
${notice.back && html`<p><a href="${notice.back.href}">${notice.back.text}</a></p>`}${typed}`;
  return document(frame, title, main);
}
