import { describe, expect, test } from "@jest/globals";
import { parseCondition } from "@loyal-quill/core/condition/parse";
import type { Rule } from "@loyal-quill/core/rules/rule";
import type { Column } from "@loyal-quill/core/table/model";
import { station } from "@loyal-quill/core/testing/marrow-vale";
import { holdCheck, holdRule } from "./hold.js";

const column = (name: string, change: Partial<Column> = {}): Column => {
  const found = station.columns.find((each) => each.name === name);
  if (!found) throw new Error(name);
  return { ...found, ...change };
};

const held = (rule: string, demand: unknown, of = column("name"), when: Rule["when"] = null): string | null =>
  holdRule({ rule, demand, from: "page", when, message: null }, station, of)?.up ?? null;

const checked = (source: string): string | null => {
  const parsed = parseCondition(source, station, station);
  if (!parsed.ok) throw new Error(parsed.problem.message);
  return holdCheck(parsed.condition, station)?.up ?? null;
};

describe("the statements that make a table hold a rule", () => {
  test("add a CHECK without looking at the rows, then look at them", () => {
    expect(held("max", { bound: "12.5" }, column("alert_m"))).toBe(
      [
        'ALTER TABLE "network"."station" ADD CONSTRAINT "station_alert_m_max" CHECK ("alert_m" <= 12.5) NOT VALID;',
        'ALTER TABLE "network"."station" VALIDATE CONSTRAINT "station_alert_m_max";',
      ].join("\n"),
    );
  });

  test("make a column NOT NULL by way of a CHECK, so that nobody is kept from writing for long", () => {
    const lines = held("required", true, column("notes", { nullable: true }))?.split("\n") ?? [];
    expect(lines.map((line) => line.replace('ALTER TABLE "network"."station" ', ""))).toEqual([
      'ADD CONSTRAINT "station_notes_is_there" CHECK ("notes" IS NOT NULL) NOT VALID;',
      'VALIDATE CONSTRAINT "station_notes_is_there";',
      'ALTER COLUMN "notes" SET NOT NULL;',
      'DROP CONSTRAINT "station_notes_is_there";',
    ]);
    expect(held("required", true)).toContain("btrim(\"name\") <> ''");
  });

  test("make a column unique beside the people who write", () => {
    expect(held("unique", { constraint: null, columns: ["name"], ignoringCase: false })).toContain(
      "CREATE UNIQUE INDEX CONCURRENTLY",
    );
    expect(held("unique", { constraint: null, columns: ["name"], ignoringCase: true })).toContain(
      '(lower("name"::text))',
    );
  });

  test("quote what they are given", () => {
    expect(held("one-of", ["it's", 'a "b"'])).toContain(`IN ('it''s', 'a "b"')`);
    expect(held("min", { bound: "2020-01-01" }, column("installed_on"))).toContain(`>= '2020-01-01'`);
  });

  test("are not offered where a constraint can't say it", () => {
    expect(held("pattern", { source: "x", matches: () => true })).toBeNull();
    expect(held("e-mail", true)).toBeNull();
    expect(held("unique", { constraint: "station_pkey", columns: ["name"], ignoringCase: false })).toBeNull();
    const when = parseCondition('form.status == "live"', station, station);
    expect(held("required", true, column("notes"), when.ok ? when.condition : null)).toBeNull();
  });

  test("say a check across fields with the table's own columns and with literals", () => {
    expect(checked('form.warning_m > form.alert_m || form.status != "live"')?.split("\n")[0]).toBe(
      `ALTER TABLE "network"."station" ADD CONSTRAINT "station_warning_m_alert_m_status_check" CHECK ((("warning_m" > "alert_m") OR ("status" <> 'live'::network.station_status))) NOT VALID;`,
    );
    expect(checked("form.name != actor.name")).toBeNull();
    expect(checked("form.installed_on < now")).toBeNull();
  });
});
