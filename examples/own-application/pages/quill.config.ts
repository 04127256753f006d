// A rule and a control of this application's own, by the names that its page files use.
import { defineConfig, defineControl, defineRule, html } from "@loyal-quill/runtime";

/** `MV 636 321`: the letters of the vale's grid, then east and north. */
const valeGrid = defineRule({
  name: "vale-grid",
  label: "Grid reference",
  words: "a place on the vale's grid, like MV 636 321",
  broken: (value) => {
    const [, east, north] = /^MV (\d{3}) (\d{3})$/.exec(value) ?? [];
    if (east === undefined || north === undefined)
      return "Write a grid reference as two groups of three digits, like 636 321.";
    return Number(east) < 100 || Number(north) < 100
      ? `${east} ${north} lies outside of the vale: both groups begin at 100.`
      : null;
  },
});

/** The letters stand before the field, since they are always the same; only the digits are typed. */
const gridControl = defineControl({
  name: "vale-grid",
  write: ({ attributes, text }) =>
    html`<span class="grid-letters" aria-hidden="true">MV</span><input${attributes} value="${text}" type="text" inputmode="numeric" size="8" autocomplete="off">`,
  textOf: (stored) => stored.replace(/^MV /, ""),
  valueText: (text) => (text === "" || text.startsWith("MV ") ? text : `MV ${text}`),
  told: (text) => `MV ${text}`,
  // What is no reference of this grid is shown whole, in a plain control.
  keeps: (text) => /^[\d ]*$/.test(text),
});

export default defineConfig({ rules: [valeGrid], controls: [gridControl] });
