import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import type { ColumnType, Kind } from "../table/model.js";
import { microseconds } from "./instant.js";
import { readValue } from "./read-value.js";

const typed = (kind: Kind, text: string, more: Partial<ColumnType> = {}, zone = "Europe/London") =>
  readValue(
    { shown: kind, cast: kind, kind, maxLength: null, precision: null, scale: null, labels: [], ...more },
    text,
    zone,
  );
const value = (text: string | null) => ({ ok: true, value: text });
const wrong = (code: string) => ({ ok: false, code });

describe("reading a typed value", () => {
  test.each([
    ["integer", " 12 ", "12"],
    ["integer", "+007", "7"],
    ["integer", "-0", "0"],
    ["decimal", "1.5", "1.5"],
    ["decimal", ".5", "0.5"],
    ["decimal", "12345678901234567890123456789012345678", "12345678901234567890123456789012345678"],
    ["date", "2024-02-29", "2024-02-29"],
    ["timestamp", "2026-07-01T10:30", "2026-07-01 10:30:00"],
    ["timestamptz", "2026-07-01T10:30", "2026-07-01 09:30:00+00"],
    ["timestamptz", "2026-07-01 10:30:00.123456+02", "2026-07-01 08:30:00.123456+00"],
    ["timestamptz", "2026-10-25 01:30+01:00", "2026-10-25 00:30:00+00"],
    ["timestamptz", "2026-10-25 01:30Z", "2026-10-25 01:30:00+00"],
    ["boolean", "false", "false"],
    ["uuid", "6F0E8F5E-0D3B-4B53-9D5C-3F6D6F2D3C11", "6f0e8f5e-0d3b-4b53-9d5c-3f6d6f2d3c11"],
    ["text", "  as it is ", "  as it is "],
    ["date", "", null],
  ] as const)("%s %p is %p", (kind, text, expected) => {
    expect(typed(kind, text)).toEqual(value(expected));
  });

  test.each([
    ["integer", "1.0", "not-an-integer"],
    ["integer", "1e3", "not-an-integer"],
    ["decimal", "3,40", "decimal-comma"],
    ["decimal", "1 000", "not-a-number"],
    ["decimal", "0x10", "not-a-number"],
    ["date", "31.03.2026", "not-a-date"],
    ["date", "2026-02-30", "no-such-date"],
    ["timestamp", "2026-07-01", "not-a-time"],
    ["timestamp", "2026-07-01 10:30+01", "not-a-time"],
    ["timestamptz", "2026-10-25 01:30", "hour-twice-or-never"],
    ["timestamptz", "2026-03-29 01:30", "hour-twice-or-never"],
    ["timestamptz", "2026-07-01 25:00", "no-such-date"],
    ["boolean", "maybe", "not-yes-or-no"],
    ["uuid", "6f0e8f5e", "not-a-uuid"],
    ["json", "{a: 1}", "not-json"],
    ["text", "a\0b", "nul"],
  ] as const)("%s %p is refused: %s", (kind, text, code) => {
    expect(typed(kind, text)).toMatchObject(wrong(code));
  });

  test("a decimal takes its column's scale where it fits, and keeps all its digits where not", () => {
    expect(typed("decimal", "1.5", { scale: 2 })).toEqual(value("1.50"));
    expect(typed("decimal", "1.505", { scale: 2 })).toEqual(value("1.505"));
    expect(typed("decimal", "-0.00", { scale: 2 })).toEqual(value("0.00"));
  });

  test("an enum takes its labels only", () => {
    expect(typed("enum", "live", { labels: ["live"] })).toEqual(value("live"));
    expect(typed("enum", "Live", { labels: ["live"] })).toEqual(wrong("not-on-offer"));
  });

  test("no text of any kind makes reading fail otherwise than by its answer", () => {
    const kinds = fc.constantFrom<Kind>(
      "integer",
      "decimal",
      "float",
      "boolean",
      "date",
      "timestamp",
      "timestamptz",
      "uuid",
      "json",
      "text",
    );
    fc.assert(
      fc.property(
        kinds,
        fc.string({ unit: fc.constantFrom(..."0129-+:. TZe,é\0\n") }),
        (kind, text) => typeof typed(kind, text).ok === "boolean",
      ),
    );
  });
});

describe("microseconds of PostgreSQL's text forms", () => {
  test.each([
    ["1970-01-01", 0n],
    ["1970-01-01 00:00:00.000001+00", 1n],
    ["1970-01-01 01:00:00+01", 0n],
    ["0001-01-01 BC", -62_167_219_200_000_000n],
  ])("%s", (text, expected) => {
    expect(microseconds(text)).toBe(expected);
  });

  test("infinity lies outside of everything", () => {
    const far = microseconds("294276-12-31 23:59:59.999999+00") ?? 0n;
    expect(microseconds("infinity")).toBeGreaterThan(far);
    expect(microseconds("-infinity")).toBeLessThan(microseconds("4713-01-01 BC") ?? 0n);
  });

  test.each(["", "soon", "2026-02-30", "2026-13-01"])("%p is none", (text) => {
    expect(microseconds(text)).toBeUndefined();
  });
});
