import { describe, expect, test } from "@jest/globals";
import { parseTemplate } from "../settings/bound/template.js";
import { columnOf, type Table } from "../table/model.js";
import { sensorPage, stationPage } from "../testing/marrow-vale.js";
import { renderTemplate, told, toldMoment } from "./told.js";

const column = (table: Table, name: string) => {
  const found = columnOf(table, name);
  if (!found) throw new Error(`no column ${name}`);
  return found;
};
const london = { language: "en", timeZone: "Europe/London" } as const;

describe("a value that is told", () => {
  test.each([
    ["2026-07-01 09:30:00+00", "2026-07-01 10:30:00"],
    ["2026-01-01 09:30:00.123456+00", "2026-01-01 09:30:00"],
    // The clocks go back: which of the two hours it is, is said.
    ["2026-10-25 00:30:00+00", "2026-10-25 01:30:00+01:00"],
    ["2026-10-25 01:30:00+00", "2026-10-25 01:30:00+00:00"],
    ["infinity", "infinity"],
    ["0044-03-15 12:00:00+00 BC", "0044-03-15 12:00:00+00 BC"],
    [null, null],
  ])("the moment %p is %p in London", (stored, text) => {
    expect(told(london, column(sensorPage.table, "calibrated_at"), stored)).toBe(text);
  });

  test("yes and no are in the page's language", () => {
    const telemetry = column(stationPage.table, "telemetry");
    expect(told(london, telemetry, "true")).toBe("Yes");
    expect(told({ ...london, language: "de" }, telemetry, "false")).toBe("Nein");
  });

  test("everything else is as it is stored", () => {
    expect(told(london, column(stationPage.table, "warning_m"), "3.70")).toBe("3.70");
    expect(told(london, column(stationPage.table, "name"), "true")).toBe("true");
  });

  test("a sentence takes its values from the record; what it does not hold is a dash", () => {
    const sentence = parseTemplate("{name}: telemetry {telemetry}, {notes}, {nothing}");
    expect(renderTemplate(stationPage, sentence, { name: "Otter Weir", telemetry: "true", notes: null })).toBe(
      "Otter Weir: telemetry Yes, –, –",
    );
  });

  test("a moment of the log names its zone", () => {
    expect(toldMoment({ language: "en", timeZone: "UTC" }, "2026-11-23 18:20:27.9+00")).toBe("2026-11-23 18:20:27 UTC");
    expect(toldMoment({ language: "en", timeZone: "Asia/Kolkata" }, "2026-11-23 18:20:27.9+00")).toBe(
      "2026-11-23 23:50:27 (Asia/Kolkata)",
    );
  });
});
