import { describe, expect, test } from "@jest/globals";
import { station } from "@loyal-quill/core/testing/marrow-vale";
import { tableTypes } from "./table-types.js";

describe("the types of tables", () => {
  test("are those that the steps of a page have", () => {
    const text = tableTypes([station]);
    expect(text).toContain("/** network.station */\nexport interface Station {\n");
    expect(text).toContain("  river_id: number;");
    expect(text).toContain("  telemetry: boolean;");
    expect(text).toMatch(/ {2}\/\*\* numeric\(\d,\d\), to the digit \*\/\n {2}warning_m: string;/);
    expect(text).toMatch(/ {2}status: "planned" \| "live" \| "suspended" \| "retired";/);
    expect(text).toMatch(/ {2}notes: string \| null;/);
  });

  test("have names of their own where two tables are called the same, and members for any column", () => {
    const [column] = station.columns;
    if (!column) throw new Error("a table has columns");
    const odd = { ...column, name: "two words", type: { ...column.type, shown: 'odd."*/"' } };
    const text = tableTypes([
      { ...station, columns: [odd] },
      { ...station, schema: "old-network", columns: [] },
      { ...station, name: "2026 readings", columns: [] },
    ]);
    expect(text.match(/export interface \S+/g)).toEqual([
      "export interface NetworkStation",
      "export interface OldNetworkStation",
      "export interface _2026Readings",
    ]);
    expect(text).toContain('  "two words": string;');
    expect(text).not.toContain('*/" */');
  });
});
