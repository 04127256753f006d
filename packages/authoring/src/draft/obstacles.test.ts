import { describe, expect, test } from "@jest/globals";
import { glanceAt } from "@loyal-quill/core/page/glance";
import { findTable } from "@loyal-quill/core/table/find-table";
import type { Catalog, Unusable } from "@loyal-quill/core/table/model";
import { catalog, station } from "@loyal-quill/core/testing/marrow-vale";
import { draftPages } from "./draft.js";
import { unusableBecause } from "./obstacles.js";

const relation = (because: Unusable["because"], behind: string[] = []): Unusable => ({
  schema: "network",
  name: "shown",
  because,
  behind,
});
const keyless = { ...station, name: "reading", keys: [] };
const held: Catalog = { ...catalog, tables: [...catalog.tables, keyless] };
const why = (because: Unusable["because"], behind: string[] = []) => unusableBecause(relation(because, behind), held);

describe("why a relation can't have a page, and where that leads", () => {
  test("a view leads to the table behind it, where that can have one", () => {
    expect(why("view", ["network.station"])).toBe("a view of network.station: make a page for that table");
    expect(why("view", ["network.reading"])).toMatch(
      /^a view of network\.reading, which can't have a page either: it needs a primary key/,
    );
  });

  test("a view that joins several leads to those that can have one, or says that none can", () => {
    expect(why("view", ["network.reading", "network.station"])).toBe(
      "a view that joins network.reading and network.station: make a page for network.station, the one of them that can have one",
    );
    expect(why("view", ["network.river", "network.station"])).toContain(
      "make a page for the one whose records people correct (network.river and network.station can have one)",
    );
    expect(why("view", ["network.reading", "network.nowhere"])).toMatch(
      /none of which can have a page: network\.reading: .*; network\.nowhere: this connection can't see it/,
    );
    expect(why("view")).toBe("a view of no table: there is no record behind it to correct");
  });

  test("missing rights are told by what would have to be granted", () => {
    expect(why("some columns")).toContain("may read some of its columns only");
    expect(why("some columns")).toContain("grant SELECT on the table");
    expect(why("no schema")).toContain("grant USAGE on the schema network");
    expect(why("no select")).toContain("grant SELECT on the table");
  });

  test("a table whose updates a rule rewrites has a draft with a warning", () => {
    const ruled = { ...station, rewriteRules: [{ name: "keep", on: "update" as const }] };
    const { drafts } = draftPages({ tables: [ruled], unusable: [] });
    expect(drafts[0]?.warnings).toEqual([
      expect.stringContaining('The rule "keep" of network.station rewrites every UPDATE'),
    ]);
    expect(drafts[0]?.text).toContain('# Warning: The rule "keep"');
  });

  test("columns that the table stamps by itself are drafted as shown only", () => {
    const column = (name: string, shown: string, given: string | null) => ({
      ...(station.columns[0] as (typeof station.columns)[number]),
      name,
      default: given,
      type: {
        ...(station.columns[0] as (typeof station.columns)[number]).type,
        shown,
        cast: shown,
        kind: shown === "date" ? ("date" as const) : ("timestamptz" as const),
      },
    });
    const stamped = {
      ...station,
      columns: [
        ...station.columns,
        column("created_at", "timestamptz", "now()"),
        column("noted", "timestamptz", "CURRENT_TIMESTAMP"),
        column("updated_on", "date", "CURRENT_DATE"),
        column("installed_day", "date", "CURRENT_DATE"),
        column("seen_at", "timestamptz", null),
      ],
    };
    const text = draftPages({ tables: [stamped], unusable: [] }).drafts[0]?.text ?? "";
    for (const name of ["created_at", "noted", "updated_on"]) expect(text).toContain(`- ${name}: { read-only: true }`);
    for (const name of ["installed_day", "seen_at"]) expect(text).toContain(`- ${name}\n`);
  });
});

describe("a table by the name that somebody wrote", () => {
  const inPublic = { ...station, schema: "public" };

  test("is found with its schema, or without where it is public's", () => {
    expect(findTable([station, inPublic], "network.station")).toBe(station);
    expect(findTable([station, inPublic], "station")).toBe(inPublic);
    expect(findTable([station], "station")).toBeUndefined();
  });

  test("is read from a page file that has errors, however it is laid out", () => {
    expect(glanceAt('record:\n  key: code\n  table: "network.station"\npath: "/a/b/{code}"\nfields: {').table).toBe(
      "network.station",
    );
    expect(glanceAt("path: /stations/{code}\nrecord: { table: station }")).toEqual({
      table: "station",
      listSegments: ["stations"],
    });
    expect(glanceAt("# table: network.river\ntitle: [")).toEqual({ table: null, listSegments: null });
    expect(glanceAt("path: /odd")).toMatchObject({ listSegments: ["odd"] });
  });
});
