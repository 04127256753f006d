import { describe, expect, test } from "@jest/globals";
import { bindPage } from "@loyal-quill/core/page/bind";
import { parsePage } from "@loyal-quill/core/page/parse";
import type { Column, Table } from "@loyal-quill/core/table/model";
import { catalog, station, stationFile } from "@loyal-quill/core/testing/marrow-vale";
import { renamedColumn } from "../file/index.js";
import { tableDrift } from "./drift.js";

const withColumns = (change: (columns: readonly Column[]) => readonly Column[]): Table => ({
  ...station,
  columns: change(station.columns),
});

const said = (after: Table | undefined): string[] => tableDrift(station, after).map(({ what }) => what);

describe("the drift of a table", () => {
  test("is nothing where nothing changed, whatever the number of rows", () => {
    expect(said({ ...station, rows: 5_000_000, comment: "Other words." })).toEqual([]);
  });

  test("tells of columns that came, went, and changed", () => {
    const after = withColumns((columns) => [
      ...columns
        .filter((column) => column.name !== "notes")
        .map((column) =>
          column.name === "alert_m"
            ? { ...column, type: { ...column.type, shown: "numeric(6,3)" }, nullable: true }
            : column,
        ),
      {
        ...(columns[0] as Column),
        name: "owner",
        nullable: false,
        type: { ...(columns[0] as Column).type, shown: "uuid" },
      },
    ]);
    expect(said(after)).toEqual([
      "alert_m: numeric(5,2) became numeric(6,3)",
      "alert_m: may be empty now",
      "the column notes is gone",
      "new column owner, uuid, which new records need",
    ]);
  });

  test("takes a column of the same type at the same place for one that was renamed, and proposes to write its name", () => {
    const after = withColumns((columns) =>
      columns.map((column) => (column.name === "warning_m" ? { ...column, name: "warning_level" } : column)),
    );
    const [drift] = tableDrift(station, after);
    expect(drift?.what).toBe("warning_m is called warning_level now");
    expect(drift?.repair).toMatchObject({ rename: { from: "warning_m", to: "warning_level" } });
    const text = renamedColumn(stationFile, "warning_m", "warning_level");
    const parsed = parsePage(text);
    const tables = catalog.tables.map((each) => (each === station ? after : each));
    expect(parsed.ok && bindPage("station", "v", parsed.page, { ...catalog, tables }).findings).toEqual([]);
    expect(text).not.toContain("warning_m");
  });

  test("a renamed column is found where a constraint's message stands", () => {
    const words =
      "constraints:\n  station_levels: { message: Above the alert level., at: warning_m }\n  other: warning_m\n";
    expect(renamedColumn(`${stationFile}${words}`, "warning_m", "warning_level")).toContain(
      words.replace("at: warning_m", "at: warning_level"),
    );
  });

  test("a renamed column leaves labels and messages alone", () => {
    const text = renamedColumn(stationFile, "name", "title");
    expect(text).toContain("label: Station name");
    expect(text).toContain('title: "Station {code}, {title}"');
    expect(text).toContain("- title:");
  });

  test("tells of constraints and keys, and of a table that is gone", () => {
    expect(
      said({
        ...station,
        keys: [...station.keys, { constraint: "k", columns: ["name"], primary: false }],
        constraints: [
          ...station.constraints,
          { constraint: "c", kind: "check", columns: ["alert_m"], definition: "CHECK ((alert_m < (50)::numeric))" },
        ],
      }),
    ).toEqual(["new: key name", "new: CHECK ((alert_m < (50)::numeric))"]);
    expect(said(undefined)).toEqual(["There is no table network.station any more that this connection may read."]);
  });
});
