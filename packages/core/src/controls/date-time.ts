import { attributes } from "../markup/markup.js";
import { inZone } from "../values/in-zone.js";
import { type ControlKind, line, outOfCalendar } from "./control.js";

/** A date-time control drops every text that is not of its form (HTML, 4.10.5.1.11); it knows thousandths at most. */
const keeps = (text: string): boolean =>
  text === "" || /^(?!0000)\d{4}-\d\d-\d\dT\d\d:\d\d(:\d\d(\.\d{1,3})?)?$/.test(text);

/** A day and a time of day, in the page's time zone where the column has one. */
export const dateTime: ControlKind<"date-time"> = {
  name: "date-time",
  shows: ({ type }) => type.kind === "timestamp" || type.kind === "timestamptz",
  keeps,
  plainer: "text",
  unshown: (name) => `(${outOfCalendar(name)} OR extract(microseconds FROM ${name})::bigint % 1000 <> 0)`,
  textOf: (stored, { type }, timeZone) => {
    const local = type.kind === "timestamptz" ? (inZone(stored, timeZone) ?? stored) : stored;
    const wanted = local.replace(" ", "T");
    return keeps(wanted) ? wanted : local;
  },
  // A browser adds or drops seconds and fractions that are zero.
  normal: (text) => {
    const match = /^(\d{4,}-\d\d-\d\d)[T ](\d\d:\d\d)(?::(\d\d)(?:\.(\d+))?)?$/.exec(text.trim());
    if (!match) return text;
    const fraction = (match[4] ?? "").replace(/0+$/, "");
    return `${match[1]}T${match[2]}:${match[3] ?? "00"}${fraction ? `.${fraction}` : ""}`;
  },
  refuses: (value) => (/^\d{4}-\d\d-\d\d \d\d:[^B]*$/.test(value) ? null : "not-a-time"),
  // The T between date and time is the control's (HTML, 2.3.5.5), not a reader's.
  told: (text) => text.replace("T", " "),
  shape: (text) => String(text.includes(".")),
  unfinished: "not-a-time",
  write: ({ common, text, content }) =>
    line(
      attributes({
        ...common,
        type: "datetime-local",
        step: text.includes(".") ? "0.001" : "1",
      }),
      content,
    ),
};
