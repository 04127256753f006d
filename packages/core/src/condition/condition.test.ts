import { describe, expect, test } from "@jest/globals";
import { Parameters, type Row } from "../postgres/statement.js";
import { factsOf, hollis, mv014, station } from "../testing/marrow-vale.js";
import { Budget, ConditionTooLong, mostParameters } from "./budget.js";
import { truthOf } from "./evaluate.js";
import { type Actor, attributesFrom } from "./facts.js";
import { parseCondition } from "./parse.js";
import { predicate } from "./to-sql.js";

function read(source: string) {
  const result = parseCondition(source, station, station);
  if (!result.ok) throw new Error(result.problem.message);
  return result.condition;
}

const truth = (source: string, row: Row = mv014, actor: Actor = hollis) =>
  truthOf(read(source).expression, factsOf(actor, row, row));

function sql(source: string, actor: Actor = hollis): { text: string; values: readonly (string | null)[] } {
  const parameters = new Parameters();
  return { text: predicate(read(source), parameters, factsOf(actor), "t"), values: parameters.values };
}

describe("a condition evaluated", () => {
  test.each([
    ['row.status == "live"', true],
    ['row.status != "live"', false],
    ["row.region_id == actor.region_id", true],
    ["row.warning_m > row.alert_m", true],
    ["row.warning_m > 10", false],
    ["row.warning_m >= 3.37", true],
    ["row.telemetry", true],
    ["!row.telemetry", false],
    ['row.installed_on < "1990-01-01"', true],
    ["row.installed_on < now", true],
    ['row.status in ["live", "planned"]', true],
    ['"hydrologist" in actor.roles', true],
    ['actor.roles.exists(r, r in ["technician"])', false],
    ['actor.roles.all(r, r != "builder")', true],
    ["row.notes == null", false],
    ["row.notes != null", true],
    ['row.code == "MV-014" && (row.name == "x" || row.region_id == 2)', true],
    ["row.warning_m - row.alert_m < 0.68", true],
    ["row.warning_m * 2 == 6.74", true],
    ["size(row.code) == 6", true],
    ['row.code.startsWith("MV-")', true],
    ['row.name.contains("ter W") && row.name.endsWith("Weir")', true],
    ["(row.telemetry ? row.alert_m : row.warning_m) == 2.7", true],
    ["has(row.notes)", true],
    ['row.installed_on < timestamp("2000-01-01T00:00:00Z")', true],
  ])("%s is %p", (source, expected) => {
    expect(truth(source)).toBe(expected);
  });

  test("a comparison with null is unknown, and so is its negation", () => {
    const row = { ...mv014, alert_m: null };
    expect(truth("row.warning_m > row.alert_m", row)).toBeNull();
    expect(truth("!(row.warning_m > row.alert_m)", row)).toBeNull();
    expect(truth("row.alert_m == null", row)).toBe(true);
  });

  test("unknown gives way to what decides (ISO 9075-2, 8.21)", () => {
    const row = { ...mv014, alert_m: null };
    expect(truth("row.alert_m > 1 || true", row)).toBe(true);
    expect(truth("row.alert_m > 1 && false", row)).toBe(false);
    expect(truth("row.alert_m > 1 || false", row)).toBeNull();
    expect(truth("row.alert_m in [1, 2]", row)).toBeNull();
  });

  test("an attribute that the person does not have is null, also one that every object has", () => {
    expect(truth("row.region_id == actor.nothing")).toBeNull();
    expect(truth("actor.constructor == null")).toBe(true);
  });

  test("decimals are exact", () => {
    expect(truth("row.alert_m == 0.1", { ...mv014, alert_m: "0.10" })).toBe(true);
    expect(truth("row.alert_m < 0.30000000000000001", { ...mv014, alert_m: "0.3" })).toBe(true);
  });
});

