import { html, type Markup } from "../markup/markup.js";
import type { FieldView } from "../views/form-view.js";

/** Fields that follow each other and have the same group stand together under its heading (HTML, 4.10.15). */
export function grouped(views: readonly FieldView[], blocks: readonly Markup[]): readonly Markup[] {
  const parts: Markup[] = [];
  for (let index = 0; index < views.length; ) {
    const group = views[index]?.field.group ?? null;
    let end = index + 1;
    while (group !== null && views[end]?.field.group === group) end += 1;
    const together = blocks.slice(index, end);
    parts.push(
      ...(group === null
        ? together
        : [html`<fieldset class="quill-group"><legend>${group}</legend>${together}</fieldset>`]),
    );
    index = end;
  }
  return parts;
}
