import Big from "big.js";
import { quoted } from "../postgres/statement.js";
import { setting } from "./bound.js";
import { numbers, type RuleKind } from "./rule.js";

/** Whether a number is a whole multiple of a step, counted from zero; what is no ordinary number is not. */
export const isMultiple = (value: string, step: string): boolean =>
  /^[+-]?[\d.]/.test(value) && new Big(value).mod(step).eq(0);

/** A whole multiple of a step, counted from zero. */
export const step: RuleKind<string, string | number> = {
  name: "step",
  label: "Step",
  inFile: {
    schema: setting,
    byName: false,
    first: 1,
    parts: [{ name: null, label: "Step", as: "bound" }],
    fits: numbers,
    takes: "a number",
    means: "A multiple of it, counted from zero.",
  },
  demandOf: (setting) => String(setting),
  ofTable: ({ demands }, { name, type }) =>
    numbers.includes(type.kind)
      ? demands.flatMap(({ column, by, values }) => (column === name && by === "step" ? values : []))
      : [],
  implied: (by, others) => others.some((other) => other === by),
  words: (by) => `step ${by}`,
  broken: (by, { value }) => (isMultiple(value ?? "", by) ? null : ["step", { limit: by }]),
  schema: (by): Readonly<Record<string, number>> => (Number(by) > 0 ? { multipleOf: Number(by) } : {}),
  counted: (by, column) => {
    const name = `t.${quoted(column.name)}`;
    return {
      by: "predicate",
      refused: (parameters) =>
        `(CASE WHEN ${name}::text IN ('NaN', 'Infinity', '-Infinity') THEN true ELSE mod(${name}::text::numeric, ${parameters.add(by, "numeric")}) <> 0 END)`,
    };
  },
  enforcement: (by, column) => ({
    by: "check",
    name: "step",
    check: `mod(${quoted(column.name)}::numeric, ${by}) = 0`,
  }),
};
