import { attributes, escaped, html } from "../markup/markup.js";
import type { ControlKind } from "./control.js";

const none = '<option value="">–</option>';

/** One of the options of a list. */
export const choice: ControlKind<"choice"> = {
  name: "choice",
  shows: (_, choices) => choices !== null,
  keeps: () => true,
  content: ({ nullable }, text, options) => {
    let content = nullable || text === "" ? none : "";
    for (const { value, label } of options)
      content += `<option value="${escaped(value)}"${value === text ? " selected" : ""}>${escaped(label)}</option>`;
    return content;
  },
  write: ({ common, choosing, content }) => html`<select${attributes({ ...common, ...choosing })}>${content}</select>`,
};
