import { describe, expect, test } from "@jest/globals";
import { DatabaseRefusal, type Row } from "../postgres/statement.js";
import { scripted, stationPage, tripOf } from "../testing/marrow-vale.js";
import type { SubmittedField } from "./read.js";
import { write } from "./write.js";

const fields: SubmittedField[] = stationPage.fields
  .filter((field) => field.column.name === "warning_m")
  .map((field) => ({ field, text: "3.73", sent: true, touched: true, value: "3.73", problem: null }));
const attempt = (answer: readonly Row[] | Error) =>
  write(tripOf({ database: scripted({ save: answer }) }), { by: "version", version: "733" }, fields);

describe("Write", () => {
  test("one statement says what was written and under which entry", async () => {
    const row = {
      entry: "2001",
      changes: '[{"field":"warning_m","old":"3.37","new":"3.73"}]',
      row: '{"code":"MV-014"}',
    };
    expect(await attempt([row])).toEqual({
      kind: "written",
      entry: "2001",
      changes: [{ field: "warning_m", old: "3.37", new: "3.73" }],
      row: { code: "MV-014" },
    });
  });

  test("no row under key, version and conditions is not found", async () => {
    expect(await attempt([])).toEqual({ kind: "not-found" });
  });

  test("a row that has the values already, or has them back from a trigger, is no difference", async () => {
    expect(await attempt([{ entry: null, changes: null, row: null }])).toEqual({ kind: "no-difference" });
    expect(await attempt([{ entry: null, changes: null, row: '{"code":"MV-014"}' }])).toEqual({
      kind: "no-difference",
    });
  });

  test.each([
    [
      "23505",
      "station_grid_reference_key",
      null,
      "grid_reference",
      "Grid reference is already used by another record: enter a different one.",
    ],
    ["23503", "station_river_id_fkey", null, "river_id", "River names a record that does not exist: choose another."],
    ["23502", null, "name", "name", "Station name is needed by the table: enter a value."],
    [
      "23514",
      "station_levels",
      null,
      "warning_m",
      "The table refuses this (station_levels): CHECK (((warning_m > alert_m) AND (alert_m > 0))).",
    ],
    ["22003", null, null, null, "The database can't store one of the values: said"],
    ["P0001", null, null, null, "The database refuses this: said"],
  ])("SQLSTATE %s of %p becomes a message", async (state, constraint, column, field, message) => {
    expect(await attempt(new DatabaseRefusal(state, "said", { constraint, column }))).toMatchObject({
      kind: "refused",
      problems: [{ field, message }],
    });
  });

  test.each(["57014", "40001", "53300", "42501"])(
    "SQLSTATE %s is none of the person's business and is passed on",
    async (state) => {
      await expect(attempt(new DatabaseRefusal(state, "said"))).rejects.toThrow("said");
    },
  );
});
