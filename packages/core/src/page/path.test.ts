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
        fc.string({ unit: fc.constantFrom("a", "/", ".", "%", " ", "?", "#", "&", "+", "ö", "🌊"), minLength: 1 }),
        (key) => {
          const address = recordAddress(path, [key]);
          const url = new URL(address, "http://vale.example");
          expect(decodeSegment(url.pathname.split("/")[2] ?? "")).toBe(key === "." || key === ".." ? undefined : key);
        },
      ),
    );
  });
});
