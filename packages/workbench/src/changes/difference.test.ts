import { expect, test } from "@jest/globals";
import { difference } from "./difference.js";

test.each([
  ["3.37", "3.42", ["3.", "42", ""]],
  ["true", "false", ["", "false", ""]],
  ["Board painted.", "Board cleaned.", ["Board ", "cleaned", "."]],
  ["one two", "one two three", ["one two", " three", ""]],
  ["one two three", "one three", ["one ", "", "three"]],
  ["", "new", ["", "new", ""]],
  ["the same", "the same", ["the same", "", ""]],
  ["a a", "a a a", ["a a", " a", ""]],
  ["🌊 high", "🌋 high", ["", "🌋", " high"]],
  ["čas", "čaš", ["", "čaš", ""]],
])("%j to %j is marked at whole words", (before, after, [head, middle, tail]) => {
  expect(difference(before, after)).toEqual({ head, middle, tail });
});

test("what is one long word is marked near where it differs, and nothing of it is lost", () => {
  const [before, after] = [`${"x".repeat(100)}b${"y".repeat(100)}`, `${"x".repeat(100)}c${"y".repeat(100)}`];
  const { head, middle, tail } = difference(before, after);
  expect(head + middle + tail).toBe(after);
  expect(middle).toContain("c");
  expect(middle.length).toBeLessThanOrEqual(24);
});
