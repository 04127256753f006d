import { attributes } from "../markup/markup.js";
import { type ControlKind, isSingleLine, line, withLineBreaks } from "./control.js";

/** One line of text. */
export const text: ControlKind<"text"> = {
  name: "text",
  shows: () => true,
  isPlain: true,
  keeps: isSingleLine,
  plainer: "multi-line",
  unshown: withLineBreaks,
  write: ({ common, type, autocomplete, content }) => line(attributes({ ...common, type, autocomplete }), content),
};
