import { attributes, html, type Markup } from "../markup/markup.js";
import type { Code } from "../messages/codes.js";
import { type Language, titleOfCode, word } from "../messages/messages.js";
import type { Frame } from "../views/frame.js";
import type { PageParts } from "../views/page-parts.js";
import type { TypedText } from "../views/typed.js";
import { partsOf } from "./layout.js";

/** What a refusal shows: the catalogue's words, a way back, and what was typed where a form was refused whole. */
export interface Notice {
  readonly code: Code;
  /** Words of the page itself, before the catalogue's advice. */
  readonly because: string | null;
  readonly back: { readonly href: string; readonly text: string } | null;
  readonly typed: readonly TypedText[];
  /**
   * A form that was refused for want of a sign-in, carried on: through a sign-in that takes it along and brings it back; or kept on
   * this page, to be sent again once somebody has signed in elsewhere.
   */
  readonly carry:
    | { readonly through: string; readonly next: string; readonly carried: string }
    | { readonly signIn: string | null; readonly resend: Resend }
    | null;
}

/** A form to be sent again as it was. */
export interface Resend {
  readonly address: string;
  readonly pairs: readonly (readonly [name: string, value: string])[];
}

/**
 * A form that holds all that another one sent, unseen, and a button that sends it again.
 *
 * @param byItself whether the script of the pages sends it at once
 */
export const resendForm = ({ address, pairs }: Resend, button: string, byItself = false): Markup =>
  html`<form method="post" action="${address}"${attributes({ "data-resend": byItself })}>${pairs.map(([name, value]) => html`<input type="hidden" name="${name}" value="${value}">`)}<p class="quill-actions"><button>${button}</button></p></form>`;

function carryForm(carry: Notice["carry"], language: Language): Markup | null {
  if (!carry) return null;
  if ("through" in carry)
    return html`<form method="post" action="${carry.through}"><input type="hidden" name="next" value="${carry.next}"><input type="hidden" name="carried" value="${carry.carried}"><p class="quill-actions"><button>${word(language, "sign-in-and-go-on")}</button></p></form>`;
  const link =
    carry.signIn !== null &&
    html`<p><a href="${carry.signIn}" target="_blank" rel="noopener">${word(language, "sign-in-elsewhere")}</a></p>`;
  return html`${link}${resendForm(carry.resend, word(language, "go-on-with-form"))}`;
}

/** What was typed in fields that can't be sent again. */
export const typedList = (typed: readonly TypedText[]): Markup =>
  html`<dl class="quill-typed">${typed.map(({ label, text }) => html`<div><dt>${label}</dt><dd>${text}</dd></div>`)}</dl>`;

/** A page that says why something can't be done and what to do. */
export function noticePage(notice: Notice, frame: Frame): PageParts {
  const { title, advice } = titleOfCode(frame.language, notice.code);
  const typed =
    notice.typed.length > 0 && html`<h2>${word(frame.language, "what-you-typed")}</h2>${typedList(notice.typed)}`;
  const heading = html`<h1>${title}</h1>`;
  const workbench =
    notice.code === "page-unsound" &&
    frame.workbench !== undefined &&
    html`<p><a href="${frame.workbench}">${word(frame.language, "workbench-says-where")}</a></p>`;
  const content = html`${notice.because && html`<p>${notice.because}</p>`}<p>${advice}</p>${workbench}
${carryForm(notice.carry, frame.language)}${notice.back && html`<p><a href="${notice.back.href}">${notice.back.text}</a></p>`}${typed}`;
  return partsOf(frame, { title, heading, content });
}

/** The page that says to somebody who is not signed in that they have to be. */
export const signedOutPage = (frame: Frame): PageParts =>
  noticePage({ code: "signed-out", because: null, back: null, carry: null, typed: [] }, frame);
