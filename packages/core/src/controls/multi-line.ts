import { attributes, html } from "../markup/markup.js";
import type { ControlKind } from "./control.js";

/** Several lines of text: it keeps every text. */
export const multiLine: ControlKind<"multi-line"> = {
  name: "multi-line",
  shows: () => true,
  isPlain: true,
  prefers: ({ type }) => type.kind === "json",
  keeps: () => true,
  // The line break after the tag is dropped by the parser (HTML, 13.2.6.4.7); without it the text's own first one would be.
  write: ({
    common,
    column,
    content,
  }) => html`<textarea${attributes({ ...common, rows: "5", class: column.type.kind === "json" ? "quill-code" : null })}>
${content}</textarea>`,
};
