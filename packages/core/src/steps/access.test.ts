import { describe, expect, test } from "@jest/globals";
import { factsOf, hollis, mv014, sensorPage, stationPage } from "../testing/marrow-vale.js";
import { mayEdit, mayOpen } from "./access.js";

describe("Access", () => {
  test("a role that the page names may open it, another may not", () => {
    expect(mayOpen(stationPage, factsOf())).toBe(true);
    expect(mayOpen(stationPage, factsOf({ ...hollis, roles: ["duty-officer"] }))).toBe(false);
    expect(mayOpen(stationPage, factsOf({ ...hollis, roles: [] }))).toBe(false);
  });

  test("a page without a condition is open to everybody who is known", () => {
    expect(mayOpen(sensorPage, factsOf({ ...hollis, roles: [] }))).toBe(true);
  });

  test("the record's state decides whether it may be edited", () => {
    expect(mayEdit(stationPage, mv014, factsOf())).toBe(true);
    expect(mayEdit(stationPage, { ...mv014, status: "retired" }, factsOf())).toBe(false);
  });

  test("a state that is unknown does not allow an edit", () => {
    expect(mayEdit(stationPage, { ...mv014, status: null }, factsOf())).toBe(false);
  });
});
