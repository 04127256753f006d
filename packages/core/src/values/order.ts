import type { Kind } from "../table/model.js";
import { compareDecimals, compareFloats } from "./decimal.js";
import { microseconds } from "./instant.js";

/**
 * The order of two texts by code point, which is PostgreSQL's under `COLLATE "C"` in UTF-8. Code units are in the same order but for the
 * surrogates (D800 to DFFF), which stand for code points beyond the units that follow them.
 */
function byCodePoint(a: string, b: string): number {
  if (a === b) return 0;
  const shorter = Math.min(a.length, b.length);
  for (let index = 0; index < shorter; index++) {
    const [left, right] = [a.charCodeAt(index), b.charCodeAt(index)];
    if (left === right) continue;
    return isSurrogate(left) === isSurrogate(right) ? left - right : isSurrogate(left) ? 1 : -1;
  }
  return a.length - b.length;
}

const isSurrogate = (unit: number): boolean => unit >= 0xd800 && unit <= 0xdfff;

function byTime(a: string, b: string): number | null {
  const left = microseconds(a);
  const right = microseconds(b);
  if (left === undefined || right === undefined) return null;
  return left < right ? -1 : Number(left > right);
}

/** `09:30` and `09:30:00` are the same time; 24:00 is the last of a day. */
function byTimeOfDay(a: string, b: string): number | null {
  const [left, right] = [a, b].map((text) => {
    const [, hours, minutes, seconds = "0"] = /^(\d\d):(\d\d)(?::(\d\d(?:\.\d+)?))?$/.exec(text) ?? [];
    return hours === undefined ? Number.NaN : (Number(hours) * 60 + Number(minutes)) * 60 + Number(seconds);
  }) as [number, number];
  return Number.isNaN(left + right) ? null : Math.sign(left - right);
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
    case "time":
      return byTimeOfDay(a, b);
    case "uuid":
      return byCodePoint(a.toLowerCase(), b.toLowerCase());
    default:
      return byCodePoint(a, b);
  }
}
