import { describe, expect, test } from "@jest/globals";
import * as v from "valibot";
import { recordOf } from "./record-of.js";

const schema = v.strictObject({ fields: recordOf(v.string(), v.strictObject({ label: v.string() })) });
const given = (text: string): unknown => JSON.parse(`{ "fields": ${text} }`);

describe("a record of names that somebody else has chosen", () => {
  test("has every one of them", () => {
    const names = ["constructor", "__proto__", "prototype", "toString", "plain"];
    const text = JSON.stringify(Object.fromEntries(names.map((name) => [name, { label: name }])));
    const { fields } = v.parse(schema, given(text));
    expect(Object.entries(fields).map(([name, { label }]) => [name, label])).toEqual(
      expect.arrayContaining(names.map((name) => [name, name])),
    );
    expect(Object.keys(fields)).toHaveLength(names.length);
    expect(Object.getPrototypeOf(fields)).toBe(Object.prototype);
  });

  test("says of each what is wrong, and where", () => {
    const { issues } = v.safeParse(schema, given('{ "__proto__": { "label": 1 }, "plain": { "lable": "x" } }'));
    expect(issues?.map((issue) => v.getDotPath(issue)).sort()).toEqual([
      "fields.__proto__.label",
      "fields.plain.label",
      "fields.plain.lable",
    ]);
  });

  test("is none where something else is given", () => {
    expect(v.safeParse(schema, given("7")).issues?.[0]?.message).toContain("Expected Object");
    expect(v.parse(schema, given("{}"))).toEqual({ fields: {} });
  });
});
