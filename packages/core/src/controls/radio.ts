import { attributes, html, Markup } from "../markup/markup.js";
import type { ControlKind } from "./control.js";

/** One of a few options, all in view (HTML, 4.10.5.1.16). */
export const radio: ControlKind<"radio"> = {
  name: "radio",
  shows: (_, choices) => choices !== null && !(choices.from === "table" && choices.by === "search"),
  isPlain: true,
  keeps: () => true,
  isGroup: true,
  // Where none is chosen nothing is sent for them.
  unsent: "",
  write: ({ common, column, box, text, options }) => {
    const { id, name, placeholder: _, ...shared } = common;
    const all = column.nullable ? [{ value: "", label: "–" }, ...options] : options;
    const lines = all.map(({ value, label }, index) => {
      const own = index === 0 ? id : `${id}-${index + 1}`;
      return html`<span class="quill-option"><input${attributes({ ...shared, id: own ?? null, name: name ?? null, type: "radio", value, checked: value === text })}><label for="${String(own)}">${label}</label></span>`;
    });
    return html`<input type="hidden" name="${box}" value=""><span class="quill-options">${lines}</span>`;
  },
  content: (_, text, options) => new Markup(`${text} ${options.length}`).text,
};
