import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { decodeSegment, parsePath, recordAddress } from "./path.js";

describe("a page's address", () => {
  test("fixed segments, then the key's columns", () => {
    expect(parsePath("/network/sensors/{station_code}/{channel}")).toEqual({
      list: "/network/sensors",
      listSegments: ["network", "sensors"],
      columns: ["station_code", "channel"],
    });
  });

  test.each(["/{code}", "/stations", "/stations/{code}/edit", "/stations/x{code}", "//{code}", "/stations/{a}{b}"])(
    "%s is none",
    (path) => {
      expect(parsePath(path)).toBeUndefined();
    },
  );

  test("any key comes back from the address that was made of it", () => {
    const path = { list: "/stations", listSegments: ["stations"], columns: ["code"] };
    fc.assert(
      fc.property(
        fc.string({ unit: fc.constantFrom("a", "/", ".", "%", " ", "?", "#", "&", "+", "ö", "🌊", "~"), maxLength: 5 }),
        (key) => {
          const address = recordAddress(path, [key]);
          // No dot segment and no empty one: what a browser asks for is what was written (URL Standard, 4.1).
          expect(address).toMatch(/^\/stations\/(?!(\.|%2e){1,2}$)[A-Za-z0-9%._~!*'()-]+$/i);
          expect(decodeSegment(address.split("/")[2] ?? "")).toBe(key);
        },
      ),
    );
  });
});
