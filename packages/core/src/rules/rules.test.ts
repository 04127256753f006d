import { describe, expect, test } from "@jest/globals";
import * as v from "valibot";
import { parseCondition } from "../condition/parse.js";
import type { Path } from "../findings/path-in-file.js";
import { english } from "../messages/en.js";
import { Parameters } from "../postgres/statement.js";
import { type Column, columnOf } from "../table/model.js";
import { station } from "../testing/marrow-vale.js";
import { kindOf, ruleKinds, ruleKindsInFile } from "./index.js";
import { fitsPattern } from "./pattern.js";
import { pageRules, tableRules } from "./read.js";
import type { Rule, RuleContext } from "./rule.js";
import { type RuleSetting, ruleSchema } from "./schema.js";

const column = (name: string): Column => {
  const found = columnOf(station, name);
  if (!found) throw new Error(name);
  return found;
};

/** A context that keeps what it was told. */
function listening(): RuleContext & { readonly said: string[] } {
  const said: string[] = [];
  return {
    table: station,
    said,
    error: (code) => {
      said.push(code);
      return null;
    },
    warning: (code) => void said.push(code),
    affordable: (condition) => condition,
    condition: (source) => {
      const parsed = source === undefined ? null : parseCondition(source, station, station);
      return parsed?.ok ? parsed.condition : null;
    },
  };
}

const place: Path = ["fields", 0, "name"];
const schema = ruleSchema(v.string(), v.string());

/** What a text breaks of a rule, by the code of its message. */
const broken = (rule: Rule, of: Column, value: string | null): string | null =>
  kindOf(rule).broken?.(rule.demand, { column: of, value, text: value ?? "" })?.[0] ?? null;

const ruleOf = (setting: RuleSetting, of: Column): Rule => {
  const [rule] = pageRules([setting], of, listening(), place);
  if (!rule) throw new Error(JSON.stringify(setting));
  return rule;
};

describe("the list of rules", () => {
  test.each(ruleKindsInFile().map((kind) => [kind.name, kind] as const))(
    "%s: what it first demands is what its schema takes, and is told in words",
    (name, kind) => {
      const setting = kind.inFile.byName ? name : { [name]: kind.inFile.first };
      expect(v.safeParse(schema, setting).success).toBe(true);
      expect(v.safeParse(schema, { [name]: [[]] }).success).toBe(false);
      const of = column(kind.inFile.fits === "any" || kind.inFile.fits.includes("text") ? "name" : "alert_m");
      const rule = ruleOf(setting, of);
      expect(rule).toMatchObject({ rule: name, from: "page", when: null, message: null });
      expect(kindOf(rule).words(rule.demand)).toMatch(/\w/);
      expect(kind.inFile.means).toMatch(/\.$/);
    },
  );

  test("a rule by its name alone is one whose setting can be true", () => {
    for (const { name, inFile } of ruleKindsInFile())
      expect([name, v.safeParse(schema, name).success]).toEqual([name, inFile.byName]);
  });

  test("names each rule once, and knows no other", () => {
    const names = ruleKinds().map(({ name }) => name);
    expect(new Set(names).size).toBe(names.length);
    expect(() => kindOf({ rule: "nothing" })).toThrow('There is no rule "nothing".');
  });

  test("says what is wrong by codes that have a message", () => {
    const refused: readonly (readonly [RuleSetting, string, string | null])[] = [
      ["required", "name", " "],
      [{ "min-length": 3 }, "name", "ab"],
      [{ "max-length": 3 }, "name", "abcd"],
      [{ min: 2 }, "alert_m", "1.99"],
      [{ max: 2 }, "alert_m", "2.01"],
      [{ max: 2 }, "alert_m", "NaN"],
      [{ step: 0.25 }, "alert_m", "0.30"],
      [{ pattern: "[a-z]+" }, "name", "A"],
      ["e-mail", "name", "nobody"],
      ["web-address", "name", "example"],
      [{ "one-of": ["a"] }, "name", "b"],
    ];
    for (const [setting, name, value] of refused) {
      const code = broken(ruleOf(setting, column(name)), column(name), value);
      expect([setting, Object.hasOwn(english.messages, code ?? "")]).toEqual([setting, true]);
    }
  });

  test("a missing value breaks nothing but required", () => {
    for (const { name, inFile } of ruleKindsInFile()) {
      const of = column(inFile.fits === "any" || inFile.fits.includes("text") ? "name" : "alert_m");
      expect([name, kindOf({ rule: name }).judgesMissing === true]).toEqual([name, name === "required"]);
      if (name === "required") expect(broken(ruleOf("required", of), of, null)).toBe("required");
    }
  });
});

