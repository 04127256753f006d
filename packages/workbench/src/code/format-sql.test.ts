import { describe, expect, test } from "@jest/globals";
import { loadStatement } from "@loyal-quill/core/statements/load";
import { saveStatement } from "@loyal-quill/core/statements/save";
import { factsOf, hollis, stationPage } from "@loyal-quill/core/testing/marrow-vale";
import { formatSql } from "./format-sql.js";

const note = { actor: hollis, page: "station", pageVersion: "v1", requestId: "6f0e8f5e-0d3b-4b53-9d5c-3f6d6f2d3c11" };
const [field] = stationPage.fields.filter(({ column }) => column.name === "warning_m");
const statements = [
  loadStatement({ page: stationPage, key: ["MV-014"], facts: factsOf() }, { lists: true }),
  saveStatement(
    { page: stationPage, key: ["MV-014"], facts: factsOf() },
    { by: "version", version: "733" },
    field ? [{ column: field.column, value: "3.73" }] : [],
    note,
  ),
];

describe("a statement laid out for reading", () => {
  test.each(statements.map(({ purpose, text }) => [purpose, text]))(
    "%s: no token is lost, added or changed",
    (_, text) => {
      const formatted = formatSql(text);
      expect(formatted.replaceAll(/\s+/g, "")).toBe(text.replaceAll(/\s+/g, ""));
      expect(formatted.split("\n").length).toBeGreaterThan(text.split("\n").length);
      expect(Math.max(...formatted.split("\n").map((line) => line.length))).toBeLessThan(120);
    },
  );

  test("what is no SQL stays as it is", () => {
    expect(formatSql("'never ended")).toBe("'never ended");
  });
});
