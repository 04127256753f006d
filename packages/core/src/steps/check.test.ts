import { describe, expect, test } from "@jest/globals";
import type { Field } from "../page/page.js";
import { mv014, pageOf, stationFile, stationPage, tripOf } from "../testing/marrow-vale.js";
import { checkAcross, checkFields } from "./check.js";
import type { SubmittedField } from "./read-field.js";

const fieldOf = (name: string): Field => {
  const field = stationPage.fields.find((each) => each.column.name === name);
  if (!field) throw new Error(`no field ${name}`);
  return field;
};
const typed = (name: string, text: string, touched = true): SubmittedField => ({
  field: fieldOf(name),
  text,
  sent: true,
  touched,
  value: text === "" ? null : text,
  problem: null,
});
const said = (...fields: SubmittedField[]): string[] =>
  checkFields(tripOf(), mv014, fields).map((problem) => problem.message);

describe("Check", () => {
  test("a required field that was emptied says so with its label", () => {
    expect(said(typed("name", ""))).toEqual(["Station name is needed: enter a value."]);
  });

  test("white space alone is no value", () => {
    expect(said(typed("grid_reference", "   "))).toEqual(["Grid reference is needed: enter a value."]);
  });

  test("length is counted in characters, as the table counts them", () => {
    expect(said(typed("name", "🌊".repeat(60)))).toEqual([]);
    expect(said(typed("name", "🌊".repeat(61)))).toEqual(["Station name has 61 characters; at most 60 fit."]);
  });

  test("what the table's numeric(5,2) can't hold is refused by range and by scale", () => {
    expect(said(typed("warning_m", "999.99"))).toEqual([]);
    expect(said(typed("warning_m", "1000.00"))).toEqual(["Warning level is above 999.99: enter 999.99 or less."]);
    expect(said(typed("warning_m", "3.375"))).toEqual([
      "Warning level has more than 2 digits after the point: round it to 2.",
    ]);
  });

  test("what is no number is refused wherever a range applies: NaN would pass the table's CHECK", () => {
    expect(said(typed("warning_m", "NaN"))).toEqual(["Warning level must be a number, like 12.50."]);
    expect(said(typed("warning_m", "Infinity"))).toEqual(["Warning level is above 999.99: enter 999.99 or less."]);
    expect(said(typed("warning_m", "-Infinity"))).toEqual(["Warning level is below -999.99: enter -999.99 or more."]);
  });

  test("every touched field is judged, so that all messages come at once", () => {
    expect(said(typed("name", ""), typed("warning_m", "1000"), typed("notes", ""))).toHaveLength(2);
  });

  test("a field that was not touched is not judged: an old record stays repairable elsewhere", () => {
    expect(said(typed("name", "", false))).toEqual([]);
  });

  test("a check across fields stands at its field", () => {
    const problems = checkAcross(tripOf(), mv014, [typed("warning_m", "2.70")]);
    expect(problems).toEqual([
      { field: "warning_m", message: "The warning level must lie above the alert level.", by: "check" },
    ]);
  });

  test("it compares what was typed with what is stored in the fields that were not touched", () => {
    expect(checkAcross(tripOf(), mv014, [typed("alert_m", "3.40")])).toHaveLength(1);
    expect(checkAcross(tripOf(), mv014, [typed("alert_m", "3.36")])).toEqual([]);
  });

  test("figures are compared as decimals, not as texts or floats", () => {
    expect(checkAcross(tripOf(), mv014, [typed("warning_m", "10.00")])).toEqual([]);
    expect(checkAcross(tripOf(), { ...mv014, alert_m: "0.30" }, [typed("warning_m", "0.3")])).toHaveLength(1);
  });

  test("it is not asked when none of its fields was touched, and unknown passes", () => {
    expect(checkAcross(tripOf(), { ...mv014, warning_m: "1.00" }, [typed("name", "Heron Lock")])).toEqual([]);
    expect(checkAcross(tripOf(), { ...mv014, alert_m: null }, [typed("warning_m", "1.00")])).toEqual([]);
  });
});

