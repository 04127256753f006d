import type { Field } from "@loyal-quill/core/page/page";
import { pattern } from "@loyal-quill/core/rules/pattern";
import { demandsOf } from "@loyal-quill/core/rules/rule";
import RandExp from "randexp";
import { refusedBy } from "./refused-by.js";
import { sampleValues } from "./sample-values.js";

/** The package hands out the class itself, where its types say that it stands under `default`. */
const TextMaker = RandExp as unknown as typeof RandExp.default;

/** Whole numbers from 0 to below 2³², the same for the same seed (a linear congruential generator). */
function numbersFrom(seed: number): () => number {
  let state = seed;
  return () => {
    state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0;
    return state;
  };
}

const tries = 40;
const wanted = 10;

/** Classes of Unicode, of which its ASCII letters and digits are enough to type something. */
const inAscii = (source: string): string =>
  source
    .replaceAll(/\\p\{(\w+)\}/g, (_, name: string) => (/^N/.test(name) ? "0-9" : /^L/.test(name) ? "a-z" : ""))
    .replaceAll("[\\s\\S]", "[a-z]");

/** Texts that match a pattern, the same for each run. */
function matching(source: string): readonly string[] {
  try {
    const maker = new TextMaker(inAscii(source));
    maker.max = 5;
    const next = numbersFrom(source.length);
    maker.randInt = (from: number, to: number) => from + ((next() >>> 8) % (to - from + 1));
    return Array.from({ length: tries }, () => maker.gen());
  } catch {
    // One that RE2 reads and this doesn't.
    return [];
  }
}

const found = new WeakMap<Field, readonly string[]>();

/** Texts made for the patterns that a field's rules name, as far as its rules take them. */
function madeForPatterns(field: Field): readonly string[] {
  const known = found.get(field);
  if (known) return known;
  const made = demandsOf(field.rules, pattern)
    .flatMap(({ demand }) => matching(demand.source))
    .filter((value) => refusedBy(field, value, value) === null);
  const samples = [...new Set(made)].slice(0, wanted);
  found.set(field, samples);
  return samples;
}

/** Values that a field may take, whatever is stored: made for its patterns, and those that its column's type takes. */
export const fieldSamples = (field: Field): readonly string[] => [
  ...(field.column.type.kind === "text" ? madeForPatterns(field) : []),
  ...sampleValues(field.column),
];
