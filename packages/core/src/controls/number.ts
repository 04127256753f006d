import { attributes } from "../markup/markup.js";
import { inLanguage } from "../values/in-language.js";
import { type ControlKind, isSingleLine, line, withLineBreaks } from "./control.js";

const inputModes: Partial<Record<string, string>> = { integer: "numeric", decimal: "decimal", float: "decimal" };

/** A number, exactly as it is typed: a browser's own control for numbers would make one of its own of it. */
export const number: ControlKind<"number"> = {
  name: "number",
  shows: ({ type }) => type.kind in inputModes,
  keeps: isSingleLine,
  plainer: "multi-line",
  unshown: withLineBreaks,
  textOf: (stored, { type }, _timeZone, language) => inLanguage(type.kind, stored, language),
  write: ({ common, column, content }) =>
    line(
      attributes({
        ...common,
        type: "text",
        inputmode: inputModes[column.type.kind] ?? "decimal",
        class: "quill-figure",
        autocomplete: "off",
      }),
      content,
    ),
};
