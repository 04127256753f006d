import { fitsPattern } from "@loyal-quill/core/rules/pattern";

const letters = "ABCDEFGHIJKLMNOPQRSTUVWXYZ";
const alphabets = [letters, letters.toLowerCase(), "1234567890"];

/** One sign: escaped, a class in brackets, or itself; and how often. */
const sign = /(\\p\{\w+\}|\\.|\[(?:\\.|[^\]\\])+\]|[^\\[\](){}*+?|.^$])(?:\{(\d+)\})?/gsu;

/** The signs that may stand at a place, by their order; undefined where that is none of these. */
const alphabetOf = (one: string): string | undefined =>
  alphabets.find((each) => fitsPattern(one, each.charAt(0)) === true);

/**
 * A text that shows what a pattern is about, as a code's is: `AB-123` for `[A-Z]{2}-[0-9]{3}`.
 *
 * @param source a pattern of RE2 for the whole text
 * @returns null for one that leaves open how much of what there is: one text would show little of it
 */
export function exampleOf(source: string): string | null {
  // Of what may be anything but something one text shows little.
  if (/\[\^|\\[sSDW]/.test(source)) return null;
  let rest = source;
  let example = "";
  for (const [whole, one = "", times = "1"] of source.matchAll(sign)) {
    rest = rest.replace(whole, "");
    const isLiteral = /^(\\[^\w]|[^\\[])$/su.test(one);
    const alphabet = isLiteral ? undefined : alphabetOf(one);
    if (!isLiteral && alphabet === undefined) return null;
    for (let index = 0; index < Number(times); index++) {
      // From place to place the next one, so that a reader sees what may differ.
      const used = [...example].filter((each) => alphabet?.includes(each)).length;
      example += alphabet === undefined ? one.replace("\\", "") : alphabet.charAt(used % alphabet.length);
    }
  }
  return rest === "" && example.length <= 40 && /[\p{L}\p{N}]/u.test(example) && fitsPattern(source, example) === true
    ? example
    : null;
}
