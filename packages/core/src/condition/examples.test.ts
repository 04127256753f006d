import { readFileSync } from "node:fs";
import { describe, expect, test } from "@jest/globals";
import { columnOf } from "../table/model.js";
import { stationPage } from "../testing/marrow-vale.js";
import { parseCondition, parseValue } from "./parse.js";

/** The examples of the documentation, by the headings that they stand under. */
const [, ...sections] = readFileSync(new URL("../../../../docs/conditions.md", import.meta.url), "utf8").split("\n## ");
const examples = sections.flatMap((section) => {
  const [heading = ""] = section.split("\n");
  const [, block = ""] = /```\n([^`]*)```/.exec(section) ?? [];
  return block
    .trim()
    .split("\n")
    .map((source) => [heading, source] as const);
});

describe("an example of the documentation", () => {
  test.each(examples)("%s: %s", (heading, source) => {
    const { table } = stationPage;
    const level = columnOf(table, source.includes("actor") || source === "now" ? "notes" : "alert_m");
    const parsed = heading.startsWith("Values")
      ? level && parseValue(source, level, table, table)
      : parseCondition(source, table, source.includes("form.") ? table : null);
    expect(parsed).toMatchObject({ ok: true });
  });

  test("there is one for each place", () => {
    expect(new Set(examples.map(([heading]) => heading)).size).toBe(4);
    expect(examples.length).toBeGreaterThan(20);
  });
});
