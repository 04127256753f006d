import { html, type Markup } from "../markup/markup.js";
import { type Language, word } from "../messages/messages.js";
import type { Said } from "../views/said.js";

/** The way to take back what was done. */
export const undoLink = (said: Said | null, language: Language): Markup | null =>
  said && said.undo !== null ? html` <a class="quill-undo" href="${said.undo}">${word(language, "undo")}</a>` : null;

/** The line that says what was done. */
export const saidLine = (said: Said | null, language: Language): Markup | null =>
  said && said.text !== ""
    ? html`<p class="quill-said" role="status">${said.text}${undoLink(said, language)}</p>`
    : null;
