import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import type { Language } from "../messages/messages.js";
import { dayFrom, inLanguage, numberFrom } from "./in-language.js";
import { arrayText, entriesOf } from "./text-array.js";

describe("a number in a language", () => {
  test.each<[Language, string, string | null]>([
    ["de", "3,37", "3.37"],
    ["de", "-0,5", "-0.5"],
    ["de", "1.234,5", "1234.5"],
    ["de", "1.234.567", "1234567"],
    ["de", "12", "12"],
    ["de", "1e3", "1e3"],
    // A thousand and more, or one and a bit?
    ["de", "1.234", null],
    ["de", "3.37", null],
    ["de", "1.23,4", null],
    ["de", "1,234.5", null],
    ["en", "3.37", "3.37"],
    ["en", "1,234.5", "1234.5"],
    ["en", "1,234,567", "1234567"],
    ["en", "3,37", null],
    ["en", "1,234", null],
    ["ar", "٣٫٣٧", "3.37"],
    ["ar", "-١٢", "-12"],
    ["ar", "3.37", "3.37"],
  ])("%s: %s is %s", (language, typed, text) => {
    const read = numberFrom(typed, language);
    expect(read === "ambiguous" ? null : read.text).toBe(text);
  });

  test("every stored number is read as itself, to the digit, as it is shown", () => {
    const stored = fc
      .tuple(fc.bigInt({ min: -(10n ** 30n), max: 10n ** 30n }), fc.stringMatching(/^(\.\d{1,20})?$/))
      .map(([whole, rest]) => `${whole}${rest}`);
    fc.assert(
      fc.property(stored, fc.constantFrom<Language>("en", "de", "ar"), (text, language) => {
        expect(numberFrom(inLanguage("decimal", text, language), language)).toEqual({ text });
      }),
    );
  });
});

test.each<[Language, string, string]>([
  ["de", "31.3.2026", "2026-03-31"],
  ["de", "01.02.2026 14:30", "2026-02-01 14:30"],
  ["de", "2026-03-31", "2026-03-31"],
  ["de", "31.03.26", "31.03.26"],
  ["en", "31.03.2026", "31.03.2026"],
  ["ar", "٢٠٢٦-٠٣-٣١", "2026-03-31"],
])("the day %s %s is %s", (language, typed, text) => {
  expect(dayFrom(typed, language)).toBe(text);
});

test.each([
  ["date", "2026-03-31", "31.03.2026"],
  ["timestamptz", "2026-03-31 14:30:00", "31.03.2026 14:30:00"],
  ["date", "infinity", "infinity"],
  ["date", "12026-03-31", "12026-03-31"],
  ["float", "-Infinity", "-Infinity"],
  ["text", "3.37", "3.37"],
  ["integer", "1200", "1200"],
] as const)("in German the %s %s is %s", (kind, stored, text) => {
  expect(inLanguage(kind, stored, "de")).toBe(text);
});

describe("a list of texts", () => {
  test.each([
    ["{}", []],
    ["{a,b}", ["a", "b"]],
    ['{"a b","c,d","","NULL",NULL}', ["a b", "c,d", "", "NULL", null]],
    ['{"q\\"x","b\\\\s"}', ['q"x', "b\\s"]],
    ["{{a},{b}}", null],
    ["[2:3]={a,b}", null],
    ["a", null],
    ["{a,}", null],
  ])("%s is %j", (stored, read) => {
    expect(entriesOf(stored)).toEqual(read);
  });

  test("is read as it was written", () => {
    fc.assert(fc.property(fc.array(fc.string()), (texts) => void expect(entriesOf(arrayText(texts))).toEqual(texts)));
  });
});