describe("a condition that is not understood", () => {
  test.each([
    ["row.statuss == 'live'", 4, 'Did you mean "status"?'],
    ["row.status == 'alive'", 14, 'Did you mean "live"?'],
    ["ro.status == 'live'", 0, 'Did you mean "row"?'],
    ["row.telemetry == 3", 17, "A boolean can't be compared with a integer."],
    ["row.warning_m", 0, "true or false is wanted here"],
    ["actor.roles.exsts(r, r == 'x')", 12, 'Did you mean "exists"?'],
    ["row.status ==", 13, ""],
    ["row.code.matches('x')", 9, "can't be used"],
    ["siz(row.code) > 3", 0, 'Did you mean "size"?'],
    ["row.name + 1 > 3", 0, "an exact number is wanted here"],
    ["row.alert_m.startsWith('x')", 0, "a text is wanted here"],
    ["row.installed_on < timestamp('soon')", 29, "A moment is written like"],
    ["row", 0, '"row" needs a name after it'],
  ])("%s: at %d", (source, offset, message) => {
    const result = parseCondition(source, station, station);
    expect(result.ok).toBe(false);
    if (result.ok) return;
    expect(result.problem.message).toContain(message);
    expect(result.problem.offset).toBe(offset);
  });

  test("its size and depth are bounded", () => {
    expect(parseCondition(`${"(".repeat(500)}true${")".repeat(500)}`, station, station).ok).toBe(false);
    expect(parseCondition(Array(500).fill("true").join(" && "), station, station).ok).toBe(false);
  });

  test("form is known only where there is one", () => {
    expect(parseCondition("form.name == 'x'", station, null).ok).toBe(false);
  });
});

describe("a condition as SQL", () => {
  test("the row's part stays SQL, values are typed parameters", () => {
    expect(sql("row.region_id == actor.region_id")).toEqual({ text: '(t."region_id" = $1::bigint)', values: ["2"] });
    expect(sql('row.status != "retired"')).toEqual({
      text: '(t."status" <> $1::network.station_status)',
      values: ["retired"],
    });
  });

  test("what does not ask for the row is decided beforehand and travels as its result", () => {
    expect(sql('"technician" in actor.roles || row.region_id == actor.region_id')).toEqual({
      text: '($1::boolean OR (t."region_id" = $2::bigint))',
      values: ["false", "2"],
    });
  });

  test("nulls are asked for as SQL asks for them", () => {
    expect(sql("row.notes == null").text).toBe('(t."notes" IS NULL)');
    expect(sql("row.notes != null").text).toBe('(t."notes" IS NOT NULL)');
  });

  test("lists become IN, or nothing at all", () => {
    const regions = { ...hollis, attributes: { regions: ["1", "2"] } };
    expect(sql("row.region_id in actor.regions", regions)).toEqual({
      text: '(t."region_id" IN ($1::bigint, $2::bigint))',
      values: ["1", "2"],
    });
    expect(sql("row.region_id in actor.regions", { ...hollis, attributes: {} })).toEqual({
      text: "$1::boolean",
      values: ["false"],
    });
    expect(sql("actor.regions.exists(r, row.region_id == r)", regions).text).toBe(
      '(((t."region_id" = $1::bigint) OR (t."region_id" = $2::bigint)))'.slice(1, -1),
    );
  });

  test("an attribute that is no value of the column's type is unknown, not an error of the database", () => {
    const odd = { ...hollis, attributes: { region_id: "two; DROP TABLE" } };
    expect(sql("row.region_id == actor.region_id", odd).values).toEqual([null]);
  });

  test("text is ordered by code point, as the evaluator orders it", () => {
    expect(sql('row.name < "M"').text).toBe('(t."name"::text < $1::text COLLATE "C")');
  });
});

