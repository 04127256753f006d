import { describe, expect, test } from "@jest/globals";
import { reviewAddresses } from "@loyal-quill/core/page/addresses";
import { bindPage } from "@loyal-quill/core/page/bind";
import { parsePage } from "@loyal-quill/core/page/parse";
import type { Table } from "@loyal-quill/core/table/model";
import { catalog, scripted, station, stationFile } from "@loyal-quill/core/testing/marrow-vale";
import { reviewAgainstRows } from "./against-rows.js";

const parsed = (text: string) => {
  const read = parsePage(text);
  if (!read.ok) throw new Error(JSON.stringify(read.findings));
  return read.page;
};

/** The findings of the stations' page with a part changed, over a table with a part changed, as `line severity code`. */
function review(from: string, to: string, table: Partial<Table> = {}): string[] {
  if (!stationFile.includes(from)) throw new Error(`not in the file: ${from}`);
  const tables = catalog.tables.map((each) => (each === station ? { ...station, ...table } : each));
  const page = parsed(stationFile.replace(from, to));
  return bindPage("station", "v1", page, { tables, routines: [] }).findings.map(
    ({ line, severity, code, message }) => `${line} ${severity} ${code}: ${message}`,
  );
}

const rule = (field: string, rules: string): string[] =>
  review(`  - ${field}\n`, `  - ${field}: { rules: [${rules}] }\n`);

describe("the review against the table", () => {
  test("a sound page has no findings", () => {
    expect(review("fields:", "fields:")).toEqual([]);
  });

  test("a rule that reaches further than the table says nothing", () => {
    expect(review("alert_m: { unit: m }", "alert_m: { rules: [{ max: 5000 }] }")).toEqual([
      "17 warning looser-than-table: The table takes nothing above 999.99, so the rule's 5000 says nothing.",
    ]);
    expect(review("rules: [required]", "rules: [{ max-length: 70 }]")[0]).toContain("warning looser-than-table");
  });

  test("a rule that nothing can meet is an error", () => {
    expect(review("alert_m: { unit: m }", "alert_m: { rules: [{ min: 1000 }] }")[0]).toContain(
      "error contradiction: No value can be at least 1000 and at most 999.99 at once.",
    );
    expect(review("rules: [required]", "rules: [{ min-length: 61 }]")[0]).toContain("error contradiction");
    expect(rule("installed_on", "{ min: 2026-02-01 }, { max: 2026-01-01 }").join()).toContain("contradiction");
    expect(rule("river_id", "e-mail")[0]).toContain("error contradiction: A integer can't be an e-mail address.");
  });

  test("a choice that the table does not take is an error", () => {
    expect(rule("status", "{ one-of: [live, gone] }")).toEqual([
      '16 error table-refuses: The table does not take "gone" for status. It takes: planned, live, suspended, retired.',
    ]);
    expect(rule("status", "{ one-of: [live] }")).toEqual([]);
  });

  test("a new record needs a field or a default for everything that may not be null", () => {
    const found = review("access:\n", "access:\n  new: true\n");
    expect(found).toEqual([
      "7 error required-without-field: A new record needs region_id, which has neither a default nor a field that may be filled in.",
    ]);
    expect(review("access:\n", "access:\n  new: false\n")).toEqual([]);
  });

  test("rights that are missing are said where they are wanted", () => {
    const granted = { insert: false, update: true, delete: false };
    const found = review("access:\n", "access:\n  new: true\n  delete: row.status == 'planned'\n", { granted });
    expect(found.filter((each) => each.includes("not-granted"))).toEqual([
      "7 warning not-granted: This connection may not insert into the table, so no new record is made: grant INSERT, or leave new out.",
      "8 warning not-granted: This connection may not delete from the table, so no record is deleted: grant DELETE, or leave delete out.",
    ]);
    const columns = station.columns.map((each) =>
      each.name === "notes" ? { ...each, granted: { insert: true, update: false } } : each,
    );
    expect(review("fields:", "fields:", { columns })[0]).toContain(
      "warning not-granted: This connection may not update notes",
    );
  });

  test("conditions that can't be asked where they stand are errors", () => {
    expect(
      review("  rows: row.region_id == actor.region_id", "  rows: form.region_id == actor.region_id")[0],
    ).toContain("8 error condition");
    expect(review("access:\n", "access:\n  new: row.status == 'planned'\n")[0]).toContain(
      "7 error condition: Who may make a new record is decided before there is one",
    );
  });
});

describe("the review of addresses", () => {
  const at = (name: string, path: string) => {
    const page = parsed(stationFile.replace("path: /stations/{code}", `path: ${path}`));
    const bound = bindPage(name, "v1", page, catalog).page;
    if (!bound) throw new Error(name);
    return { page: bound, parsed: page };
  };

  test("of two pages at one address the later one is refused, at the line of its address", () => {
    const found = reviewAddresses([at("a", "/stations/{code}"), at("b", "/stations/{code}")]);
    expect([...found]).toEqual([
      ["b", [expect.objectContaining({ severity: "error", code: "address-taken", line: 4, column: 7 })]],
    ]);
  });

  test("an address below another page's hides one record there, which is said", () => {
    const found = reviewAddresses([at("a", "/stations/{code}"), at("b", "/stations/old/{code}")]);
    expect(found.get("b")?.[0]).toMatchObject({ severity: "warning", code: "address-below" });
    expect(found.get("b")?.[0]?.message).toContain("with the key old");
  });
});

describe("the review against the rows", () => {
  test("counts what a control can't show, and does not ask where there can be no such value", async () => {
    const file = parsed(stationFile);
    const { page } = bindPage("station", "v1", file, catalog);
    if (!page) throw new Error("unsound");
    const database = scripted({ "what a control can't show": [{ count: "3" }] });
    const found = await reviewAgainstRows(page, file, database);
    // The key can't be changed on the form: it is shown as text.
    expect(database.sent.map(({ text }) => /t\."\w+"/.exec(text)?.[0])).toEqual([
      't."name"',
      't."grid_reference"',
      't."installed_on"',
    ]);
    expect(found.at(-1)?.message).toBe(
      '3 stored values of installed_on can\'t be shown in a control "date": a control "text" takes its place for those.',
    );
    expect(await reviewAgainstRows(page, file, scripted({ "what a control can't show": [{ count: "0" }] }))).toEqual(
      [],
    );
  });
});
