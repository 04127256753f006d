import Big from "big.js";

const pattern = /^[+-]?(\d+\.?\d*|\.\d+)(e[+-]?\d{1,4})?$/i;

/** Where PostgreSQL sorts what is no ordinary number: `-Infinity` before, `Infinity` and then `NaN` after all others. */
const ranks: Readonly<Record<string, number>> = { "-Infinity": -1, Infinity: 1, NaN: 2 };

/**
 * The order of two numbers in PostgreSQL's text form, exactly and as PostgreSQL orders them (documentation, 8.1.2): NaN
 * equals NaN and is greater than everything else.
 *
 * @returns below, at or above zero; null when one of them is no number
 */
export function compareDecimals(a: string, b: string): number | null {
  const [left, right] = [ranks[a] ?? (pattern.test(a) ? 0 : null), ranks[b] ?? (pattern.test(b) ? 0 : null)];
  if (left === null || right === null) return null;
  if (left !== 0 || right !== 0) return left - right;
  return new Big(a.replace(/^\+/, "").replace(/\.(?=$|e)/i, "")).cmp(b.replace(/^\+/, "").replace(/\.(?=$|e)/i, ""));
}
