import { describe, expect, test } from "@jest/globals";
import { type AccountValues, takeOver, textsOf, valuesOf } from "./account-texts.js";

const silas: AccountValues = {
  name: "Silas Wick",
  email: "silas@marrow-vale.example",
  roles: ["technician", "duty"],
  attributes: {
    region_id: 2,
    badge: "7",
    note: "two\nlines",
    sees: ["a", "b"],
    away: null,
    word: "true",
    plain: "of the weir",
  },
  active: true,
};

describe("an account in its form", () => {
  test("comes back as it went in, texts that read like numbers too", () => {
    const texts = textsOf(silas);
    expect(texts.attributes.split("\n")).toEqual([
      "region_id: 2",
      'badge: "7"',
      'note: "two\\nlines"',
      'sees: ["a","b"]',
      "away: null",
      'word: "true"',
      "plain: of the weir",
    ]);
    const nobody = { ...silas, roles: [], attributes: {} };
    expect(valuesOf(texts, nobody)).toEqual(silas);
    expect(valuesOf(textsOf(nobody), silas)).toEqual(nobody);
  });

  test("what nobody touched is what it was, in the same order", () => {
    const odd: AccountValues = { ...silas, roles: ["a, b", " c"], attributes: { "x:y": 1 } };
    expect(valuesOf({ ...textsOf(odd), name: "Silas W." }, odd)).toEqual({ ...odd, name: "Silas W." });
  });

  test("follows what others change, keeps what was typed, and tells where both have changed the same", () => {
    const was = textsOf(silas);
    const typed = { ...was, name: "S. Wick", roles: "auditor" };
    const now = textsOf({ ...silas, roles: [], active: false, name: "S. Wick" });
    expect(takeOver(typed, was, now)).toEqual({ texts: { ...typed, active: false }, theirs: { roles: "" } });
    expect(takeOver(was, was, now)).toEqual({ texts: now, theirs: {} });
    expect(takeOver(typed, was, was)).toEqual({ texts: typed, theirs: {} });
  });
});
