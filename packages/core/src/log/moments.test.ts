import { expect, test } from "@jest/globals";
import fc from "fast-check";
import { countBy, type PastEntry, type PastRow, rowAfter, valuesOver } from "./moments.js";

const entry = (
  at: string,
  operation: string,
  fields: readonly [string, string | null, string | null][],
): PastEntry => ({
  at: `2026-01-0${at}T00:00:00.000Z`,
  operation,
  fields: fields.map(([field, old, after]) => ({ field, old, new: after })),
});

const life = [
  entry("5", "insert", [["a", null, "9"]]),
  entry("4", "delete", [
    ["a", "3", null],
    ["b", "x", null],
  ]),
  entry("3", "update", [["a", "2", "3"]]),
  entry("2", "update", [["a", "1", "2"]]),
  entry("1", "insert", [
    ["a", null, "1"],
    ["b", null, "x"],
  ]),
];

test("a record is followed back through its changes, its end and its beginning", () => {
  const now = { a: "9" };
  expect([5, 4, 3, 2, 1, 0].map((keep) => rowAfter(now, life, keep))).toEqual([
    { a: "9" },
    null,
    { a: "3", b: "x" },
    { a: "2", b: "x" },
    { a: "1", b: "x" },
    null,
  ]);
});

test("a moment counts the entries up to it", () => {
  expect(countBy(life, "2026-01-03T00:00:00Z")).toBe(3);
  expect(countBy(life, "2020-01-01T00:00:00Z")).toBe(0);
});

test("a field's values over time end with the record", () => {
  expect(valuesOver(life, "a").map(({ value }) => value)).toEqual(["1", "2", "3", null, "9"]);
  expect(valuesOver(life, "b").map(({ value }) => value)).toEqual(["x", null, null].slice(0, 2));
});

test("what was erased or is told to nobody is not known before it", () => {
  const erased: PastEntry[] = [
    { at: "2026-01-02T00:00:00Z", operation: "update", fields: [{ field: "a", old: null, new: null, erased: {} }] },
  ];
  expect(rowAfter({ a: "1" }, erased, 0)).toEqual({ a: undefined });
  expect(valuesOver(erased, "a")).toEqual([]);
});

test("whatever was done, backwards leads to where it began", () => {
  const step = fc.record({ field: fc.constantFrom("a", "b", "c"), value: fc.option(fc.string(), { nil: null }) });
  fc.assert(
    fc.property(fc.array(step, { maxLength: 30 }), (steps) => {
      const states: Record<string, string | null>[] = [{ a: "1", b: null, c: "" }];
      const entries: PastEntry[] = [];
      for (const { field, value } of steps) {
        const before = states.at(-1) ?? {};
        states.push({ ...before, [field]: value });
        entries.unshift({
          at: "2026-01-01T00:00:00Z",
          operation: "update",
          fields: [{ field, old: before[field] ?? null, new: value }],
        });
      }
      for (const [keep, state] of states.entries())
        expect(rowAfter(states.at(-1) as PastRow, entries, keep)).toEqual(state);
    }),
  );
});
