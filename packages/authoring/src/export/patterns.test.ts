import { expect, test } from "@jest/globals";
import { fitsPattern } from "@loyal-quill/core/rules/pattern";
import { patternOf } from "./patterns.js";

const texts = [
  "",
  " ",
  "a",
  "A1",
  "MV-001",
  "MV-0012",
  "x MV-001",
  "MV-001\n",
  "a/b",
  "a-b",
  "a.b",
  "a\\b",
  "[s]",
  "12345",
  "\u0663\u0663\u0663\u0663\u0663",
  "+44 20 7946",
  "a@b.cd",
  "\u{1F600}",
  "\u{1F600}\u{1F600}",
  "\u{1F600}\u{1F600}\u{1F600}\u{1F600}",
  "é",
  "aaaa",
];

/** With what each is judged, and whether by the language itself. */
test.each([
  ["MV-[0-9]{3}", true],
  ["MV-[\\s\\S]*", true],
  ["[\\s\\S]*MV-[0-9]{3}", true],
  ["[\\s\\S]*[^ ][\\s\\S]*", true],
  ["[\\s\\S]*", true],
  ["[\\s\\S]*[\\s\\S]*", true],
  ["[\\p{Nd}]{5}", true],
  ["\\d{5}", true],
  ["\\+?[0-9 ]{6,}", true],
  ["[^a]{2}", true],
  ["[a-z]/[a-z]", true],
  ["[a-z\\-.]+", true],
  ["[a-z]\\-[a-z]", true],
  ["[\\]\\[s]+", true],
  ["a\\\\b", true],
  ["[é]", true],
  ["[^@]+@[^@]+", false],
  ["(?:a|b)c", false],
  ["a.b", false],
  ["[^a]\\-[a-z]", false],
  ["a+b+", false],
  ["[\\s\\S]*a+b", false],
  ["a\\[\\s\\S]*", false],
  ["\\s*", false],
])("%s", (source, isPlain) => {
  const { code, isRe2 } = patternOf(source);
  expect(isRe2).toBe(!isPlain);
  if (isRe2) {
    expect(code).toMatch(/^RE2JS\.matches\(/);
    return;
  }
  const judge = new Function("value", `return ${code}`) as (value: string) => boolean;
  expect(texts.map((text) => [text, judge(text)])).toEqual(texts.map((text) => [text, fitsPattern(source, text)]));
});
