import { type Document, isScalar, type ParseOptions, parseDocument, type YAMLError } from "yaml";

/** Comparisons of names that a text is worth: each name of a map is compared with all before it, two thousand names so many times. */
const mostComparisons = 2_000_000;

/**
 * Reads YAML 1.2 as a document, as far as it can be read. A text with so many names in one map that to find the doubled ones would take
 * seconds is a document with an error.
 */
export function readYaml(text: string, options: ParseOptions = {}): Document.Parsed {
  let left = mostComparisons;
  const document = parseDocument(text, {
    prettyErrors: false,
    // No more than "error": what is a warning is one of the errors below, and no line on somebody's console.
    logLevel: "error",
    ...options,
    uniqueKeys(a, b) {
      left -= 1;
      // What is thrown here becomes one of the document's errors.
      if (left < 0) throw new Error("This map has too many names to be read.");
      return a === b || (isScalar(a) && isScalar(b) && a.value === b.value);
    },
  }); // A tag or a directive that is not known is a warning of the library's: what it was to mean is lost.
  document.errors.push(...(document.warnings as unknown as typeof document.errors));
  return document;
}

/** How each mistake is said, of what stands at its place. */
const mistakes: Readonly<Partial<Record<YAMLError["code"], (found: string, message: string) => string>>> = {
  DUPLICATE_KEY: (found) => `"${/^[\w-]+/.exec(found)?.[0] ?? "A name"}" is here twice. Remove one of them.`,
  TAB_AS_INDENT: () => "This line is indented with a tab. YAML is indented with spaces.",
  BLOCK_AS_IMPLICIT_KEY: () => "There is a second colon in this line. Put text that contains a colon in quotes.",
  MULTILINE_IMPLICIT_KEY: () => "A colon is missing here. A setting is written as name: value, with a space.",
  BLOCK_IN_FLOW: () => "A comma is missing here, or a closing bracket or brace.",
  BAD_SCALAR_START: ([first = "this"]) => `Put text that begins with ${first} in quotes.`,
  BAD_DQ_ESCAPE: ([, escaped = ""]) =>
    `\\${escaped} means nothing in double quotes. Use \\\\${escaped}, or single quotes.`,
  BAD_INDENT(_, message) {
    const isOpen = /^Flow (map|sequence)/.exec(message)?.[1];
    if (isOpen) return `The closing ${isOpen === "map" ? "}" : "]"} is missing.`;
    return "This line is indented more, or less, than the lines that it belongs to.";
  },
  MISSING_CHAR(_, message) {
    const quote = /^Missing closing (["'])quote/.exec(message)?.[1];
    if (quote) return `The closing ${quote} is missing.`;
    return /map values/.test(message) ? "A colon is missing here, and a value after it." : message;
  },
  UNEXPECTED_TOKEN: (found, message) =>
    /node end/.test(message)
      ? "The value ends before this. Put the whole text in quotes, and double a quote that is in it."
      : `${/^\S{1,20}/.exec(found)?.[0] ?? "This"} is not expected here.`,
  MULTIPLE_DOCS: () => "A second YAML document begins here. A file holds one.",
  TAG_RESOLVE_FAILED: () => "YAML tags (!name) have no meaning here. Remove it.",
  BAD_DIRECTIVE: () => "YAML directives (lines that begin with %) have no meaning here. Remove it.",
};

/** A mistake in a text that should be YAML. */
interface Mistake {
  readonly message: string;
  /** Where, in UTF-16 code units from the beginning. */
  readonly at: number;
}

/**
 * What is wrong with a text that is no YAML, in the words of whoever writes one.
 *
 * @param text the whole of it
 * @returns of what follows from a first thing that is not expected, nothing
 */
export function mistakesIn({ errors }: Pick<Document, "errors">, text: string): readonly Mistake[] {
  const first = errors.findIndex(({ code }) => code === "UNEXPECTED_TOKEN");
  return errors
    .filter(({ code }, index) => code !== "UNEXPECTED_TOKEN" || index === first)
    .map(({ code, message, pos: [at] }) => {
      if (message.includes("call stack")) return { message: "This is nested too deep to be read.", at };
      if (message.includes("too many names")) return { message, at };
      return { message: mistakes[code]?.(text.slice(at, at + 100), message) ?? message, at };
    });
}
