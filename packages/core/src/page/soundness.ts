import { type Column, columnOf } from "../table/model.js";
import { compareDecimals } from "../values/decimal.js";
import { microseconds } from "../values/instant.js";
import type { Finding, Repair } from "./finding.js";
import type { FindingCode } from "./finding-codes.js";
import type { Field, Page, Rule } from "./page.js";
import type { ParsedPage, Path } from "./parse.js";
import { rewriteWarning } from "./rewrites.js";
import { takeOffRule } from "./rules.js";
import { fieldSettings } from "./settings.js";

type Say = (severity: Finding["severity"], code: FindingCode, message: string, path: Path, repair?: Repair) => void;

/** Which of two bounds of a column is the greater; undefined where they can't be compared. */
function order(a: string, b: string, column: Column): number | undefined {
  if (["date", "timestamp", "timestamptz"].includes(column.type.kind)) {
    const [left, right] = [microseconds(a), microseconds(b)];
    return left === undefined || right === undefined ? undefined : left < right ? -1 : Number(left > right);
  }
  return compareDecimals(a, b) ?? undefined;
}

const boundsOf = (rules: readonly Rule[], by: Rule["by"], name: "min" | "max"): string[] =>
  rules.flatMap((rule) => (rule.rule === name && rule.by === by && rule.when === null ? [rule.bound] : []));

/** A range of the page against the table's: one that reaches further is idle, one beside it lets nothing through. */
function reviewRange(field: Field, rule: Rule & { rule: "min" | "max" }, path: Path, say: Say): void {
  const { column, rules } = field;
  const [same, opposite] = rule.rule === "min" ? (["min", "max"] as const) : (["max", "min"] as const);
  const beyond = (limit: string, side: number): boolean => order(rule.bound, limit, column) === side;
  const outside = [...boundsOf(rules, "table", opposite), ...boundsOf(rules, "page", opposite)].find((limit) =>
    beyond(limit, same === "min" ? 1 : -1),
  );
  if (outside !== undefined) {
    say(
      "error",
      "contradiction",
      `No value can be ${same === "min" ? "at least" : "at most"} ${rule.bound} and ${same === "min" ? "at most" : "at least"} ${outside} at once.`,
      path,
      takeOffRule(path),
    );
    return;
  }
  const looser = boundsOf(rules, "table", same).find((limit) => beyond(limit, same === "min" ? -1 : 1));
  if (looser !== undefined)
    say(
      "warning",
      "looser-than-table",
      `The table takes ${same === "min" ? "nothing below" : "nothing above"} ${looser}, so the rule's ${rule.bound} says nothing.`,
      path,
      takeOffRule(path),
    );
}

/** The values that a table takes for a column at all, where it lists them. */
function listOf(column: Column, rules: readonly Rule[]): readonly string[] | undefined {
  if (column.type.kind === "enum") return column.type.labels;
  if (column.type.kind === "boolean") return ["true", "false"];
  return rules.flatMap((rule) => (rule.rule === "one-of" && rule.by === "table" ? [rule.values] : []))[0];
}

function reviewRule(field: Field, rule: Rule, path: Path, say: Say): void {
  const { column, rules } = field;
  switch (rule.rule) {
    case "min":
    case "max":
      reviewRange(field, rule, path, say);
      return;
    case "min-length": {
      const most = rules.flatMap((each) => (each.rule === "max-length" ? [each.characters] : []));
      const limit = Math.min(...most);
      if (rule.characters > limit)
        say(
          "error",
          "contradiction",
          `No text can have at least ${rule.characters} and at most ${limit} characters at once.`,
          path,
          takeOffRule(path),
        );
      return;
    }
    case "one-of": {
      const known = listOf(column, rules);
      const refused = rule.values.filter((value) => known && !known.includes(value));
      if (refused.length > 0)
        say(
          "error",
          "table-refuses",
          `The table does not take ${refused.map((each) => `"${each}"`).join(", ")} for ${column.name}. It takes: ${known?.join(", ")}.`,
          path,
          {
            what: `leave out ${refused.join(", ")}`,
            edits: [
              {
                do: "set",
                path: ["fields", ...path.slice(2), "one-of"],
                value: rule.values.filter((value) => !refused.includes(value)),
              },
            ],
          },
        );
      return;
    }
    case "e-mail":
    case "web-address":
    case "pattern":
      if (column.type.kind !== "text" && rule.rule !== "pattern")
        say(
          "error",
          "contradiction",
          `A ${column.type.shown} can't be ${rule.rule === "e-mail" ? "an e-mail address" : "a web address"}.`,
          path,
          takeOffRule(path),
        );
      return;
    default:
      return;
  }
}

