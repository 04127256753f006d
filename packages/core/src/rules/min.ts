import { boundRule } from "./bound.js";

/** The value or above. */
export const min = boundRule(
  { name: "min", label: "Minimum", opposite: "max", outside: -1, inclusive: ">=", exclusive: ">" },
  "The value or above.",
);
