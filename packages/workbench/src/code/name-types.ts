import { type EditorView, hoverTooltip } from "@codemirror/view";
import type { Names } from "./condition-names.js";

/** The type of the name under the pointer. */
export const nameTypes = (names: () => Names) =>
  hoverTooltip((view: EditorView, position) => {
    const line = view.state.doc.lineAt(position);
    for (const match of line.text.matchAll(/\b(row|form|actor)\.(\w+)/g)) {
      const from = line.from + match.index;
      if (position < from || position > from + match[0].length) continue;
      const known = names().find(({ of, name }) => of === match[1] && name === match[2]);
      const dom = document.createElement("div");
      dom.textContent = known ? `${match[0]}: ${known.type}` : `${match[0]} is not known`;
      return { pos: from, end: from + match[0].length, create: () => ({ dom }) };
    }
    return null;
  });
