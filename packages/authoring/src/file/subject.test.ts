import { describe, expect, test } from "@jest/globals";
import { describedSettings } from "@loyal-quill/core";
import { bindPage } from "@loyal-quill/core/page/bind";
import { parsePage } from "@loyal-quill/core/page/parse";
import { catalog, stationFile } from "@loyal-quill/core/testing/marrow-vale";
import { subjectsOf } from "./subject.js";

function subjects(from: string, to: string) {
  if (!stationFile.includes(from)) throw new Error(`not in the file: ${from}`);
  const text = stationFile.replace(from, to);
  const parsed = parsePage(text);
  const findings = parsed.ok ? bindPage("station", "v", parsed.page, catalog).findings : parsed.findings;
  return subjectsOf(text, findings, describedSettings().page);
}

describe("what a finding is about", () => {
  test.each([
    ["a setting of a field", "alert_m: { unit: m }", "alert_m: { unti: m }", { field: "alert_m" }],
    ["a rule of a field", "alert_m: { unit: m }", "alert_m: { rules: [{ max: 5000 }] }", { field: "alert_m" }],
    ["a field without settings", "  - river_id", "  - rivr_id", { field: "rivr_id" }],
    [
      "a condition of access",
      "row.region_id == actor.region_id",
      "row.regoin_id == actor.region_id",
      { step: "access" },
    ],
    ["the key", "key: code }", "key: name }", { step: "key" }],
    ["a misspelt part of the file", "fields:", "feilds:", null],
  ])("%s", (_, from, to, subject) => {
    expect(subjects(from, to)).toContainEqual(subject);
  });

  test("nothing where the file is no YAML beyond its place", () => {
    const text = "format: quill-page/1\nfields: [";
    expect(subjectsOf(text, [{ line: 2, column: 9 }], describedSettings().page)).toEqual([{ step: "read" }]);
    expect(subjectsOf("", [{ line: 7, column: 3 }], describedSettings().page)).toEqual([null]);
  });
});
