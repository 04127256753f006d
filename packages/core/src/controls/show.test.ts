import { describe, expect, test } from "@jest/globals";
import { columnOf, type Table } from "../table/model.js";
import { sensor, station } from "../testing/marrow-vale.js";
import type { Control } from "./index.js";
import { keeping, normal, show } from "./show.js";

const shown = (
  control: Control,
  stored: string | null,
  zone = "Europe/London",
  table: Table = station,
  name = "name",
) => {
  const column = columnOf(table, name);
  if (!column) throw new Error(name);
  return show({ control, column }, stored, { timeZone: zone, language: "en" });
};
const moment = (stored: string, zone?: string) => shown("date-time", stored, zone, sensor, "calibrated_at");

describe("the control that can show a value", () => {
  test("a line break needs more than one line", () => {
    expect(shown("text", "one\ntwo")).toEqual({ control: "multi-line", text: "one\ntwo" });
    expect(shown("text", "one")).toEqual({ control: "text", text: "one" });
  });

  test.each(["infinity", "0044-03-15 BC", "10000-01-01"])("the date %s needs a text", (stored) => {
    expect(shown("date", stored)).toEqual({ control: "text", text: stored });
  });

  test("a moment is shown in the zone, summer and winter", () => {
    expect(moment("2026-07-01 09:30:00+00")).toEqual({ control: "date-time", text: "2026-07-01T10:30:00" });
    expect(moment("2026-01-01 09:30:00.5+00")).toEqual({ control: "date-time", text: "2026-01-01T09:30:00.5" });
  });

  test("microseconds are more than the control holds, so they are shown as text, all of them", () => {
    expect(moment("2026-07-01 09:30:00.123456+00")).toEqual({ control: "text", text: "2026-07-01 10:30:00.123456" });
  });

  test("the hour that happens twice is shown with its offset", () => {
    expect(moment("2026-10-25 00:30:00+00").text).toBe("2026-10-25 01:30:00+01:00");
    expect(moment("2026-10-25 01:30:00+00").text).toBe("2026-10-25 01:30:00+00:00");
  });

  test("a null is empty", () => {
    expect(shown("date-time", null).text).toBe("");
    expect(shown("check-box", null).text).toBe("false");
  });

  test("what was typed is kept by the plainest control that does", () => {
    expect(keeping("date", "soon")).toBe("text");
    expect(keeping("date", "so\non")).toBe("multi-line");
    expect(keeping("date-time", "2026-07-01T10:30")).toBe("date-time");
  });

  test("normal forms forget what browsers change", () => {
    expect(normal("multi-line", "a\r\nb\rc")).toBe("a\nb\nc");
    expect(normal("date-time", "2026-07-01T10:30")).toBe(normal("date-time", "2026-07-01T10:30:00.000"));
  });
});
