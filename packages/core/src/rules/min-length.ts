import * as v from "valibot";
import { quoted } from "../postgres/statement.js";
import { castText } from "../postgres/text-form.js";
import { maxLength } from "./max-length.js";
import { demandsOf, type RuleKind, takeOffRule } from "./rule.js";

/** At least so many characters (code points). */
export const minLength: RuleKind<number, number> = {
  name: "min-length",
  label: "Minimum length",
  inFile: {
    schema: v.pipe(v.number(), v.integer(), v.minValue(0)),
    byName: false,
    first: 1,
    parts: [{ name: null, label: "Characters", as: "count" }],
    fits: ["text"],
    takes: "a whole number",
    means: "At least so many characters.",
  },
  demandOf: (setting) => setting,
  // One character is there wherever there is a value, but for an empty text.
  ofTable: ({ demands }, { name, type }, _, empty) =>
    type.kind === "text" && type.cast !== "bpchar"
      ? demands.flatMap(({ column, by, values: [least] }) =>
          column === name && by === "characters >=" && Number(least) > (empty === "text" ? 0 : 1)
            ? [Number(least)]
            : [],
        )
      : [],
  implied: (characters, others) => others.some((other) => other > characters),
  words: (characters) => `at least ${characters} characters`,
  schema: (characters) => ({ minLength: characters }),
  broken: (limit, { text }) => {
    const given = [...text].length;
    return given < limit ? ["min-length", { given, limit }] : null;
  },
  review: (characters, { rules, path, say }) => {
    const most = Math.min(...demandsOf(rules, maxLength).map(({ demand }) => demand));
    if (characters > most)
      say(
        "error",
        "contradiction",
        `No text can have at least ${characters} and at most ${most} characters at once.`,
        path,
        { repair: takeOffRule(path) },
      );
  },
  counted: (characters, column) => ({
    by: "predicate",
    refused: (parameters) =>
      `char_length(${castText(`t.${quoted(column.name)}`, column)}) < ${parameters.add(String(characters), "integer")}`,
  }),
  enforcement: (characters, column) => ({
    by: "check",
    name: "least_length",
    check: `char_length(${quoted(column.name)}) >= ${characters}`,
  }),
};
