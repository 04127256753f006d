import type * as v from "valibot";
import type { Remark } from "../findings/finding.js";
import type { Path } from "../findings/path-in-file.js";

/** What is wrong with a value of a page file, and what it should be. */
type Said = Pick<Remark, "message" | "repair">;

const groups = new Set(["strict_object", "loose_object", "object", "record"]);

const words: Readonly<Record<string, string>> = {
  string: "text",
  number: "a number",
  boolean: "true or false",
  array: "a list",
};

/** What a schema of a page file takes, in words. */
export const kindOfValue = (type: string | undefined): string | undefined =>
  groups.has(type ?? "") ? "a mapping (name: value)" : words[type ?? ""];

const isBare = (value: unknown): value is number | boolean | bigint =>
  ["number", "boolean", "bigint"].includes(typeof value);

/** Truths as YAML 1.1 had them. */
const truths = new Map([
  ["yes", true],
  ["on", true],
  ["true", true],
  ["no", false],
  ["off", false],
  ["false", false],
]);

function instead(input: unknown, type: string): { readonly what: string; readonly value: unknown } | null {
  if (type === "string" && isBare(input)) return { what: `write "${input}"`, value: String(input) };
  if (type === "array" && typeof input === "string" && /^\w[\w.-]*$/.test(input))
    return { what: `write [${input}]`, value: [input] };
  const truth = type === "boolean" && typeof input === "string" ? truths.get(input.toLowerCase()) : undefined;
  return truth === undefined ? null : { what: `write ${truth}`, value: truth };
}

/** What a check of Valibot's on a value that is of the right kind asks for. */
function bound({ type, input, ...issue }: v.BaseIssue<unknown>): string {
  const { requirement } = issue as { readonly requirement?: unknown };
  const of = Array.isArray(input) ? "entries" : "characters";
  switch (type) {
    case "min_value":
      return `must be at least ${requirement}`;
    case "max_value":
      return `must be at most ${requirement}`;
    case "min_length":
      return requirement === 1 ? "must not be empty" : `must have at least ${requirement} ${of}`;
    case "max_length":
      return `must have at most ${requirement} ${of}`;
    case "integer":
      return "must be a whole number";
    default:
      return `must be ${issue.expected ?? "different"}`;
  }
}

/** What a place of a file is called: by its name, or as an entry of a list that has one. */
export function placeName(path: Path): string {
  const last = path.at(-1);
  if (last === undefined) return "The file";
  if (typeof last === "string") return `"${last}"`;
  const list = path.findLast((part) => typeof part === "string");
  return `Entry ${last + 1}${list === undefined ? "" : ` of "${list}"`}`;
}

/**
 * Says what is wrong with a value that is there, and of another kind or beyond its bounds.
 *
 * @param path where it stands
 * @param known the names of the settings that may stand at this place
 */
export function wrongValue(issue: v.BaseIssue<unknown>, path: Path, known: readonly string[]): Said {
  const { type, input, message } = issue;
  const name = placeName(path);
  if (message.startsWith("must")) return { message: `${name} ${message}.` };
  const kind = kindOfValue(type);
  if (issue.kind !== "schema" || kind === undefined) return { message: `${name} ${bound(issue)}.` };
  const holds = groups.has(type) && known.length > 0 ? ` Possible: ${known.join(", ")}.` : "";
  if (input === null) return { message: `${name} is empty: it must be ${kind}.${holds}` };
  const better = instead(input, type);
  if (better)
    return {
      message: `${name} must be ${kind}: ${better.what}${type === "string" ? ", with the quotes" : ""}.`,
      repair: { what: better.what, edits: [{ do: "set", path, value: better.value }] },
    };
  const quotes = type === "string" ? " Put text that begins with { or [ in quotes." : "";
  const lines = type === "array" ? ', each entry on its own line after "- "' : "";
  return { message: `${name} must be ${kind}${lines}.${holds}${quotes}` };
}
