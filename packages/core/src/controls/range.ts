import { attributes, html } from "../markup/markup.js";
import { inLanguage } from "../values/in-language.js";
import { between, endsOf, rangeKind, readRange, toldEnds, typedEnds } from "../values/range.js";
import { type ControlKind, outOfCalendar } from "./control.js";
import { date } from "./date.js";
import { dateTime } from "./date-time.js";

/** An end that its control brings back as it was: a day, a moment, or a whole number, which is typed as text. */
const keepsEnd = (end: string): boolean => date.keeps(end) || dateTime.keeps(end) || /^[+-]?\d{1,19}$/.test(end);

const normalEnd = (end: string): string => dateTime.normal?.(end) ?? end;

/**
 * From when to when, or from which number to which: two controls of one name, whose texts are one with a solidus between them. Of days and whole
 * numbers the last one is in it.
 */
export const range: ControlKind<"range"> = {
  name: "range",
  shows: ({ type }) => rangeKind(type) !== undefined,
  // What has other ends stands as PostgreSQL writes it, in one line of text.
  keeps: (text) => text === "" || typedEnds(text)?.every(keepsEnd) === true,
  plainer: "text",
  unshown: (name, { type }) => {
    const kind = rangeKind(type);
    const ends = kind === "integer" ? [] : [`lower(${name})`, `upper(${name})`];
    return `(isempty(${name}) OR (lower_inf(${name}) AND upper_inf(${name})) OR upper_inc(${name}) OR NOT (lower_inc(${name}) OR lower_inf(${name}))${ends
      .map(
        (end) =>
          ` OR coalesce(${outOfCalendar(end)}, false)${kind === "date" ? "" : ` OR coalesce(extract(microseconds FROM ${end})::bigint % 1000 <> 0, false)`}`,
      )
      .join("")})`;
  },
  textOf: (stored, column, timeZone, language) => {
    const kind = rangeKind(column.type);
    const ends = kind && endsOf(kind, stored);
    if (!ends) return stored;
    const told = (end: string | null): string =>
      end !== null && kind !== "integer" && kind !== "date"
        ? (dateTime.textOf?.(end, { ...column, type: { ...column.type, kind } }, timeZone, language) ?? end)
        : (end ?? "");
    return told(ends.from) + between + told(ends.until);
  },
  joined: (ends) => (ends.every((end) => end.trim() === "") ? "" : ends.join(between)),
  read: (text, { type }, timeZone, language) => {
    const [kind, ends] = [rangeKind(type), typedEnds(text)];
    return kind && ends ? readRange(kind, ends, timeZone, language) : null;
  },
  normal: (text) => {
    const ends = typedEnds(text);
    return ends ? ends.map(normalEnd).join(between) : text;
  },
  told: (text, language) => {
    const written = (end: string): string => inLanguage("timestamp", end.replace("T", " "), language);
    const ends = typedEnds(text);
    return ends ? toldEnds(written(ends[0]), written(ends[1])) : text;
  },
  unfinished: "end-unfinished",
  isGroup: true,
  content: (_, text) => text,
  write: ({ common, column, text, words }) => {
    const kind = rangeKind(column.type);
    const { id, name, "aria-label": row, autofocus, placeholder: _, ...shared } = common;
    const [from = "", until = ""] = typedEnds(text) ?? [];
    const isMoment = kind === "timestamp" || kind === "timestamptz";
    const type =
      kind === "date"
        ? { type: "date", max: "9999-12-31" }
        : isMoment
          ? { type: "datetime-local", step: text.includes(".") ? "0.001" : "1" }
          : { type: "text", inputmode: "numeric", class: "quill-figure", autocomplete: "off" };
    const labels = kind === "date" ? [words.firstDay, words.lastDay] : [words.from, words.until];
    const ends = [from, until].map((end, index) => {
      const own = index === 0 ? String(id) : `${String(id)}-until`;
      const named = { ...shared, ...type, id: own, name: name ?? null, value: end };
      // In a row of a list what stands before it is the column's heading.
      const label = row ? { "aria-label": `${String(row)}, ${labels[index]}` } : {};
      const focused = index === 0 ? { autofocus: autofocus ?? null } : {};
      return html`<span class="quill-end"><label for="${own}">${labels[index]}</label><input${attributes({ ...named, ...label, ...focused })}></span>`;
    });
    return html`<span class="quill-options">${ends}</span>`;
  },
};
