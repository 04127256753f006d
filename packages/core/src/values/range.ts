import Big from "big.js";
import { Temporal } from "temporal-polyfill";
import type { ColumnType, Kind } from "../table/model.js";
import { orderOf } from "./order.js";
import { type ReadValue, readValue } from "./read-value.js";

/** Ranges with a first and a last value, or from one moment until another (PostgreSQL documentation, 8.17), by what they are of. */
const kinds: Readonly<Record<string, Kind>> = {
  daterange: "date",
  int4range: "integer",
  int8range: "integer",
  tsrange: "timestamp",
  tstzrange: "timestamptz",
};

/** What a range is of; undefined for any other type, and for `numrange`, whose ends may be left out or taken in. */
export const rangeKind = ({ kind, cast }: Pick<ColumnType, "kind" | "cast">): Kind | undefined =>
  kind === "other" ? kinds[cast] : undefined;

/** The ends of a range as people say them; null where it is open. Of days and whole numbers `until` is the last one in it. */
export interface Ends {
  readonly from: string | null;
  readonly until: string | null;
}

/** The day or number that comes so many after another one. */
const moved = (kind: Kind, value: string, by: 1 | -1): string =>
  kind === "integer"
    ? new Big(value).plus(by).toFixed()
    : // PostgreSQL writes years of five digits without a sign.
      Temporal.PlainDate.from(value).add({ days: by }).toString().replace(/^\+0*/, "");

const isDiscrete = (kind: Kind): boolean => kind === "integer" || kind === "date";
const isPlain = (kind: Kind, value: string): boolean =>
  kind === "integer" ? /^-?\d+$/.test(value) : /^(?!0000)\d{4}-\d\d-\d\d/.test(value) && !value.endsWith("BC");

/**
 * The ends of a stored range.
 *
 * @param stored as PostgreSQL prints it: `[2026-03-02,2026-03-05)`
 * @returns null for one that is empty or without both ends, or that has other ends than can be said so
 */
export function endsOf(kind: Kind, stored: string): Ends | null {
  const [, opens, , lower = "", , upper = "", closes] =
    /^([[(])("?)([^",]*)\2,("?)([^",]*)\4([\])])$/.exec(stored) ?? [];
  if (opens === undefined || (lower === "" && upper === "")) return null;
  if (
    (lower !== "" && (opens !== "[" || !isPlain(kind, lower))) ||
    (upper !== "" && (closes !== ")" || !isPlain(kind, upper)))
  )
    return null;
  const last = upper === "" ? null : isDiscrete(kind) ? moved(kind, upper, -1) : upper;
  return { from: lower || null, until: last };
}

/** A range as PostgreSQL prints it; null where it ends before it begins. */
function rangeOf(kind: Kind, { from, until }: Ends): string | null {
  if (from !== null && until !== null) {
    const order = orderOf(from, until, kind) ?? 0;
    // From a moment until the same one there is nothing.
    if (order > 0 || (order === 0 && !isDiscrete(kind))) return null;
  }
  const quoted = (value: string): string => (value.includes(" ") ? `"${value}"` : value);
  const upper = until === null ? "" : isDiscrete(kind) && isPlain(kind, until) ? moved(kind, until, 1) : until;
  return `${from === null ? "(" : "["}${quoted(from ?? "")},${quoted(upper)})`;
}

/** Two ends as people read them, each written already; one day is one day. */
export const toldEnds = (from: string, until: string): string => (from === until ? from : `${from} – ${until}`.trim());

/** Between the two ends of a range that is typed, as ISO 8601-1, 5.5.2, has it. */
export const between = "/";

/** The ends of a typed range, as texts; null for what is typed otherwise: PostgreSQL's own form, or anything. */
export function typedEnds(text: string): readonly [from: string, until: string] | null {
  const parts = /^[[(]|^\s*empty\s*$/i.test(text) ? [] : text.split(between);
  return parts.length === 2 ? [parts[0]?.trim() ?? "", parts[1]?.trim() ?? ""] : null;
}

/**
 * Reads a typed range: the text form that PostgreSQL would print for it.
 *
 * @param timeZone and `language` as `readValue` takes them, for each end
 */
export function readRange(
  kind: Kind,
  [from, until]: readonly [string, string],
  timeZone: string,
  language: Parameters<typeof readValue>[3],
): ReadValue {
  const type: ColumnType = { shown: kind, cast: kind, kind, maxLength: null, precision: null, scale: null, labels: [] };
  const [first, last] = [from, until].map((end) => readValue(type, end, timeZone, language));
  if (!first?.ok) return first ?? { ok: true, value: null };
  if (!last?.ok) return last ?? { ok: true, value: null };
  if (first.value === null && last.value === null) return { ok: true, value: null };
  const range = rangeOf(kind, { from: first.value, until: last.value });
  return range === null ? { ok: false, code: "range-reversed" } : { ok: true, value: range };
}
