import { describe, expect, test } from "@jest/globals";
import { river, station } from "../testing/marrow-vale.js";
import { findTable } from "./find-table.js";
import type { Table } from "./model.js";

const inPublic: Table = { ...station, schema: "public" };
const dotted: Table = { ...station, schema: "public", name: "network.station" };

describe("a table by the name that somebody wrote", () => {
  test("is found by schema and name", () => {
    expect(findTable([river, station], "network.station")).toBe(station);
    expect(findTable([river, station], "network.weir")).toBeUndefined();
  });

  test("is found by its bare name in the schema public, and in no other", () => {
    expect(findTable([station, inPublic], "station")).toBe(inPublic);
    expect(findTable([station], "station")).toBeUndefined();
  });

  test("whose own name has a dot is not taken for another one", () => {
    expect(findTable([dotted, station], "network.station")).toBe(station);
    expect(findTable([dotted], "network.station")).toBe(dotted);
  });

  test("is found as it is written: PostgreSQL's names differ by case", () => {
    expect(findTable([station], "Network.Station")).toBeUndefined();
  });
});
