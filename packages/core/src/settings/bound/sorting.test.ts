import { describe, expect, test } from "@jest/globals";
import type { Column, Table } from "../../table/model.js";
import { stationPage } from "../../testing/marrow-vale.js";
import { isSortable, smallTable } from "./sorting.js";

const columnOf = (name: string, over: Partial<Column> = {}): Column => {
  const found = stationPage.table.columns.find((column) => column.name === name);
  if (!found) throw new Error(`no column ${name}`);
  return { ...found, ...over };
};
const key = [columnOf("code")];
const large = (...indexes: readonly (readonly string[])[]): Table => ({
  ...stationPage.table,
  rows: smallTable + 1,
  indexes,
});

describe("a list can be sorted", () => {
  test("by any column of a small table that has an order", () => {
    expect(isSortable({ ...large(), rows: smallTable }, columnOf("name"), key)).toBe(true);
    expect(isSortable({ ...large(), rows: null }, columnOf("name"), key)).toBe(false);
  });

  test.each<[string, Column, readonly string[], boolean]>([
    ["an index that begins with the column", columnOf("name", { nullable: false }), ["name"], true],
    ["one in which it comes later", columnOf("name", { nullable: false }), ["river_id", "name"], false],
    ["rows without a value, which only the key tells apart", columnOf("name", { nullable: true }), ["name"], false],
    ["the same with the key", columnOf("name", { nullable: true }), ["name", "code"], true],
    ["an enum, whose labels stand in any number of rows", columnOf("status", { nullable: false }), ["status"], false],
    ["the same with the key behind it", columnOf("status", { nullable: false }), ["status", "code"], true],
    ["a boolean", columnOf("telemetry", { nullable: false }), ["telemetry"], false],
  ])("of a large table: %s", (_, column, index, sortable) => {
    expect(isSortable(large(index), column, key)).toBe(sortable);
  });
});
