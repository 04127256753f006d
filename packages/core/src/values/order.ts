import type { Kind } from "../table/model.js";
import { compareDecimals, compareFloats } from "./decimal.js";
import { microseconds } from "./instant.js";

/** The order of two texts by code point, which is PostgreSQL's under `COLLATE "C"` in UTF-8. */
function byCodePoint(a: string, b: string): number {
  const left = [...a];
  const right = [...b];
  for (let index = 0; index < Math.min(left.length, right.length); index++) {
    const order = (left[index]?.codePointAt(0) ?? 0) - (right[index]?.codePointAt(0) ?? 0);
    if (order !== 0) return order;
  }
  return left.length - right.length;
}

function byTime(a: string, b: string): number | null {
  const left = microseconds(a);
  const right = microseconds(b);
  if (left === undefined || right === undefined) return null;
  return left < right ? -1 : Number(left > right);
}

/**
 * The order of two values in PostgreSQL's text form, as PostgreSQL orders values of their kind.
 *
 * @param kind that of both; `any` compares as texts
 * @returns below, at or above zero; null when one of them is no value of that kind
 */
export function orderOf(a: string, b: string, kind: Kind | "null" | "list" | "any"): number | null {
  switch (kind) {
    case "integer":
    case "decimal":
      return compareDecimals(a, b);
    case "float":
      return compareFloats(a, b);
    case "date":
    case "timestamp":
    case "timestamptz":
      return byTime(a, b);
    case "uuid":
      return byCodePoint(a.toLowerCase(), b.toLowerCase());
    default:
      return byCodePoint(a, b);
  }
}
