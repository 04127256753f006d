import * as v from "valibot";
import { quoted } from "../postgres/statement.js";
import { castText } from "../postgres/text-form.js";
import { type RuleKind, takeOffRule } from "./rule.js";

/** At most so many characters (code points), as `varchar(n)` counts them. */
export const maxLength: RuleKind<number, number> = {
  name: "max-length",
  label: "Maximum length",
  inFile: {
    schema: v.pipe(v.number(), v.integer(), v.minValue(1)),
    byName: false,
    first: 100,
    parts: [{ name: null, label: "Characters", as: "count" }],
    fits: ["text"],
    takes: "a whole number",
    means: "At most so many characters.",
  },
  demandOf: (setting) => setting,
  ofTable: (_, { type }) => (type.maxLength === null ? [] : [type.maxLength]),
  words: (characters) => `at most ${characters} characters`,
  broken: (limit, { text }) => {
    const given = [...text].length;
    return given > limit ? ["max-length", { given, limit }] : null;
  },
  schema: (characters) => ({ maxLength: characters }),
  review: (characters, { column, path, say }) => {
    const { maxLength: most } = column.type;
    if (most !== null && characters > most)
      say("warning", "looser-than-table", `The table takes ${most} characters at most, the rule ${characters}.`, path, {
        repair: takeOffRule(path),
      });
  },
  counted: (characters, column) => ({
    by: "predicate",
    refused: (parameters) =>
      `char_length(${castText(`t.${quoted(column.name)}`, column)}) > ${parameters.add(String(characters), "integer")}`,
  }),
  enforcement: (characters, column) => ({
    by: "check",
    name: "most_length",
    check: `char_length(${quoted(column.name)}) <= ${characters}`,
  }),
};