describe("rules in a page file", () => {
  test("one is wanted at a place, not several and not none", () => {
    const context = listening();
    expect(pageRules([{ min: 1, max: 2 }, { when: "true" }], column("alert_m"), context, place)).toEqual([]);
    expect(context.said).toEqual(["rule", "rule"]);
  });

  test("a bound on values without an order is refused by the review", () => {
    const said: string[] = [];
    const rule = ruleOf({ min: 3 }, column("name"));
    const say = (severity: string, code: string, message: string): void =>
      void said.push(`${severity} ${code} ${message}`);
    kindOf(rule).review?.(rule.demand, { column: column("name"), rules: [rule], path: place, say });
    expect(said).toEqual([
      "error contradiction A character varying(60) has no order in which there could be a minimum.",
    ]);
  });

  test("a bound on a time of day is one", () => {
    const time: Column = { ...column("name"), type: { ...column("name").type, kind: "time", cast: "time" } };
    const rule = ruleOf({ min: "08:00:00" }, time);
    expect([broken(rule, time, "07:59:59"), broken(rule, time, "08:00:00")]).toEqual(["min", null]);
  });
});

describe("what a table enforces", () => {
  test("is a rule of the same kinds, with what it demands", () => {
    const found = tableRules(station, column("name"), "text").map(({ rule, demand }) => [rule, demand]);
    expect(found).toEqual([
      ["required", true],
      ["max-length", 60],
    ]);
  });

  test("a whole number's range goes without saying, and is judged all the same", () => {
    const rules = tableRules(station, column("river_id"), "choice");
    const range = rules.filter(({ rule }) => rule === "min" || rule === "max");
    expect(range.map((rule) => kindOf(rule).words(rule.demand))).toEqual([null, null]);
    const most = range.find(({ rule }) => rule === "max");
    expect(most && broken(most, column("river_id"), "99999999999999999999")).toBe("max");
  });
});

describe("the statements of rules", () => {
  test("what is refused is a predicate with parameters, never with the value itself", () => {
    const evil = "x') OR true --";
    for (const setting of [{ "one-of": [evil] }, { min: evil }] as const) {
      const rule = ruleOf(setting, column("name"));
      const counted = kindOf(rule).counted?.(rule.demand, column("name"));
      const parameters = new Parameters();
      const text = counted?.by === "predicate" ? counted.refused(parameters) : "";
      expect(text).toMatch(/\$1::/);
      expect(text).not.toContain("OR true");
      expect(parameters.values).toEqual([evil]);
    }
  });

  test("a literal of a statement to copy is quoted", () => {
    const rule = ruleOf({ "one-of": ["it's", "a\\b"] }, column("name"));
    expect(kindOf(rule).enforcement?.(rule.demand, column("name"))).toEqual({
      by: "check",
      name: "one_of",
      check: `"name"::text IN ('it''s',  E'a\\\\b')`,
    });
  });
});

test("a pattern takes no longer than its text is long, whatever it is", () => {
  expect(fitsPattern("(a+)+$", `${"a".repeat(5000)}!`)).toBe(false);
  expect(fitsPattern("[a-z]+", "abc")).toBe(true);
  expect(fitsPattern("(", "a")).toBeNull();
});
