import { attributes, html } from "../markup/markup.js";
import { sizeIn, toldSize } from "../values/stamp.js";
import type { ControlKind } from "./control.js";

/** The check box that takes a stored file away. */
export const removeName = (name: string): string => `quill.remove:${name}`;

/** A file that is sent in (HTML, 4.10.5.1.17). What is stored is told by its size, and never sent back. */
export const file: ControlKind<"file"> = {
  name: "file",
  shows: ({ type }) => type.cast === "bytea" || type.kind === "text",
  isPlain: true,
  keeps: () => true,
  told: (text, language) => {
    const size = sizeIn(text);
    return size === null ? "" : toldSize(size, language);
  },
  isGroup: true,
  write: ({ common, column, text, words }) => {
    const { name, id, placeholder: _, ...shared } = common;
    const isStored = sizeIn(text) !== null;
    const remove =
      isStored &&
      column.nullable &&
      html`<span class="quill-option"><input${attributes({ type: "checkbox", id: `${String(id)}-remove`, name: removeName(String(name)), value: "true" })}><label for="${`${String(id)}-remove`}">${words.removeFile}</label></span>`;
    return html`<span class="quill-options"><input${attributes({ ...shared, id: id ?? null, name: name ?? null, type: "file", "aria-label": words.chooseFile })}>${remove}</span>`;
  },
};
