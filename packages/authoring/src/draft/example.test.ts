import { expect, test } from "@jest/globals";
import { exampleOf } from "./example.js";

test.each([
  ["MV-[0-9]{3}", "MV-123"],
  ["[A-Z]{2}-[0-9]{3}", "AB-123"],
  ["[\\p{Nd}]{5}", "12345"],
  ["\\d{2}\\.\\d{2}", "12.34"],
  ["\\+[0-9]{2} [0-9]{4}", "+12 3456"],
  ["#[0-9a-f]{6}", "#abcdef"],
  ["[a-z]+", null],
  ["[A-Z][A-Z0-9_]{1,9}", null],
  ["\\+?[0-9 ]{6,}", null],
  ["(?:DE|AT)-[0-9]{3}", null],
  ["[^@]+@[^@]+", null],
  ["MV-[\\s\\S]*", null],
  ["[\\s\\S]*", null],
  ["[B-Z]{2}", null],
  ["[0-9]{60}", null],
  ["-", null],
])("%s is shown by %s", (source, example) => {
  expect(exampleOf(source)).toBe(example);
});
