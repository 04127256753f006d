import type { Page } from "../page/page.js";
import { decodeSegment } from "../settings/bound/path.js";
import type { Column, Kind } from "../table/model.js";
import { integerRanges } from "../values/integer-ranges.js";
import { readValue } from "../values/read-value.js";

/** A key's values in the order of the address, in the form in which PostgreSQL prints them; or why there is none. */
type KeyResult =
  | { readonly ok: true; readonly key: readonly string[] }
  | { readonly ok: false; readonly reason: string };

/** One part of a key, or why it is none. */
function readPart(column: Column, segment: string): { value: string } | { reason: string } {
  const decoded = decodeSegment(segment);
  if (decoded === undefined) return { reason: `${column.name}: not readable in the address` };
  // PostgreSQL fills it with blanks, and compares it without.
  const typed = column.type.cast === "bpchar" ? decoded.replace(/(?<! ) +$/, "") : decoded;
  // An empty text is a value of its own; only among a form's fields does it stand for nothing.
  if (typed === "" && column.type.kind === "text") return { value: "" };
  const read = readValue(column.type, typed, "UTC");
  if (!read.ok || read.value === null) return { reason: `${column.name}: "${typed}" is not a ${column.type.shown}` };
  const range = integerRanges[column.type.cast];
  if (range && (BigInt(read.value) > BigInt(range.max) || BigInt(read.value) < BigInt(range.min))) {
    return { reason: `${column.name}: ${read.value} is outside of ${column.type.shown}` };
  }
  // How many zeros it is stored with nobody knows yet.
  if (column.type.kind === "decimal" && column.type.scale === null) return { value: typed };
  if (column.type.maxLength !== null && [...typed].length > column.type.maxLength) {
    return { reason: `${column.name}: longer than ${column.type.shown}` };
  }
  return { value: read.value };
}

const writtenAlike: ReadonlySet<Kind> = new Set([
  "integer",
  "boolean",
  "date",
  "timestamp",
  "timestamptz",
  "uuid",
  "enum",
]);

const plainTexts: ReadonlySet<string> = new Set(["text", "character varying", "bpchar", "name"]);

/** Whether a key is known by its text: of other types equal values may be written in several ways, of which one is stored. */
export const isWrittenAlike = ({ key }: Page): boolean =>
  key.every(({ type }) => {
    if (type.kind === "text") return plainTexts.has(type.cast) && !type.folded;
    return writtenAlike.has(type.kind) || (type.kind === "decimal" && type.scale !== null);
  });

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
