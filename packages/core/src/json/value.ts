import { parseTree } from "jsonc-parser";
import type { Stored } from "../postgres/statement.js";
import type { Column } from "../table/model.js";

/** A value of JSON (RFC 8259). */
export type Json = string | number | boolean | null | readonly Json[] | { readonly [name: string]: Json };

/** Whole numbers that every reader of JSON keeps (RFC 8259, 6). */
const smallIntegers: ReadonlySet<string> = new Set(["smallint", "integer"]);

/** Whether a column's values are numbers in JSON: what has more digits than a double keeps is a text. */
export const isJsonNumber = ({ type }: Column): boolean => type.kind === "integer" && smallIntegers.has(type.cast);

/**
 * A stored value as JSON: small whole numbers as numbers; decimals and larger ones as texts, to the digit; moments with a time zone as RFC 3339 in
 * UTC; what has no form of its own in JSON as PostgreSQL prints it.
 */
export function jsonOf(column: Column, stored: Stored): Json {
  if (stored === null) return null;
  if (column.sensitive) return { stored: true };
  if (column.stamped) {
    const [, sha256 = "", size = ""] = stored.split(":");
    return { sha256, size: Number(size) };
  }
  switch (column.type.kind) {
    case "integer":
      return isJsonNumber(column) ? Number(stored) : stored;
    case "boolean":
      return stored === "true";
    case "timestamp":
      return stored.replace(" ", "T");
    case "timestamptz":
      return /^\d{4}-\d\d-\d\d \d\d:\d\d:\d\d(\.\d+)?\+00$/.test(stored)
        ? stored.replace(" ", "T").replace(/\+00$/, "Z")
        : stored;
    case "json":
      return parsed(stored);
    default:
      return stored;
  }
}

const parsed = (text: string): Json => {
  try {
    return JSON.parse(text) as Json;
  } catch {
    return text;
  }
};

/** A text of JSON that stands in an answer as it is: to the digit, doubled names and all. */
export class RawJson {
  constructor(readonly text: string) {}
}

/** A value of JSON in which others stand as they are. */
export type JsonAnswer = Json | RawJson | readonly JsonAnswer[] | { readonly [name: string]: JsonAnswer };

/** A stored value as it stands in an answer: JSON to the digit, everything else as {@link jsonOf} has it. */
export const toldJson = (column: Column, stored: Stored): Json | RawJson =>
  stored !== null && column.type.kind === "json" && !column.sensitive && !column.stamped
    ? new RawJson(stored)
    : jsonOf(column, stored);

/** The text of a value (RFC 8259). */
export function jsonText(content: JsonAnswer): string {
  if (content instanceof RawJson) return content.text;
  if (Array.isArray(content)) return `[${content.map(jsonText).join(",")}]`;
  if (typeof content !== "object" || content === null) return JSON.stringify(content);
  return `{${Object.entries(content)
    .map(([name, value]) => `${JSON.stringify(name)}:${jsonText(value)}`)
    .join(",")}}`;
}

/** A text of JSON without what stands between its tokens (RFC 8259, 2): two that differ in nothing else hold the same. */
export const withoutSpaces = (text: string): string =>
  text.replaceAll(/"(?:[^"\\]|\\.)*"|[\t\n\r ]+/gs, (token) => (token.startsWith('"') ? token : ""));

/** The members of an object in a text of JSON, each as it was written; the last one of a name counts, as with `JSON.parse`. */
export function rawMembers(text: string): ReadonlyMap<string, string> {
  const root = parseTree(text);
  const pairs = root?.type === "object" ? (root.children ?? []) : [];
  return new Map(
    pairs.flatMap(({ children: [name, value] = [] }): [string, string][] =>
      name && value ? [[String(name.value), text.slice(value.offset, value.offset + value.length)]] : [],
    ),
  );
}

/** A number has at most so many digits that a double keeps. */
const mostDigits = 15;

/**
 * A value of JSON as the text that stands for it; `undefined` where it can't stand for any, as a list for a number can't, or a number with more
 * digits than every reader keeps.
 */
export function textOfJson(column: Column, value: Json): string | undefined {
  if (column.type.kind === "json") return value === null ? "" : JSON.stringify(value);
  if (value === null) return "";
  if (typeof value === "string") return value;
  if (typeof value === "boolean") return column.type.kind === "boolean" ? String(value) : undefined;
  if (typeof value !== "number") return undefined;
  const isNumeric = ["integer", "decimal", "float"].includes(column.type.kind);
  const text = String(value);
  return isNumeric && text.replace(/e.*$/i, "").replaceAll(/\D/g, "").length <= mostDigits ? text : undefined;
}
