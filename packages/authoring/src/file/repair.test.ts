import { describe, expect, test } from "@jest/globals";
import { bindPage } from "@loyal-quill/core/page/bind";
import { parsePage } from "@loyal-quill/core/page/parse";
import { catalog, stationFile } from "@loyal-quill/core/testing/marrow-vale";
import { repaired } from "./repair.js";

function findingsIn(text: string) {
  const parsed = parsePage(text);
  return parsed.ok ? bindPage("station", "v", parsed.page, catalog).findings : parsed.findings;
}

const broken = (from: string, to: string): string => {
  if (!stationFile.includes(from)) throw new Error(`not in the file: ${from}`);
  return stationFile.replace(from, to);
};

describe("a repair", () => {
  test.each([
    ["a misspelt part of the file", "fields:", "feilds:"],
    ["a misspelt setting", "alert_m: { unit: m }", "alert_m: { unti: m }"],
    ["a misspelt column", "  - river_id", "  - rivr_id"],
    ["a column that is gone", "  - river_id", "  - flow_per_day"],
    ["a misspelt column in a condition", "row.region_id == actor.region_id", "row.regoin_id == actor.region_id"],
    ["a value that an enum does not have", 'row.status != "retired"', 'row.status != "retird"'],
    ["a rule that says nothing", "alert_m: { unit: m }", "alert_m: { rules: [{ max: 5000 }] }"],
    ["rules that nothing meets", "alert_m: { unit: m }", "alert_m: { rules: [{ min: 1000 }] }"],
    ["a choice that the table refuses", "  - status\n", "  - status: { rules: [{ one-of: [live, gone] }] }\n"],
    ["a new record that lacks a column", "access:\n", "access:\n  new: true\n"],
    ["a control that can't show the type", "  - status\n", "  - status: { control: date }\n"],
    ["a key that is not safe", "key: code }", "key: name }"],
  ])("puts right %s, and nothing else", (_, from, to) => {
    const text = broken(from, to);
    const finding = findingsIn(text).find((each) => each.repair);
    if (!finding) throw new Error(`no repair: ${JSON.stringify(findingsIn(text))}`);
    const after = repaired(text, finding);
    expect(findingsIn(after)).toEqual([]);
    const others = after.split("\n").filter((line) => !text.includes(line));
    expect(others.length).toBeLessThan(4);
  });

  test("of a text that is another one by now is refused", () => {
    const [finding] = findingsIn(broken("  - river_id", "  - rivr_id"));
    if (!finding) throw new Error("nothing was found");
    expect(() => repaired("format: x\n", finding)).toThrow('"rivr_id" is no longer in line');
    expect(() => repaired(stationFile, { ...finding, repair: undefined as never })).toThrow("no repair");
  });
});
