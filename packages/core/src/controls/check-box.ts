import { attributes, html } from "../markup/markup.js";
import { word } from "../messages/messages.js";
import type { ControlKind } from "./control.js";

/**
 * The hidden control beside a check box: a box that is not ticked sends nothing, so this one says that it was on the form. A
 * body that was cut short, or made by hand, switches nothing off.
 */
export const boxName = (name: string): string => `quill.box:${name}`;

/** Yes or no. */
export const checkBox: ControlKind<"check-box"> = {
  name: "check-box",
  shows: ({ type, nullable }) => type.kind === "boolean" && !nullable,
  keeps: () => true,
  empty: "false",
  told: (text, language) => word(language, text === "true" ? "yes" : "no"),
  isBox: true,
  shape: (text) => text,
  write: ({ common, box, text }) =>
    html`<input type="hidden" name="${box}" value=""><input${attributes({ ...common, type: "checkbox", value: "true", checked: text === "true" })}>`,
};
