import { quote } from "./source.js";

/** Well-known forms of text, as regular expressions of TypeScript. */
export const textForms: Readonly<Record<"e-mail" | "web-address", string>> = {
  "e-mail":
    "/^[a-zA-Z0-9.!#$%&'*+/=?^_`{|}~-]+@[a-zA-Z0-9](?:[a-zA-Z0-9-]{0,61}[a-zA-Z0-9])?(?:\\.[a-zA-Z0-9](?:[a-zA-Z0-9-]{0,61}[a-zA-Z0-9])?)*$/",
  "web-address": "/^https?:\\/\\/[^\\s/?#@\\\\]+\\.?(?:[/?#]\\S*)?$/i",
};

/**
 * Whether a pattern means the same to JavaScript as to RE2, and no text can keep JavaScript's engine busy with it: without groups and alternatives,
 * and with no more than one open repetition.
 */
const isSimple = (source: string): boolean =>
  !/[()|.^$\n]|\\[^dw.\-/+*?[\]{}]/.test(source) && (source.match(/[*+]|\{\d+,\}/g)?.length ?? 0) <= 1;

/** A pattern as a test of `value`: a regular expression of the language, or RE2, which takes a time that grows with the text only. */
export const patternOf = (source: string): { readonly code: string; readonly isRe2: boolean } =>
  isSimple(source)
    ? { code: `/^${source.replaceAll(/(?<!\\)\//g, "\\/")}$/.test(value)`, isRe2: false }
    : { code: `RE2JS.matches(${quote(source)}, value)`, isRe2: true };
