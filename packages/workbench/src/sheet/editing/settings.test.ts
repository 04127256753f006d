import { describe, expect, test } from "@jest/globals";
import { contentOf } from "@loyal-quill/authoring";
import { type Kind, ruleKindsInFile } from "@loyal-quill/core";
import {
  asBound,
  checksIn,
  firstSet,
  fittingRules,
  partOf,
  partsOfRule,
  ruleOfParts,
  settingsOf,
  shownPart,
  withPart,
} from "./settings.js";

const ruleChoices = ruleKindsInFile().map(({ name, label, inFile }) => ({ name, label, ...inFile }));

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

  test("is offered where it fits the kind of its column's values", () => {
    const names = (kind: Kind) => fittingRules(ruleChoices, kind).map(({ name }) => name);
    expect(names("decimal")).toEqual(["required", "min", "max", "step", "one-of", "unique"]);
    expect(names("integer")).toEqual(names("decimal"));
    expect(names("date")).not.toContain("step");
    expect(names("timestamptz")).toContain("min");
    expect(names("boolean")).not.toContain("min");
    expect(names("text")).toEqual(expect.arrayContaining(["min-length", "pattern", "e-mail", "required"]));
    expect(names("text")).not.toContain("min");
    expect(names("json")).toEqual(["required", "one-of", "unique"]);
  });

  test("has a setting of one value or of named parts, and no part that is left out", () => {
    const characters = { name: null, label: "Characters", as: "count" } as const;
    const country = { name: "country", label: "Country", as: "text" } as const;
    const way = {
      name: "stored",
      label: "Stored",
      as: "options",
      options: [
        { value: "as-typed", label: "as typed" },
        { value: "other", label: "otherwise" },
      ],
    } as const;
    expect([shownPart(3, characters), shownPart(true, country), shownPart({ country: "GB" }, country)]).toEqual([
      "3",
      "",
      "GB",
    ]);
    expect([withPart(3, characters, "12"), withPart(3, characters, "1x")]).toEqual([12, "1x"]);
    expect(withPart(true, country, "DE")).toEqual({ country: "DE" });
    expect(withPart({ country: "DE" }, way, "other")).toEqual({ country: "DE", stored: "other" });
    expect(withPart({ country: "DE", stored: "other" }, way, "as-typed")).toEqual({ country: "DE" });
    expect(withPart({ country: "DE" }, country, "")).toBe(true);
    expect(withPart([], { name: null, label: "Values", as: "list" }, "a, b")).toEqual(["a", "b"]);
  });

  test("reads a bound as YAML would", () => {
    expect([asBound("3"), asBound("3.50"), asBound("-0.5"), asBound("2026-01-01"), asBound("")]).toEqual([
      3,
      "3.50",
      -0.5,
      "2026-01-01",
      "",
    ]);
  });
});

test.each([
  ["created_by", { to: "actor.name", on: "new" }],
  ["created_at", { to: "now", on: "new" }],
  ["recorded_by", { to: "actor.name", on: "new" }],
  ["owner", { to: "actor.name", on: "new" }],
  ["changed_by", "actor.name"],
  ["updated_at", "now"],
])("a column called %s is set by the page when it should be", (name, given) => {
  expect(firstSet(name)).toEqual(given);
});
