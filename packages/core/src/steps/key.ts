import type { Page } from "../page/page.js";
import { decodeSegment } from "../settings/bound/path.js";
import type { Column } from "../table/model.js";
import { integerRanges } from "../values/integer-ranges.js";
import { readValue } from "../values/read-value.js";

/** A key's values in the order of the address, in the form in which PostgreSQL prints them; or why there is none. */
type KeyResult =
  | { readonly ok: true; readonly key: readonly string[] }
  | { readonly ok: false; readonly reason: string };

/** One part of a key, or why it is none. */
function readPart(column: Column, segment: string): { value: string } | { reason: string } {
  const typed = decodeSegment(segment);
  if (typed === undefined) return { reason: `${column.name}: not readable in the address` };
  // An empty text is a value of its own; only among a form's fields does it stand for nothing.
  if (typed === "" && column.type.kind === "text") return { value: "" };
  const read = readValue(column.type, typed, "UTC");
  if (!read.ok || read.value === null) return { reason: `${column.name}: "${typed}" is not a ${column.type.shown}` };
  const range = integerRanges[column.type.cast];
  if (range && (BigInt(read.value) > BigInt(range.max) || BigInt(read.value) < BigInt(range.min))) {
    return { reason: `${column.name}: ${read.value} is outside of ${column.type.shown}` };
  }
  if (column.type.maxLength !== null && [...typed].length > column.type.maxLength) {
    return { reason: `${column.name}: longer than ${column.type.shown}` };
  }
  return { value: read.value };
}

/** Judges the key in an address by its columns' types, before the database is asked. */
export function readKey(page: Page, segments: readonly string[]): KeyResult {
  const key: string[] = [];
  for (const [index, column] of page.key.entries()) {
    const part = readPart(column, segments[index] ?? "");
    if ("reason" in part) return { ok: false, reason: part.reason };
    key.push(part.value);
  }
  return { ok: true, key };
}
