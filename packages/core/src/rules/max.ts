import { boundRule } from "./bound.js";

/** The value or below. */
export const max = boundRule(
  { name: "max", label: "Maximum", opposite: "min", outside: 1, inclusive: "<=", exclusive: "<" },
  "The value or below.",
);