/** Nobody makes or deletes records by way of the page. */
const leaveOut = (what: "new" | "delete"): Repair => ({
  what: `leave ${what} out`,
  edits: [{ do: "set", path: ["access", what], value: undefined }],
});

/** What a new record needs and the form does not give. */
function reviewNew(page: Page, say: Say): void {
  const path: Path = ["access", "new"];
  if (!page.access.new) return;
  if (!page.table.granted.insert)
    say(
      "error",
      "not-granted",
      "This connection may not insert into the table: grant INSERT, or leave new out.",
      path,
      leaveOut("new"),
    );
  for (const column of page.table.columns) {
    const given = page.fields.some((field) => field.column === column && field.onNew);
    if (column.nullable || column.default !== null || column.written === "always" || given) continue;
    say(
      "error",
      "required-without-field",
      `A new record needs ${column.name}, which has neither a default nor a field that may be filled in.`,
      path,
      {
        what: `put ${column.name} on the page`,
        edits: [{ do: "add-fields", names: [column.name], before: null }],
      },
    );
  }
}

/** Rules of the table that take a page's statements apart. */
function reviewRewrites(page: Page, say: Say): void {
  const does = { update: page.routine === null, insert: page.access.new !== null, delete: page.access.delete !== null };
  for (const on of ["update", "insert", "delete"] as const) {
    const warning = does[on] ? rewriteWarning(page.table, on) : null;
    if (warning !== null) say("warning", "rewrite-rule", warning, ["record", "table"]);
  }
}

/** Columns that a page would change and the connection may not. */
function reviewRights(page: Page, parsed: ParsedPage, say: Say): void {
  if (page.access.delete && !page.table.granted.delete)
    say(
      "error",
      "not-granted",
      "This connection may not delete from the table: grant DELETE, or leave delete out.",
      ["access", "delete"],
      leaveOut("delete"),
    );
  for (const { name, settings, path } of fieldSettings(parsed.file)) {
    const column = columnOf(page.table, name);
    if (!column || column.written === "always" || settings["read-only"] || page.routine || column.granted.update)
      continue;
    say(
      "warning",
      "not-granted",
      `This connection may not update ${name}, so it is shown only: grant UPDATE, or say read-only.`,
      path,
      { what: "say read-only", edits: [{ do: "set", path: ["fields", name, "read-only"], value: true }] },
    );
  }
}

/**
 * Holds a page against its table, without looking at rows: rules that contradict the table or say less than it, values that it
 * does not take, what a new record lacks, rights that are missing.
 */
export function reviewAgainstTable(page: Page, parsed: ParsedPage): readonly Finding[] {
  const findings: Finding[] = [];
  const say: Say = (severity, code, message, path, repair) =>
    void findings.push(parsed.finding(severity, code, message, path, 0, false, repair));
  for (const { name, settings, path } of fieldSettings(parsed.file)) {
    const field = page.fields.find((each) => each.column.name === name);
    const own = field?.rules.filter((rule) => rule.by === "page" && rule.rule !== "offered") ?? [];
    for (const index of (settings.rules ?? []).keys()) {
      const rule = own[index];
      if (field && rule) reviewRule(field, rule, [...path, "rules", index], say);
    }
  }
  reviewNew(page, say);
  reviewRewrites(page, say);
  reviewRights(page, parsed, say);
  return findings;
}
