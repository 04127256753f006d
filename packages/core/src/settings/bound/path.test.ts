import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { decodeSegment, parsePath, pathProblem, recordAddress } from "./path.js";

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

  test("letters beyond ASCII stand in it percent-encoded, in one way", () => {
    for (const written of ["/Flüsse/{id}", "/Fl%C3%BCsse/{id}", "/Fl%c3%bcsse/{id}"])
      expect(parsePath(written)).toMatchObject({ list: "/Fl%C3%BCsse", listSegments: ["Fl%C3%BCsse"] });
  });

  test.each([
    ["/a\\b/{id}", /backslash/],
    ["/a;b=1/{id}", /semicolon/],
    ["/a/../{id}", /a step up or for nothing/],
    ["/%2E%2E/{id}", /a step up or for nothing/],
    ["/a%2Fb/{id}", /slash/],
    ["/a%00/{id}", /control character/],
    ["/50%/{id}", /% that encodes nothing/],
    ["/~csv/{id}", /tilde/],
    ["/workbench/{id}", /the application itself/],
    ["/Sign-In/x/{id}", /the application itself/],
    ["/my-account/{id}", /the application itself/],
  ])("%s is refused", (path, because) => expect(pathProblem(path)).toMatch(because));

  test.each(["/stations/{code}", "/Flüsse/{id}", "/a.b/c-d_e/{id}", "/records/workbench/{id}"])("%s is taken", (path) =>
    expect(pathProblem(path)).toBeNull(),
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