describe("a page's own rules", () => {
  const ruledPage = (rules: string) =>
    pageOf(stationFile.replace("notes: { control: multi-line }", `notes: { rules: ${rules} }`));
  const judged = (rules: string, text: string, others: readonly SubmittedField[] = [], touched = true): string[] => {
    const page = ruledPage(rules);
    const field = page.fields.find((each) => each.column.name === "notes");
    if (!field) throw new Error("no field");
    const row = touched ? mv014 : { ...mv014, notes: text === "" ? null : text };
    return checkFields(tripOf({ page }), row, [
      { field, sent: true, text, touched, value: text === "" ? null : text, problem: null },
      ...others,
    ]).map((problem) => problem.message);
  };

  test.each([
    ["[e-mail]", "name@marrow-vale.example", true],
    ["[e-mail]", "name@", false],
    ["[e-mail]", "two@a.example, three@b.example", false],
    ["[web-address]", "https://vale.example/gauges?x=1#y", true],
    ["[web-address]", "javascript:alert(1)", false],
    ["[web-address]", "https://user@vale.example/", false],
    ["[web-address]", "https:// vale.example", false],
    ["[{ pattern: '[A-Z]{2} [0-9]+' }]", "MV 12", true],
    ["[{ pattern: '[A-Z]{2} [0-9]+' }]", "see MV 12", false],
    ["[{ one-of: [dry, wet] }]", "wet", true],
    ["[{ one-of: [dry, wet] }]", "moist", false],
    ["[{ min-length: 3 }]", "🌊🌊", false],
    ["[{ step: 0.25 }]", "1.75", true],
    ["[{ step: 0.25 }]", "1.8", false],
    ["[{ step: 0.25 }]", "NaN", false],
  ])("%s on %j: %p", (rules, text, passes) => {
    expect(judged(rules, text).length === 0).toBe(passes);
  });

  test("an evil pattern takes no longer than another one", () => {
    expect(judged("[{ pattern: '(a+)+b' }]", "a".repeat(50_000))).toHaveLength(1);
  });

  test("a message of its own", () => {
    expect(judged("[{ pattern: 'x', message: Only an x. }]", "y")).toEqual(["Only an x."]);
  });

  test("a rule with a condition judges what is stored where the control was not sent: a file, or one that was left out", () => {
    const rules =
      "[{ required: true, when: 'form.status == \"suspended\"' }, { max-length: 3, when: 'form.status == \"suspended\"' }]";
    const page = ruledPage(rules);
    const photo = ruledPage(
      "[{ required: true, when: 'form.status == \"suspended\"' }, { media-types: [image/png], when: 'form.status == \"suspended\"' }]",
    );
    const unsent = (of: typeof page, control?: "file") => {
      const field = of.fields.find((each) => each.column.name === "notes");
      if (!field) throw new Error("no field");
      return {
        field: { ...field, ...(control ? { control } : {}) },
        sent: false,
        text: "",
        touched: false,
        value: null,
        problem: null,
      };
    };
    const told = (row: typeof mv014, each: SubmittedField, of = page) =>
      checkFields(tripOf({ page: of }), row, [each, typed("status", "suspended")]).map(({ message }) => message);
    expect(told({ ...mv014, notes: "dry" }, unsent(page))).toEqual([]);
    expect(told({ ...mv014, notes: null }, unsent(page))).toEqual(["Notes is needed: enter a value."]);
    expect(told({ ...mv014, notes: "High water." }, unsent(page))).toEqual(["Notes has 11 characters; at most 3 fit."]);
    const stamp = `sha256:${"0".repeat(64)}:12`;
    expect(told({ ...mv014, notes: stamp }, unsent(photo, "file"), photo)).toEqual([]);
    expect(told({ ...mv014, notes: null }, unsent(photo, "file"), photo)).toEqual(["Notes is needed: enter a value."]);
  });

  test("a rule with a condition applies while it holds, also to a field that was not touched", () => {
    const rules = "[{ required: true, when: 'form.status == \"suspended\"', message: Say why. }]";
    expect(judged(rules, "", [typed("status", "suspended")], false)).toEqual(["Say why."]);
    expect(judged(rules, "", [typed("status", "live")], false)).toEqual([]);
    expect(judged(rules, "", [typed("name", "Heron Lock")], false)).toEqual([]);
  });
});
