import { describe, expect, test } from "@jest/globals";
import { contentOf } from "@loyal-quill/authoring";
import type { Kind } from "@loyal-quill/core";
import {
  asBound,
  checksIn,
  firstValue,
  fittingRules,
  partOf,
  partsOfRule,
  ruleOfParts,
  settingsOf,
} from "./settings.js";

const content = contentOf(`title: Station
access: { open: 'true' }
fields:
  - code
  - name: { label: Station name, rules: [required, { min-length: 3, when: 'form.code != ""', message: Longer. }] }
checks:
  - { expect: form.a > form.b, at: name, message: Higher. }
  - { expect: form.a > 0, message: More. }
`);

describe("the settings of a page file, as they stand in its text", () => {
  test("are found by field, part and check; what is not there is empty", () => {
    expect(settingsOf(content, "name").label).toBe("Station name");
    expect(settingsOf(content, "code")).toEqual({});
    expect(settingsOf(undefined, "name")).toEqual({});
    expect(partOf(content, "access")).toEqual({ open: "true" });
    expect(partOf(content, "title")).toEqual({});
    expect(checksIn(content)).toEqual([
      { expect: "form.a > form.b", at: "name", message: "Higher." },
      { expect: "form.a > 0", message: "More." },
    ]);
    expect(checksIn(undefined)).toEqual([]);
  });
});

describe("a rule in the editor", () => {
  test("is taken apart and put together again as short as it was", () => {
    const rules = settingsOf(content, "name").rules ?? [];
    expect(rules.map((rule) => ruleOfParts(partsOfRule(rule)))).toEqual(rules);
    expect(partsOfRule("required")).toEqual({ rule: "required", value: true, when: "", message: "" });
    expect(partsOfRule({ unique: "ignoring-case", when: "true" })).toMatchObject({
      rule: "unique",
      value: "ignoring-case",
      when: "true",
    });
    expect(ruleOfParts({ rule: "required", value: true, when: "", message: "Please." })).toEqual({
      required: true,
      message: "Please.",
    });
  });

  test("fits the kind of its column's values", () => {
    const names = (kind: Kind) => fittingRules(kind).map(({ id }) => id);
    expect(names("decimal")).toEqual(["required", "min", "max", "step", "one-of", "unique"]);
    expect(names("integer")).toEqual(names("decimal"));
    expect(names("date")).not.toContain("step");
    expect(names("timestamptz")).toContain("min");
    expect(names("boolean")).not.toContain("min");
    expect(names("text")).toEqual(expect.arrayContaining(["min-length", "pattern", "e-mail", "required"]));
    expect(names("text")).not.toContain("min");
    expect(names("json")).toEqual(["required", "one-of", "unique"]);
  });

  test("demands something as soon as it is added, and reads a bound as YAML would", () => {
    expect(firstValue("e-mail")).toBe(true);
    expect(firstValue("max-length")).toBe(100);
    expect(firstValue("one-of")).toEqual(["…"]);
    expect([asBound("3"), asBound("3.50"), asBound("-0.5"), asBound("2026-01-01"), asBound("")]).toEqual([
      3,
      "3.50",
      -0.5,
      "2026-01-01",
      "",
    ]);
  });
});
