import { describe, expect, test } from "@jest/globals";
import type { Finding } from "../findings/finding.js";
import { columnOf, type Table } from "../table/model.js";
import { catalog, stationFile, stationPage } from "../testing/marrow-vale.js";
import { bindPage } from "./bind.js";
import type { PageCatalog } from "./binder.js";
import { parsePage } from "./parse.js";

function bound(text: string, within: PageCatalog = catalog): { served: boolean; findings: readonly Finding[] } {
  const parsed = parsePage(text);
  if (!parsed.ok) throw new Error(JSON.stringify(parsed.findings));
  const { page, findings } = bindPage("station", "v1", parsed.page, within);
  return { served: page !== null, findings };
}

const changed = (from: string, to: string): string => {
  if (!stationFile.includes(from)) throw new Error(`not in the file: ${from}`);
  return stationFile.replace(from, to);
};

describe("a page bound to its table", () => {
  test("what the table says is a rule without being named", () => {
    const rules = (name: string) => stationPage.fields.find((field) => field.column.name === name)?.rules;
    expect(rules("river_id")).toContainEqual({
      from: "table",
      when: null,
      message: null,
      rule: "exists",
      demand: stationPage.table.references[0],
    });
    expect(rules("grid_reference")).toContainEqual({
      from: "table",
      when: null,
      message: null,
      rule: "unique",
      demand: { constraint: "station_grid_reference_key", columns: ["grid_reference"], ignoringCase: false },
    });
    expect(rules("alert_m")).toContainEqual({
      from: "table",
      when: null,
      message: null,
      rule: "max",
      demand: { bound: "999.99" },
    });
    expect(rules("notes")).toEqual([]);
  });

  test("each type gets its control", () => {
    expect(Object.fromEntries(stationPage.fields.map((field) => [field.column.name, field.control]))).toEqual({
      code: "text",
      name: "text",
      river_id: "choice",
      grid_reference: "text",
      status: "choice",
      alert_m: "number",
      warning_m: "number",
      telemetry: "check-box",
      installed_on: "date",
      notes: "multi-line",
    });
  });

  test("the key is shown, never edited", () => {
    expect(stationPage.fields.find((field) => field.column.name === "code")?.readOnly).toBe(true);
  });

  test("labels are made from names where none is given", () => {
    expect(stationPage.fields.map((field) => field.label)).toContain("Grid reference");
    expect(stationPage.fields.find((field) => field.column.name === "river_id")?.label).toBe("River");
  });

  test.each([
    ["table: network.station,", "table: network.staton,", "unknown-table", 'Did you mean "network.station"?'],
    ["key: code }", "key: name }", "key-not-unique", "Safe keys of this table: code."],
    ["  - alert_m:", "  - alert_mm:", "unknown-column", 'Did you mean "alert_m"?'],
    ["  - river_id\n", "  - riverId\n", "unknown-column", 'Did you mean "river_id"?'],
    ["  - status\n", "  - name\n", "field-twice", '"name" stands here twice'],
    ["path: /stations/{code}", "path: /stations/{name}", "path", "must carry the key: {code}"],
    ["path: /stations/{code}", "path: /{code}", "path", "fixed segments"],
    ['title: "Station {code}', 'title: "Station {cod}', "unknown-column", 'no column "cod"'],
    ["at: warning_m", "at: warning", "unknown-field", 'Did you mean "warning_m"?'],
    ["rules: [required]", "rules: [{ required: true, max: 3 }]", "rule", "One rule is wanted here"],
    ["rules: [required]", "rules: [{ pattern: '(' }]", "pattern", "can't be read"],
    [
      "rules: [required]",
      "rules: [{ required: true, when: form.statuss == 1 }]",
      "condition",
      'Did you mean "status"?',
    ],
    ["control: multi-line", "control: check-box", "control", "Possible: file, text, multi-line"],
    ['row.status != "retired"', 'row.status != "retird"', "condition", 'Did you mean "retired"?'],
    ["row.region_id == actor.region_id", "row.region == actor.region_id", "condition", 'Did you mean "region_id"?'],
    [
      'actor.roles.exists(r, r in ["hydrologist", "technician"])',
      'row.status == "live"',
      "condition",
      "before a record is loaded",
    ],
  ])("%s → %s is found", (from, to, code, message) => {
    const { served, findings } = bound(changed(from, to));
    expect(served).toBe(false);
    expect(findings.map((finding) => finding.code)).toContain(code);
    expect(findings.map((finding) => finding.message).join("\n")).toContain(message);
  });

  test("a condition's error points into the condition", () => {
    const text = changed("row.region_id == actor.region_id", "row.region == actor.region_id");
    const finding = bound(text).findings[0];
    const line = text.split("\n")[(finding?.line ?? 1) - 1] ?? "";
    expect(line.slice((finding?.column ?? 1) - 1)).toMatch(/^\.?region == /);
  });

  test("a rule looser than the table is a warning, and the page is served", () => {
    const { served, findings } = bound(changed("rules: [required]", "rules: [{ max-length: 80 }]"));
    expect(served).toBe(true);
    expect(findings).toMatchObject([{ severity: "warning", code: "looser-than-table" }]);
  });

  test("a version number that no save increments is a warning, which can be put right", () => {
    const withVersion = (more: Partial<Table> = {}) => ({
      ...catalog,
      tables: catalog.tables.map((table) => {
        const number = columnOf(table, "river_id");
        return table.name === "station" && number
          ? { ...table, columns: [...table.columns, { ...number, name: "lock_version", default: "0" }], ...more }
          : table;
      }),
    });
    expect(bound(stationFile, withVersion()).findings).toMatchObject([
      {
        severity: "warning",
        code: "lock-version",
        repair: {
          what: "increment lock_version with each save",
          edits: [{ do: "set", path: ["set", "lock_version"], value: { to: "form.lock_version + 1", on: "save" } }],
        },
      },
    ]);
    const set = `${stationFile}set: { lock_version: { to: form.lock_version + 1, on: save } }\n`;
    expect(bound(set, withVersion()).findings).toEqual([]);
    expect(bound(stationFile, withVersion({ triggersUpdates: true })).findings).toEqual([]);
  });

  test("records of another table that a secret stands for are a warning at the setting", () => {
    const withToken = {
      ...catalog,
      tables: catalog.tables.map((table) => {
        const name = columnOf(table, "name");
        return table.name === "river" && name
          ? { ...table, columns: [...table.columns, { ...name, name: "gauge_token" }] }
          : table;
      }),
    };
    const shown = (column: string) => bound(changed("- river_id", `- river_id: { show: ${column} }`), withToken);
    expect(shown("name").findings).toEqual([]);
    const { served, findings } = shown("gauge_token");
    expect(served).toBe(true);
    expect(findings).toMatchObject([{ severity: "warning", code: "secret-shown", line: 14 }]);
  });
});

test("the conditions of one page take so many steps together, and no more", () => {
  const numbers = (from: number): string => Array.from({ length: 60 }, (_, index) => from + index).join(", ");
  const long = `[${numbers(0)}].exists(a, [${numbers(60)}].exists(b, row.region_id == a || row.region_id == b))`;
  expect(bound(changed('row.status != "retired"', `'${long}'`)).findings.map(({ code }) => code)).toEqual([
    "condition",
  ]);
  // Each of them may be, all of them together may not.
  const shorter = long.replaceAll(/\[[^\]]*\]/g, `[${Array.from({ length: 20 }, (_, index) => index).join(", ")}]`);
  const checks = (count: number): string =>
    `${stationFile}\nchecks:\n${Array.from({ length: count }, (_, index) => `  - { expect: '${shorter}', message: Check ${index}. }`).join("\n")}\n`;
  const withoutOwn = (count: number): string => checks(count).replace(/\nchecks:[\s\S]*?\nchecks:/, "\nchecks:");
  expect(bound(withoutOwn(4)).served).toBe(true);
  const { served, findings } = bound(withoutOwn(12));
  expect([served, findings[0]?.message]).toEqual([false, expect.stringContaining("take more than 20,000 steps")]);
});
