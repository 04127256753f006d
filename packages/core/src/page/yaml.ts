import { type Document, type DocumentOptions, isScalar, type ParseOptions, parseDocument } from "yaml";

/** Comparisons of names that a text is worth: each name of a map is compared with all before it, two thousand names so many times. */
const mostComparisons = 2_000_000;

/**
 * Reads YAML 1.2 as a document, as far as it can be read. A text with so many names in one map that to find the doubled ones would take
 * seconds is a document with an error.
 */
export function readYaml(
  text: string,
  options: ParseOptions & Pick<DocumentOptions, "logLevel"> = {},
): Document.Parsed {
  let left = mostComparisons;
  return parseDocument(text, {
    prettyErrors: false,
    ...options,
    uniqueKeys(a, b) {
      left -= 1;
      // What is thrown here becomes one of the document's errors.
      if (left < 0) throw new Error("This map has too many names to be read.");
      return a === b || (isScalar(a) && isScalar(b) && a.value === b.value);
    },
  });
}