describe("the steps of a condition", () => {
  const numbers = (count: number): string => `[${Array.from({ length: count }, (_, index) => index).join(", ")}]`;
  const nested = (depth: number, count: number): string => {
    const names = ["a", "b", "c", "d"].slice(0, depth);
    const body = names.map((name) => `${name} == 999`).join(" && ");
    return names.reduceRight((inside, name) => `${numbers(count)}.exists(${name}, ${inside})`, body);
  };
  const long = { ...hollis, attributes: { many: Array.from({ length: 200 }, (_, index) => `m${index}`) } };
  const cubed = 'actor.many.exists(a, actor.many.exists(b, actor.many.exists(c, a == "x" && b == "x" && c == "x")))';

  test("lists that multiply are refused when the page is read, with how many steps they would take", () => {
    const read = parseCondition(nested(4, 50), station, station);
    expect(read).toMatchObject({
      ok: false,
      problem: { message: expect.stringMatching(/^This takes up to [\d,]+ steps each time/), offset: 0 },
    });
    expect(parseCondition(nested(2, 20), station, station).ok).toBe(true);
  });

  test("lists of an actor that multiply are given up after a number of steps", () => {
    expect(() => truth(cubed.replaceAll("&&", "||"), mv014, long)).toThrow(ConditionTooLong);
    expect(() => sql(`${cubed} || row.region_id == 2`, long)).toThrow(ConditionTooLong);
    const asking = "actor.many.exists(a, actor.many.exists(b, row.name == a && row.code == b))";
    expect(() => sql(asking, long)).toThrow(ConditionTooLong);
    const fewer = { ...long, attributes: { many: long.attributes.many.slice(0, 50) } };
    expect(sql(asking, fewer).values.length).toBeLessThan(mostParameters);
  });

  test("what decides ends the evaluation", () => {
    const steps = (source: string): number => {
      for (let most = 1; ; most++) {
        try {
          truthOf(read(source).expression, factsOf(long, mv014, mv014), new Budget(most));
          return most;
        } catch (error) {
          if (!(error instanceof ConditionTooLong)) throw error;
        }
      }
    };
    expect(steps(`row.status == "planned" && ${nested(2, 20)}`)).toBeLessThan(10);
    expect(steps(`row.status == "live" || ${nested(2, 20)}`)).toBeLessThan(10);
    expect(steps('actor.many.exists(a, a == "m1")')).toBeLessThan(12);
    expect(steps('actor.many.all(a, a == "m0")')).toBeLessThan(12);
    expect(steps(nested(2, 20))).toBeGreaterThan(400);
  });

  test("a long text takes steps by its length", () => {
    const row = { ...mv014, notes: "n".repeat(60_000_000) };
    expect(() => truth('row.notes.contains("x")', row)).toThrow(ConditionTooLong);
  });
});

describe("attributes of somebody, as another application has them", () => {
  const asked = (source: string, given: Record<string, unknown>) =>
    truth(source, mv014, { ...hollis, attributes: attributesFrom(given) });

  test("are the very same where each is one", () => {
    const given = { region_id: 2, badge: "07", leads: true, tags: ["a"], nothing: null, unsaid: undefined };
    expect(attributesFrom(given)).toBe(given);
  });

  test.each([
    ["numbers in a list", "row.region_id in actor.regions", { regions: [1, 2] }],
    ["whole numbers of any size in one", "row.region_id in actor.regions", { regions: [2n, 9007199254740993n] }],
    ["a whole number of any size", "row.region_id == actor.region_id", { region_id: 2n }],
    ["a moment", "now > actor.since", { since: new Date("2026-01-01T00:00:00Z") }],
    ["a truth in a list", "row.telemetry in actor.wanted", { wanted: [true] }],
  ])("%s is what it stands for", (_, source, given) => {
    expect(asked(source, given)).toBe(true);
    expect(asked(`!(${source})`, given)).toBe(false);
  });

  test.each([
    ["an object", { id: 2 }],
    ["a list of objects", [{ id: 2 }]],
    ["a list of lists", [[2]]],
    ["a list with nothing in it", [2, null]],
    ["a set", new Set([2])],
    ["no moment", new Date(Number.NaN)],
    ["a function", () => 2],
  ])("%s is refused by the attribute's name", (_, regions) => {
    expect(() => attributesFrom({ region_id: 2, regions })).toThrow(
      "The attribute regions must be a text, a number, a date, true, false or null, or a list of texts, numbers, dates and truths.",
    );
  });
});
