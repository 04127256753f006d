import { html } from "../markup/markup.js";
import { word } from "../messages/messages.js";
import type { Page } from "../page/page.js";
import type { Frame } from "../views/frame.js";
import type { PageParts } from "../views/page-parts.js";
import { partsOf } from "./layout.js";

/** The page that leads to all others: what is served together, as far as it is open to somebody. */
export function indexPage(pages: readonly Page[], frame: Frame): PageParts {
  const title = word(frame.language, "all-pages");
  const links = pages.map(
    ({ path, plural, description }) =>
      html`<li><a href="${frame.base}${path.list}">${plural}</a>${description && html`<p>${description}</p>`}</li>`,
  );
  const content =
    pages.length > 0
      ? html`<ul class="quill-pages">${links}</ul>`
      : html`<p class="quill-empty">${word(frame.language, "no-page-open")}</p>`;
  return partsOf(frame, { title, heading: html`<h1>${title}</h1>`, content });
}
