import { describe, expect, test } from "@jest/globals";
import { changesIn } from "./field-change.js";

describe("the fields of an entry", () => {
  test("are read as they were written, and none where there is nothing", () => {
    const json =
      '[{"field": "name", "old": null, "new": "Otter Weir"}, {"field": "pin", "old": null, "new": null, "hidden": true}]';
    expect(changesIn(json)).toEqual([
      { field: "name", old: null, new: "Otter Weir" },
      { field: "pin", old: null, new: null, hidden: true },
    ]);
    expect([changesIn(null), changesIn(undefined)]).toEqual([[], []]);
  });

  test("that somebody has forged into another shape can still be looked at", () => {
    expect(
      changesIn('[{"field": "alert_m", "old": 2.7, "new": {"a": 1}, "more": 1}, {"field": "constructor"}]'),
    ).toEqual([
      { field: "alert_m", old: "2.7", new: '{"a":1}' },
      { field: "constructor", old: null, new: null },
    ]);
    for (const forged of ['{"field": "name"}', '"name"', "7", "[7]", '[{"old": "1"}]'])
      expect(changesIn(forged)).toEqual([]);
  });
});
