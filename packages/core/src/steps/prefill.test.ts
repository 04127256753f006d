import { describe, expect, test } from "@jest/globals";
import {
  factsOf,
  formDigest,
  mv014,
  pageOf,
  recordOf,
  sensorPage,
  stationPage,
  tripOf,
} from "../testing/marrow-vale.js";
import type { FieldView, Offer, Offers } from "../views/form-view.js";
import { toldMoment } from "../views/told.js";
import { unknownRecord } from "./load.js";
import { prefillFields, shownDigests, takenFields, titleOf } from "./prefill.js";

const listed = (options: Offer["options"]): Offer => ({ options, by: "list", searched: null });
const options: Offers = new Map([
  ["river_id", listed([{ value: "1", label: "Marrow" }])],
  ["status", listed(["planned", "live"].map((value) => ({ value, label: value })))],
]);
const field = (views: readonly FieldView[], name: string): FieldView => {
  const found = views.find((view) => view.field.column.name === name);
  if (!found) throw new Error(`no field ${name}`);
  return found;
};

describe("Prefill", () => {
  const views = prefillFields(tripOf(), "edit", recordOf(mv014), { offers: options });

  test("every control holds what is stored, to the letter", () => {
    expect(field(views, "warning_m").text).toBe("3.37");
    expect(field(views, "notes")).toMatchObject({ control: "multi-line", text: mv014.notes });
    expect(field(views, "installed_on")).toMatchObject({ control: "date", text: "1987-03-02" });
    expect(field(views, "telemetry")).toMatchObject({ control: "check-box", text: "true" });
  });

  test("a stored choice that is no longer offered stays selected and is marked", () => {
    expect(field(views, "river_id").text).toBe("6");
    expect(field(views, "river_id").options[0]).toEqual({ value: "6", label: "6 (no longer offered)" });
  });

  test("a null is an empty control, a null box is not ticked", () => {
    const empty = prefillFields(tripOf(), "edit", recordOf({ ...mv014, notes: null, telemetry: null }), {
      offers: options,
    });
    expect(field(empty, "notes").text).toBe("");
    expect(field(empty, "telemetry").text).toBe("false");
  });

  test("what was typed stands where it was typed, in a control that keeps it", () => {
    const typed = prefillFields(tripOf(), "edit", recordOf(mv014), {
      offers: options,
      typed: new Map([
        ["installed_on", "last spring"],
        ["status", "gone"],
      ]),
    });
    expect(field(typed, "installed_on")).toMatchObject({ control: "text", text: "last spring" });
    expect(field(typed, "status").options.at(0)).toEqual({ value: "gone", label: "gone (not offered)" });
    expect(field(typed, "name").text).toBe("Otter Weir");
  });

  test("of a record of which nothing is known there is what was typed, and nothing is said of what is stored", () => {
    const typed = new Map([
      ["status", "live"],
      ["notes", "rebuilt"],
    ]);
    const views = prefillFields(tripOf(), "edit", unknownRecord(), { typed: typed });
    expect(views.map(({ field: { column }, text, replaces }) => [column.name, text, replaces])).toEqual([
      ["status", "live", null],
      ["notes", "rebuilt", null],
    ]);
    expect(
      field(prefillFields(tripOf(), "edit", unknownRecord(), { typed: new Map([["river_id", "6"]]) }), "river_id")
        .options,
    ).toEqual([{ value: "6", label: "6" }]);
  });

  test("a moment is shown in the page's time zone", () => {
    const row = {
      station_code: "MV-014",
      channel: "1",
      offset_m: "0.0120",
      calibrated_at: "2026-07-01 09:30:00+00",
      settings: "{}",
    };
    expect(field(prefillFields(tripOf({ page: sensorPage }), "edit", recordOf(row)), "calibrated_at")).toMatchObject({
      control: "date-time",
      text: "2026-07-01T10:30:00",
    });
  });

  test("the title names the record; where the row is gone, by its key", () => {
    expect(titleOf(stationPage, mv014, ["MV-014"])).toBe("Station MV-014, Otter Weir");
    expect(titleOf(stationPage, {}, ["MV-014"])).toBe("Station MV-014, –");
  });

  test("a title tells a moment as the field shows it, in the page's time zone", () => {
    const page = pageOf(
      `format: loyal-quill/page@1\ntitle: "Sensor {channel}, {calibrated_at}"\npath: /sensors/{station_code}/{channel}\nrecord: { table: network.sensor, key: [station_code, channel] }\ntime-zone: Europe/London\nfields: [calibrated_at]\n`,
    );
    const row = { channel: "2", calibrated_at: "2026-07-01 09:30:00.25+00" };
    expect(titleOf(page, row, ["MV-014", "2"])).toBe("Sensor 2, 2026-07-01 10:30:00");
    expect(titleOf(page, { ...row, calibrated_at: "infinity" }, ["MV-014", "2"])).toBe("Sensor 2, infinity");
    expect(toldMoment(page, "2026-07-01 09:30:00.123456+00")).toBe("2026-07-01 10:30:00 (Europe/London)");
    expect(toldMoment({ language: "en", timeZone: "UTC" }, "2026-07-01 09:30:00.123456+00")).toBe(
      "2026-07-01 09:30:00 UTC",
    );
  });

  test("digests are of editable fields only and differ by field and value", () => {
    const digests = shownDigests(stationPage, takenFields(stationPage, "edit", mv014, factsOf()), mv014, formDigest);
    expect(Object.keys(digests)).not.toContain("code");
    expect(new Set(Object.values(digests)).size).toBe(Object.keys(digests).length);
  });
});
