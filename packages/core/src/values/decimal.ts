import Big from "big.js";

const pattern = /^[+-]?(\d+\.?\d*|\.\d+)(e[+-]?\d{1,4})?$/i;

/** Where PostgreSQL sorts what is no ordinary number: `-Infinity` before, `Infinity` and then `NaN` after all others. */
const ranks: Readonly<Record<string, number>> = { "-Infinity": -1, Infinity: 1, NaN: 2 };

/** A number for Big, or undefined: the point that PostgreSQL allows at the end is taken off. */
const exact = (text: string): Big | undefined =>
  pattern.test(text) ? new Big(text.replace(/^\+/, "").replace(/\.(?=$|e)/i, "")) : undefined;

const operations = { "+": "plus", "-": "minus", "*": "times" } as const;

/**
 * Adds, subtracts or multiplies two numbers in PostgreSQL's text form, exactly; NaN and the infinities as PostgreSQL does,
 * which is IEEE 754's way.
 *
 * @returns null when one of them is no number
 */
export function calculate(a: string, by: keyof typeof operations, b: string): string | null {
  const [left, right] = [exact(a), exact(b)];
  if (left && right) return left[operations[by]](right).toFixed();
  const known = (text: string, number: Big | undefined): number | null =>
    number ? number.cmp(0) : text in ranks ? Number(text) : null;
  const [x, y] = [known(a, left), known(b, right)];
  if (x === null || y === null) return null;
  return String(by === "+" ? x + y : by === "-" ? x - y : x * y);
}

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
  return exact(a)?.cmp(exact(b) ?? 0) ?? null;
}

/** The order of two numbers as `double precision` (IEEE 754 binary64), NaN last, as PostgreSQL compares them. */
export function compareFloats(a: string, b: string): number | null {
  if (compareDecimals(a, b) === null) return null;
  const [left, right] = [Number(a), Number(b)];
  if (Number.isNaN(left) || Number.isNaN(right)) return Number(Number.isNaN(left)) - Number(Number.isNaN(right));
  return left < right ? -1 : Number(left > right);
}
