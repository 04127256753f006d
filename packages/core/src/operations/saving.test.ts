import { describe, expect, test } from "@jest/globals";
import { DatabaseAway, DatabaseRefusal, type Row } from "../postgres/statement.js";
import type { SubmittedField } from "../steps/read-field.js";
import { claimsOf, mv014, scripted, stationPage, tripOf } from "../testing/marrow-vale.js";
import { oneChange } from "./change.js";
import { saving } from "./saving.js";

const fields: SubmittedField[] = stationPage.fields
  .filter((field) => field.column.name === "warning_m")
  .map((field) => ({ field, text: "3.73", sent: true, touched: true, value: "3.73", problem: null }));

/** A save of MV-014's warning level, whose statement is answered so. */
const attempt = (answer: readonly Row[] | Error, answers: Readonly<Record<string, readonly Row[]>> = {}) => {
  const trip = tripOf({
    database: scripted({ load: [{ ...mv014, "quill:version": "733" }], ...answers, save: answer }),
  });
  const submission = {
    claims: claimsOf(),
    token: "",
    fields,
    ignored: [],
    noticed: [],
    search: null,
    picks: [],
    take: null,
    told: [],
    reason: null,
    stale: null,
  };
  return saving(oneChange, trip, [{ trip, submission }]);
};

describe("a save", () => {
  test("is what its one statement says: what was written and under which entry", async () => {
    const row = {
      entry: "2001",
      changes: '[{"field":"warning_m","old":"3.37","new":"3.73"}]',
      row: '{"code":"MV-014"}',
    };
    expect(await attempt([row])).toMatchObject({
      is: "saved",
      rows: [
        {
          entry: "2001",
          changes: [{ field: "warning_m", old: "3.37", new: "3.73" }],
          row: { code: "MV-014" },
          key: ["MV-014"],
        },
      ],
    });
  });

  test("finds no row under key, version and conditions: then the record is gone, or must not be changed", async () => {
    expect(await attempt([], { load: [] })).toMatchObject({ is: "stopped", rows: [{ is: "gone" }] });
    expect(await attempt([])).toMatchObject({
      is: "stopped",
      rows: [{ problems: [{ message: "The database lets you read this record, not change it: nothing was saved." }] }],
    });
  });

  test("writes nothing where the row has the values already, or has them back from a trigger", async () => {
    for (const row of [null, '{"code":"MV-014"}'])
      expect(await attempt([{ entry: null, changes: null, row }])).toMatchObject({
        is: "saved",
        rows: [{ entry: null, changes: [], key: ["MV-014"] }],
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
      is: "stopped",
      rows: [{ is: "invalid", problems: [{ field, message }] }],
    });
  });

  test.each([
    ["57014", "unavailable-slow"],
    ["40001", "unavailable-busy"],
    ["53300", "unavailable-short"],
    ["42501", "unavailable-page"],
  ])("SQLSTATE %s is nothing that the person has done: nothing is saved", async (state, code) => {
    expect(await attempt(new DatabaseRefusal(state, "said"))).toEqual({ is: "failed", code, certain: true });
  });

  test("whose answer is lost is what the log says of it", async () => {
    const entry = {
      id: "7",
      at: "2026-05-04 10:00:00+00",
      operation: "update",
      record_key: '{"code":"MV-014"}',
      new_key: null,
      fields: "[]",
    };
    const lost = new DatabaseAway("gone", true);
    expect(await attempt(lost, { "was it saved": [entry] })).toMatchObject({ is: "saved", rows: [{ entry: "7" }] });
    expect(await attempt(lost)).toEqual({ is: "failed", code: "unavailable-lost", certain: true });
    expect(await attempt(new DatabaseAway("gone", false))).toEqual({
      is: "failed",
      code: "unavailable-away",
      certain: true,
    });
  });
});
