import { describe, expect, test } from "@jest/globals";
import { sensorPage, stationPage } from "../testing/marrow-vale.js";
import { route } from "./route.js";

const site = { pages: [sensorPage, stationPage], unsound: [{ name: "visit", listSegments: ["visits"] }] };
const at = (method: string, path: string) => route(site, method, path);

describe("Route", () => {
  test("the list stands at the fixed part of the address", () => {
    expect(at("GET", "/stations")).toMatchObject({ kind: "page", page: stationPage, operation: "list" });
  });

  test("a record's address opens by GET and saves by POST", () => {
    expect(at("GET", "/stations/MV-014/edit")).toMatchObject({ operation: "open", keySegments: ["MV-014"] });
    expect(at("HEAD", "/stations/MV-014/edit")).toMatchObject({ operation: "open" });
    expect(at("POST", "/stations/MV-014/edit")).toMatchObject({ operation: "save", keySegments: ["MV-014"] });
  });

  test("an address beyond ASCII is found however it is encoded", () => {
    const page = { ...stationPage, path: { list: "/Fl%C3%BCsse", listSegments: ["Fl%C3%BCsse"], columns: ["code"] } };
    for (const path of ["/Fl%C3%BCsse/MV-014", "/Fl%c3%bcsse/MV-014", "/%46l%C3%BCsse/MV-014"])
      expect(route({ pages: [page], unsound: [] }, "GET", path)).toMatchObject({
        operation: "view",
        keySegments: ["MV-014"],
      });
    expect(route({ pages: [page], unsound: [] }, "GET", "/Fl%C3/MV-014")).toEqual({ kind: "nowhere" });
  });

  test("a composite key takes one segment a column", () => {
    expect(at("GET", "/sensors/MV-014/2/edit")).toMatchObject({ page: sensorPage, keySegments: ["MV-014", "2"] });
    expect(at("GET", "/sensors/MV-014")).toEqual({ kind: "strayed", page: sensorPage });
  });

  test("another method is told which ones are taken", () => {
    expect(at("PUT", "/stations/MV-014/edit")).toMatchObject({
      kind: "method-not-allowed",
      allow: "GET, HEAD, POST, OPTIONS",
    });
    expect(at("POST", "/stations")).toMatchObject({ kind: "method-not-allowed", allow: "GET, HEAD, OPTIONS" });
  });

  test("an address of a page whose file has errors is known as such", () => {
    expect(at("GET", "/visits/17/edit")).toEqual({ kind: "unsound", name: "visit" });
  });

  test("an address below a page's that is none of its own is known as such", () => {
    expect(at("GET", "/stations/MV-014/nothing")).toEqual({ kind: "strayed", page: stationPage });
  });

  test.each(["/", "/station", "/stationsx", "//stations"])("%s leads nowhere", (path) => {
    expect(at("GET", path)).toEqual({ kind: "nowhere" });
  });

  test("a slash too many at the end leads to the address without it, for those who only look", () => {
    expect(at("GET", "/stations/")).toMatchObject({ kind: "moved", to: "/stations" });
    expect(at("HEAD", "/stations/MV-014/edit/")).toMatchObject({ kind: "moved", to: "/stations/MV-014/edit" });
    expect(at("POST", "/stations/MV-014/edit/")).toMatchObject({ operation: "save", keySegments: ["MV-014"] });
  });

  test("what an address takes can be asked for", () => {
    expect(at("OPTIONS", "/stations/MV-014/edit")).toMatchObject({
      kind: "options",
      allow: "GET, HEAD, POST, OPTIONS",
    });
    expect(at("OPTIONS", "/nothing")).toEqual({ kind: "nowhere" });
  });

  test("names of methods that objects have are no operations", () => {
    expect(at("constructor", "/stations")).toMatchObject({ kind: "method-not-allowed" });
  });
});
