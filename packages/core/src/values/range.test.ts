import { describe, expect, test } from "@jest/globals";
import { range } from "../controls/range.js";
import { type Column, columnOf } from "../table/model.js";
import { station } from "../testing/marrow-vale.js";
import { endsOf, rangeKind, readRange, typedEnds } from "./range.js";

const like = columnOf(station, "name") as Column;
const column = (cast: string): Column => ({ ...like, type: { ...like.type, kind: "other", shown: cast, cast } });
const show = (cast: string, stored: string): string =>
  range.textOf?.(stored, column(cast), "Europe/London", "en") ?? "";
const read = (cast: string, text: string, zone = "Europe/London") => range.read?.(text, column(cast), zone, "en");

describe("what is stored and what the two controls hold", () => {
  test.each([
    ["daterange", "[2026-03-02,2026-03-05)", "2026-03-02/2026-03-04"],
    ["daterange", "[2026-03-02,2026-03-03)", "2026-03-02/2026-03-02"],
    ["daterange", "[2026-03-02,)", "2026-03-02/"],
    ["daterange", "(,2026-03-05)", "/2026-03-04"],
    ["daterange", "[0001-01-01,9999-12-31)", "0001-01-01/9999-12-30"],
    ["int4range", "[-3,11)", "-3/10"],
    ["int8range", "[9223372036854775806,9223372036854775807)", "9223372036854775806/9223372036854775806"],
    ["tsrange", '["2026-03-02 10:00:00","2026-03-02 11:30:00")', "2026-03-02T10:00:00/2026-03-02T11:30:00"],
    ["tstzrange", '["2026-07-01 09:00:00+00","2026-07-01 10:00:00.5+00")', "2026-07-01T10:00:00/2026-07-01T11:00:00.5"],
    ["tstzrange", '["2026-07-01 09:00:00+00",)', "2026-07-01T10:00:00/"],
  ])("%s %s is %s, and the other way round", (cast, stored, text) => {
    expect(show(cast, stored)).toBe(text);
    expect(range.keeps(text)).toBe(true);
    expect(read(cast, text)).toEqual({ ok: true, value: stored });
    expect(range.normal?.(text.replaceAll(":00/", "/"))).toBe(range.normal?.(text));
  });

  test.each([
    ["daterange", "empty"],
    ["daterange", "(,)"],
    ["daterange", "[2026-03-02,infinity)"],
    ["daterange", "[-infinity,2026-03-02)"],
    ["daterange", "[0044-03-15 BC,2026-03-02)"],
    ["tsrange", '("2026-03-02 10:00:00","2026-03-02 11:30:00")'],
    ["tsrange", '["2026-03-02 10:00:00","2026-03-02 11:30:00"]'],
  ])("%s %s stands in a line of text as PostgreSQL writes it", (cast, stored) => {
    expect(show(cast, stored)).toBe(stored);
    expect(range.keeps(stored)).toBe(false);
    expect(read(cast, stored)).toBeNull();
  });

  test("a moment to the microsecond, or in the hour that there is twice, stands in a line of text and is read from there", () => {
    for (const stored of [
      '["2026-07-01 09:00:00.123456+00","2026-07-01 10:00:00+00")',
      '["2026-10-25 00:30:00+00","2026-10-25 01:30:00+00")',
    ]) {
      const text = show("tstzrange", stored);
      expect([text, range.keeps(text)]).toEqual([expect.stringContaining("/"), false]);
      expect(read("tstzrange", text)).toEqual({ ok: true, value: stored });
    }
  });
});

test("what is typed and is no range says why", () => {
  expect(read("daterange", "2026-03-05/2026-03-02")).toEqual({ ok: false, code: "range-reversed" });
  expect(read("int4range", "5/3")).toEqual({ ok: false, code: "range-reversed" });
  expect(read("tsrange", "2026-03-02T10:00/2026-03-02T10:00")).toEqual({ ok: false, code: "range-reversed" });
  expect(read("daterange", "2026-03-05/soon")).toMatchObject({ ok: false, code: "not-a-date" });
  expect(read("daterange", "2026-02-30/")).toMatchObject({ ok: false, code: "no-such-date" });
  expect(read("int4range", "a/")).toMatchObject({ ok: false, code: "not-an-integer" });
  expect(read("daterange", "/")).toEqual({ ok: true, value: null });
  expect(read("daterange", "2026-03-05")).toBeNull();
  expect(read("daterange", "1/2/3")).toBeNull();
});

test("days are typed in the page's language, and the last one of all has one after it", () => {
  expect(readRange("date", ["02.03.2026", "31.12.9999"], "UTC", "de")).toEqual({
    ok: true,
    value: "[2026-03-02,10000-01-01)",
  });
  expect(endsOf("date", "[2026-03-02,10000-01-01)")).toBeNull();
});

test("ranges of numbers with decimals, multiranges and other types have no two ends", () => {
  expect(["numrange", "datemultirange", "text"].map((cast) => rangeKind({ kind: "other", cast }))).toEqual([
    undefined,
    undefined,
    undefined,
  ]);
  expect(rangeKind({ kind: "text", cast: "daterange" })).toBeUndefined();
  expect(typedEnds("[1,2)")).toBeNull();
});

test("two controls of one name are one text; both empty are nothing", () => {
  expect(range.joined?.(["2026-03-02", "2026-03-04"])).toBe("2026-03-02/2026-03-04");
  expect(range.joined?.(["", "2026-03-04"])).toBe("/2026-03-04");
  expect(range.joined?.(["", " "])).toBe("");
});
