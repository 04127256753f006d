import { attributes } from "../markup/markup.js";
import { type ControlKind, line, outOfCalendar } from "./control.js";

/** A day of the years 1 to 9999. A date control drops every text that is no date of its form (HTML, 4.10.5.1.7). */
export const date: ControlKind<"date"> = {
  name: "date",
  shows: ({ type }) => type.kind === "date",
  keeps: (text) => text === "" || /^(?!0000)\d{4}-\d\d-\d\d$/.test(text),
  plainer: "text",
  unshown: outOfCalendar,
  refuses: (value) => (/^\d{4}-\d\d-\d\d$/.test(value) ? null : "not-a-date"),
  unfinished: "not-a-date",
  write: ({ common, content }) => line(attributes({ ...common, type: "date", max: "9999-12-31" }), content),
};
