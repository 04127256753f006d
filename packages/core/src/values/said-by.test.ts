import { describe, expect, test } from "@jest/globals";
import { asError, saidBy } from "./said-by.js";

describe("what was thrown", () => {
  test.each<[unknown, string]>([
    [new Error("the register is away"), "the register is away"],
    [new TypeError(), "TypeError"],
    ["a text", "a text"],
    [{ message: "like an error" }, "like an error"],
    [undefined, "undefined was thrown"],
    [null, "null was thrown"],
    [7, "7"],
    [{}, "an object without a message was thrown"],
    [Object.create(null), "an object without a message was thrown"],
  ])("%p is told in words", (thrown, said) => {
    expect(saidBy(thrown)).toBe(said);
    expect(asError(thrown)).toBeInstanceOf(Error);
  });

  test("is the error itself where it is one, and its cause where it is none", () => {
    const error = new Error("one");
    expect(asError(error)).toBe(error);
    expect(asError("route")).toMatchObject({ message: "route", cause: "route" });
  });
});
