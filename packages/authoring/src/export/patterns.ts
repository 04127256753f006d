import { quote } from "./source.js";

/** Well-known forms of text, as regular expressions of TypeScript. */
export const textForms: Readonly<Record<"e-mail" | "web-address", string>> = {
  "e-mail":
    "/^[a-zA-Z0-9.!#$%&'*+/=?^_`{|}~-]+@[a-zA-Z0-9](?:[a-zA-Z0-9-]{0,61}[a-zA-Z0-9])?(?:\\.[a-zA-Z0-9](?:[a-zA-Z0-9-]{0,61}[a-zA-Z0-9])?)*$/",
  "web-address": "/^https?:\\/\\/[^\\s/?#@\\\\]+\\.?(?:[/?#]\\S*)?$/i",
};

/** Signs that stand for themselves, and classes that JavaScript and RE2 know alike. */
const escapes = /\\[dwtnvfr.\-/+*?[\]{}()|^$\\]|\\p\{[A-Z][a-z]?\}/g;
const anything = "[\\s\\S]*";

/**
 * Whether a pattern means the same to JavaScript as to RE2, and no text can keep JavaScript's engine busy with it: without groups and alternatives,
 * and with no more than so many open repetitions.
 */
function isSimple(source: string, repetitions: number): boolean {
  const outside = source.replaceAll(escapes, "x").replaceAll(/\[\^?[^[\]\\]+\]/g, "x");
  return !/[()|.^$[\]\\\n]/.test(outside) && (outside.match(/[*+]|\{\d+,\}/g)?.length ?? 0) <= repetitions;
}

/** As a regular expression of TypeScript; null where RE2 has to judge it. What may begin or end anyhow is not anchored there. */
function regularExpression(source: string): string | null {
  const begins = !source.startsWith(anything);
  const ends = !source.endsWith(anything) || source.at(-anything.length - 1) === "\\";
  const middle = source.slice(begins ? 0 : anything.length, ends ? undefined : -anything.length);
  // Tried at each place of the text, a repetition would take time that grows with its square.
  if (!isSimple(middle, begins ? 1 : 0)) return null;
  // By code points where it makes a difference; then a hyphen is escaped in brackets only (ECMA-262, 22.2.1).
  const isUnicode = /\[\^|\\p|[^\0-\x7f]/.test(middle);
  if (isUnicode && middle.replaceAll(/\[[^\]]*\]/g, "").includes("\\-")) return null;
  const written = middle.replaceAll(/(?<!\\)\//g, "\\/");
  return `/${begins ? "^" : ""}${written || "(?:)"}${ends ? "$" : ""}/${isUnicode ? "u" : ""}`;
}

/** A pattern as a test of `value`: a regular expression of the language, or RE2, which takes a time that grows with the text only. */
export function patternOf(source: string): { readonly code: string; readonly isRe2: boolean } {
  const expression = regularExpression(source);
  return expression === null
    ? { code: `RE2JS.matches(${quote(source)}, value)`, isRe2: true }
    : { code: `${expression}.test(value)`, isRe2: false };
}
