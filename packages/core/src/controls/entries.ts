import { attributes, html } from "../markup/markup.js";
import type { Column } from "../table/model.js";
import { arrayText, entriesOf } from "../values/text-array.js";
import type { ControlKind } from "./control.js";

/** Whether a column holds lists of texts. */
const isTextArray = ({ type }: Column): boolean =>
  type.kind === "other" && /^(text|character varying|character varying\(\d+\)|citext)\[\]$/.test(type.shown);

/** Entries that stand on a line each: none is null, empty, has a line break, or begins or ends with a space. */
const isPlain = (entries: readonly (string | null)[] | null): entries is readonly string[] =>
  entries?.every((each) => each !== null && each !== "" && each === each.trim() && !/[\r\n]/.test(each)) === true;

/** A list of texts, one on each line. */
export const entries: ControlKind<"entries"> = {
  name: "entries",
  shows: (column) => isTextArray(column),
  // What has no line of its own is shown as PostgreSQL writes it, which begins with a brace.
  keeps: (text) => !text.startsWith("{"),
  plainer: "multi-line",
  unshown: (name) =>
    `(array_ndims(${name}) > 1 OR EXISTS (SELECT FROM unnest(${name}::text[] COLLATE "default") AS e WHERE e IS NULL OR e = '' OR e <> btrim(e) OR e ~ '[\\n\\r]' OR e ~ '^\\{'))`,
  textOf: (stored) => {
    const read = entriesOf(stored);
    return isPlain(read) && !read[0]?.startsWith("{") ? read.join("\n") : stored;
  },
  valueText: (text, { nullable }) => {
    if (text.startsWith("{")) return text;
    const lines = text.split("\n").flatMap((line) => (line.trim() === "" ? [] : [line.trim()]));
    return lines.length === 0 && nullable ? "" : arrayText(lines);
  },
  normal: (text) =>
    text
      .split("\n")
      .map((line) => line.trim())
      .filter((line) => line !== "")
      .join("\n"),
  told: (text) => text.replaceAll("\n", ", "),
  write: ({ common, content }) => html`<textarea${attributes({ ...common, rows: "4", class: "quill-entries" })}>
${content}</textarea>`,
};
