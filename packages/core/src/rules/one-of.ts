import * as v from "valibot";
import { literal } from "../postgres/literal.js";
import { quoted } from "../postgres/statement.js";
import { castText } from "../postgres/text-form.js";
import type { Column } from "../table/model.js";
import { demandsOf, type Rule, type RuleKind } from "./rule.js";

type Values = readonly string[];

/** The values that a table takes for a column at all, where it lists them. */
function listOf(column: Column, rules: readonly Rule[]): Values | undefined {
  if (column.type.kind === "enum") return column.type.labels;
  if (column.type.kind === "boolean") return ["true", "false"];
  return demandsOf(rules, oneOf).find(({ from }) => from === "table")?.demand;
}

/** One of these values. */
export const oneOf: RuleKind<Values, Values> = {
  name: "one-of",
  label: "One of",
  inFile: {
    schema: v.pipe(v.array(v.string()), v.minLength(1)),
    byName: false,
    first: ["…"],
    parts: [{ name: null, label: "Values", as: "list" }],
    fits: "any",
    takes: "a list of texts",
    means: "One of these values.",
  },
  demandOf: (setting) => setting,
  ofTable: (table, { name, type }) => [
    ...(type.kind === "enum" ? [type.labels] : []),
    ...table.demands.flatMap((each) => (each.column === name && each.by === "in" ? [each.values] : [])),
  ],
  words: (values) => `one of ${values.join(", ")}`,
  broken: (values, { value }) => (values.includes(value ?? "") ? null : ["not-on-offer", {}]),
  schema: (values) => ({ enum: values }),
  review: (values, { column, rules, path, say }) => {
    const known = listOf(column, rules);
    const refused = values.filter((value) => known && !known.includes(value));
    if (refused.length === 0) return;
    const left = values.filter((value) => !refused.includes(value));
    say(
      "error",
      "table-refuses",
      `The table does not take ${refused.map((each) => `"${each}"`).join(", ")} for ${column.name}. It takes: ${known?.join(", ")}.`,
      path,
      {
        repair: {
          what: `leave out ${refused.join(", ")}`,
          edits: [{ do: "set", path: ["fields", ...path.slice(2), "one-of"], value: left }],
        },
      },
    );
  },
  counted: (values, column) => ({
    by: "predicate",
    refused: (parameters) =>
      `${castText(`t.${quoted(column.name)}`, column)} NOT IN (${values.map((value) => parameters.add(value, "text")).join(", ")})`,
  }),
  enforcement: (values, column) => ({
    by: "check",
    name: "one_of",
    check: `${quoted(column.name)}::text IN (${values.map(literal).join(", ")})`,
  }),
};
