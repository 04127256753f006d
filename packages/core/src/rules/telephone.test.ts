import { describe, expect, test } from "@jest/globals";
import { formPage } from "../html/form.js";
import { documentOf } from "../html/layout.js";
import { checkFields } from "../steps/check.js";
import { prefillFields } from "../steps/prefill.js";
import { tidy } from "../steps/read-field.js";
import { frameOf, mv014, pageOf, recordOf, stationFile, tripOf } from "../testing/marrow-vale.js";
import type { FormView } from "../views/form-view.js";
import { kindOf } from "./index.js";

const ruled = (rule: string) =>
  pageOf(stationFile.replace("notes: { control: multi-line }", `notes: { control: text, rules: [${rule}] }`));

const fieldOf = (rule: string) => {
  const page = ruled(rule);
  const field = page.fields.find((each) => each.column.name === "notes");
  if (!field) throw new Error("no field");
  return { page, field };
};

/** What is said of a typed text, after it was tidied. */
function said(rule: string, typed: string): string[] {
  const { page, field } = fieldOf(rule);
  const text = tidy(field, typed);
  const submitted = { field, sent: true, touched: true, text, value: text, problem: null };
  return checkFields(tripOf({ page }), mv014, [submitted]).map(({ message }) => message);
}

const tidied = (rule: string, text: string): string => tidy(fieldOf(rule).field, text);

describe("the rule telephone", () => {
  test("takes numbers with a country code, and others where a country is named", () => {
    expect(said("telephone", "+44 20 7946 0018")).toEqual([]);
    expect(said("telephone", "020 7946 0018")).toEqual(["Notes must be a telephone number, like +44 7400 123456."]);
    expect(said("{ telephone: { country: GB } }", "020 7946 0018")).toEqual([]);
    expect(said("{ telephone: { country: GB } }", "+49 30 901820")).toEqual([]);
    expect(said("{ telephone: { country: GB } }", "020 7946")).toEqual([
      "Notes must be a telephone number, like 07400 123456.",
    ]);
  });

  test("takes the whole text, not a number somewhere in it", () => {
    expect(said("{ telephone: { country: GB } }", "call 020 7946 0018")).toHaveLength(1);
    expect(said("{ telephone: { country: GB } }", "020 7946 0018 ext. 3")).toEqual([]);
  });

  test("stores what was typed, or E.164, which has no extension", () => {
    expect(tidied("{ telephone: { country: GB } }", "020 7946 0018")).toBe("020 7946 0018");
    const e164 = "{ telephone: { country: GB, stored: e164 } }";
    expect(tidied(e164, "(020) 7946-0018")).toBe("+442079460018");
    expect(tidied(e164, "nobody")).toBe("nobody");
    expect(said(e164, "020 7946 0018 ext. 3")).toHaveLength(1);
  });

  test("with a condition the text stays as it was typed, since the condition is not known yet", () => {
    const rule = "{ telephone: { country: GB, stored: e164 }, when: 'form.status == \"live\"' }";
    expect(tidied(rule, "020 7946 0018")).toBe("020 7946 0018");
  });

  test("asks browsers for a control for telephone numbers", () => {
    const { page } = fieldOf("telephone");
    const fields = prefillFields(tripOf({ page }), "edit", recordOf({ ...mv014, notes: "+44 20 7946 0018" }));
    const view: FormView = {
      page,
      form: "edit",
      ids: "",
      back: null,
      kept: {},
      begins: {},
      reason: null,
      removable: false,
      key: ["MV-014"],
      title: "",
      fields,
      token: "",
      problems: [],
      conflicts: [],
      locked: null,
      notice: null,
      certain: true,
      heading: null,
    };
    expect(documentOf(frameOf(), formPage(view, frameOf()))).toMatch(/name="notes" dir="auto" type="tel"/);
  });

  test("a country that there is not is told at its place", () => {
    expect(() => ruled("{ telephone: { country: Britain } }")).toThrow(/two letters/);
    expect(() => ruled("{ telephone: { country: XX } }")).toThrow(/two letters/);
    expect(() => ruled("{ telephone: { stored: somehow } }")).toThrow(/somehow/);
  });

  test("is told in words, and a CHECK can hold the form of E.164", () => {
    const words = (rule: string): string | null | undefined => {
      const own = fieldOf(rule).field.rules.find((each) => each.rule === "telephone");
      return own && kindOf(own).words(own.demand);
    };
    expect(words("telephone")).toBe("a telephone number with its country code");
    expect(words("{ telephone: { country: GB, stored: e164 } }")).toBe(
      "a telephone number, of GB where it has no country code, stored as E.164",
    );
    const [rule] = fieldOf("{ telephone: { stored: e164 } }").field.rules;
    const { column } = fieldOf("telephone").field;
    expect(rule && kindOf(rule).enforcement?.(rule.demand, column)).toEqual({
      by: "check",
      name: "telephone",
      check: `"notes" ~ '^\\+[1-9][0-9]{1,14}$'`,
    });
  });
});
