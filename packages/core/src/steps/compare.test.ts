import { describe, expect, test } from "@jest/globals";
import type { Row } from "../postgres/statement.js";
import { claimsOf, mv014, stationPage, tripOf } from "../testing/marrow-vale.js";
import { changedFields, compareWithShown, compareWithStored, type FieldState } from "./compare.js";
import type { SubmittedField } from "./read-field.js";

const claims = claimsOf();

const submitted = (edits: Row): SubmittedField[] =>
  stationPage.fields
    .filter((field) => !field.readOnly)
    .map((field) => {
      const { name } = field.column;
      const touched = name in edits;
      const value = touched ? (edits[name] ?? null) : (mv014[name] ?? null);
      return { field, sent: true, text: value ?? "", touched, value, problem: null };
    });

const states = (edits: Row, stored: Row): Record<string, FieldState> =>
  Object.fromEntries(
    compareWithStored(tripOf(), { ...mv014, ...stored }, submitted(edits), claims).map((each) => [
      each.submitted.field.column.name,
      each.state,
    ]),
  );

describe("Compare", () => {
  test("shown, stored and submitted together say of a field what happened to it", () => {
    expect(states({ warning_m: "3.73" }, {}).warning_m).toBe("changed");
    expect(states({}, { warning_m: "3.73" }).warning_m).toBe("untouched");
    expect(states({ warning_m: "3.73" }, { warning_m: "3.73" }).warning_m).toBe("same-change");
    expect(states({ warning_m: "3.73" }, { warning_m: "3.50" }).warning_m).toBe("conflict");
  });

  test("different fields of two people merge", () => {
    const both = states({ warning_m: "3.73" }, { name: "Otter Lock", notes: null });
    expect(both).toMatchObject({ warning_m: "changed", name: "untouched", notes: "untouched" });
  });

  test("somebody else emptying the field is a conflict too", () => {
    expect(states({ notes: "Mine" }, { notes: null }).notes).toBe("conflict");
  });

  test("without a look at the row only what was touched is written", () => {
    const compared = compareWithShown(submitted({ name: "Otter Lock" }));
    expect(changedFields(compared).map((each) => each.field.column.name)).toEqual(["name"]);
  });
});
