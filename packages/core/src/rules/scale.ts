import type { RuleKind } from "./rule.js";
import { isMultiple } from "./step.js";

/** The step of a scale below zero, which rounds to tens, hundreds and so on. */
const stepOf = (digits: number): string => `1${"0".repeat(-digits)}`;

/** At most so many digits after the point: what `numeric(p,s)` enforces. */
export const scale: RuleKind<number> = {
  name: "scale",
  label: "Digits after the point",
  inFile: null,
  demandOf: () => null,
  ofTable: (_, { type }) =>
    type.kind === "decimal" && type.precision !== null && type.scale !== null ? [type.scale] : [],
  words: (digits) => (digits < 0 ? `step ${stepOf(digits)}` : `at most ${digits} digits after the point`),
  broken: (digits, { value }) => {
    if (digits < 0) return isMultiple(value ?? "", stepOf(digits)) ? null : ["step", { limit: stepOf(digits) }];
    return (/\.(\d*)$/.exec(value ?? "")?.[1]?.length ?? 0) > digits ? ["scale", { limit: digits }] : null;
  },
};
