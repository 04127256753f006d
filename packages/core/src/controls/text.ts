import { attributes } from "../markup/markup.js";
import { inLanguage } from "../values/in-language.js";
import { type ControlKind, isSingleLine, line, withLineBreaks } from "./control.js";

/** One line of text. */
export const text: ControlKind<"text"> = {
  name: "text",
  shows: () => true,
  isPlain: true,
  keeps: isSingleLine,
  plainer: "multi-line",
  unshown: withLineBreaks,
  // A moment with a time zone stands here as it is stored, in UTC.
  textOf: (stored, { type }, _timeZone, language) =>
    type.kind === "timestamptz" ? stored : inLanguage(type.kind, stored, language),
  write: ({ common, type, autocomplete, content }) => line(attributes({ ...common, type, autocomplete }), content),
};
