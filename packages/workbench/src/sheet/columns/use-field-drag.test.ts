import { describe, expect, test } from "@jest/globals";
import { placeAt } from "./use-field-drag.js";

/** Three fields, 100 pixels high each, below a head of 50. */
const alignment = {
  tops: new Map([
    ["name", 50],
    ["status", 150],
    ["notes", 250],
  ]),
  end: 350,
  height: 400,
};
const order = ["name", "status", "notes"];

describe("the place of a dragged field", () => {
  test.each([
    [0, "name"],
    [99, "name"],
    [101, "status"],
    [199, "status"],
    [201, "notes"],
    [299, "notes"],
    [301, null],
    [349, null],
  ])("at %i pixels it goes before %p", (y, before) => {
    expect(placeAt(alignment, order, y)).toBe(before);
  });

  test("what is dragged itself has no place of its own", () => {
    expect(placeAt(alignment, ["name", "notes"], 60)).toBe("name");
    expect(placeAt(alignment, ["name", "notes"], 160)).toBe("notes");
    expect(placeAt(alignment, ["name", "notes"], 320)).toBe(null);
  });

  test("an empty page has one place", () => {
    expect(placeAt({ tops: new Map(), end: 0, height: 600 }, [], 10)).toBe(null);
  });
});
