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

/**
 * What is wrong with a text that is no YAML, in the words of somebody who writes one.
 *
 * @param text the whole of it
 */
export function saidOfYaml({ code, message, pos: [at, end] }: YAMLError, text: string): string {
  if (message.includes("call stack")) return "This is nested too deep to be read.";
  if (message.includes("too many names")) return message;
  switch (code) {
    case "DUPLICATE_KEY":
      return `"${/^[\w-]+/.exec(text.slice(at))?.[0] ?? "This name"}" is here twice. Remove one of them.`;
    case "TAB_AS_INDENT":
      return "This line is indented with a tab. YAML is indented with spaces.";
    case "BLOCK_AS_IMPLICIT_KEY":
      return "There is a second colon in this line. Put text that contains a colon in quotes.";
    case "BAD_SCALAR_START":
      return `Put text that begins with ${text.slice(at, end)[0] ?? "this"} in quotes.`;
    case "BAD_INDENT":
      return "This line is indented more, or less, than the lines that it belongs to.";
    case "MULTIPLE_DOCS":
      return "A second YAML document begins here. A file holds one.";
    case "TAG_RESOLVE_FAILED":
      return "YAML tags (!name) have no meaning here. Remove it.";
    case "BAD_DIRECTIVE":
      return "YAML directives (lines that begin with %) have no meaning here. Remove it.";
    default:
      return message;
  }
}
