import { RE2JS } from "re2js";
import * as v from "valibot";
import type { RuleKind } from "./rule.js";

interface Pattern {
  readonly source: string;
  readonly matches: (text: string) => boolean;
}

/**
 * The whole value matches a pattern. RE2 takes a time that grows with the text only, whatever the pattern: no input can make it
 * hang. Nothing of the table can say the same, since PostgreSQL's patterns are POSIX's.
 */
/** Whether a whole text fits a pattern, in time that grows with its length only (RE2); null where it is none that is known here. */
export function fitsPattern(source: string, text: string): boolean | null {
  try {
    return RE2JS.compile(source).matches(text);
  } catch {
    return null;
  }
}

export const pattern: RuleKind<Pattern, string> = {
  name: "pattern",
  label: "Pattern",
  inFile: {
    schema: v.pipe(v.string(), v.minLength(1), v.maxLength(1000)),
    byName: false,
    first: ".*",
    parts: [{ name: null, label: "Pattern", as: "text" }],
    fits: ["text"],
    takes: "a pattern of RE2",
    means: "The whole value matches it.",
  },
  demandOf: (source, _, context, path) => {
    try {
      const compiled = RE2JS.compile(source);
      return { source, matches: (text) => compiled.matches(text) };
    } catch (error) {
      return context.error("pattern", `This pattern can't be read: ${(error as Error).message}.`, path);
    }
  },
  words: ({ source }) => `pattern ${source}`,
  schema: ({ source }) => ({ pattern: `^(?:${source})$` }),
  broken: ({ matches }, { value }) => (matches(value ?? "") ? null : ["pattern", {}]),
};
