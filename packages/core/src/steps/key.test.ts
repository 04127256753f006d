import { describe, expect, test } from "@jest/globals";
import { sensorPage, stationPage } from "../testing/marrow-vale.js";
import { readKey } from "./key.js";

describe("Key", () => {
  test("a text key is taken as it stands, percent-encoding undone", () => {
    expect(readKey(stationPage, ["MV-014"])).toEqual({ ok: true, key: ["MV-014"] });
    expect(readKey(stationPage, ["a%2Fb%20%F0%9F%8C%8A"])).toEqual({ ok: true, key: ["a/b 🌊"] });
  });

  test("an integer part is judged before the database is asked", () => {
    expect(readKey(sensorPage, ["MV-014", "2"])).toEqual({ ok: true, key: ["MV-014", "2"] });
    for (const typed of ["two", "2.0", "1e3", "", "2;DROP", "0x2"])
      expect(readKey(sensorPage, ["MV-014", typed]).ok).toBe(false);
  });

  test("an integer outside of the column's type is refused, its bounds are not", () => {
    expect(readKey(sensorPage, ["MV-014", "32767"]).ok).toBe(true);
    expect(readKey(sensorPage, ["MV-014", "-32768"]).ok).toBe(true);
    expect(readKey(sensorPage, ["MV-014", "32768"])).toEqual({
      ok: false,
      reason: "channel: 32768 is outside of smallint",
    });
    expect(readKey(sensorPage, ["MV-014", "9".repeat(60)]).ok).toBe(false);
  });

  test.each(["%", "%E0%A4%A", "%FF", "%00"])("%s is no key", (segment) => {
    expect(readKey(stationPage, [segment]).ok).toBe(false);
  });
});
