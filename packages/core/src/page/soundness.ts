import type { Finding, Repair } from "../findings/finding.js";
import { quoted, quotedTable } from "../postgres/statement.js";
import { kindOf } from "../rules/index.js";
import type { Say } from "../rules/rule.js";
import { columnOf, tableName } from "../table/model.js";
import type { Page } from "./page.js";
import type { ParsedPage, Path } from "./parse.js";
import { rewriteWarning } from "./rewrites.js";
import { fieldSettings } from "./settings.js";
import { isIndexed, isSmall, orderColumns } from "./sorting.js";

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

/** A list whose order no index keeps: every part of it reads the whole table. */
function reviewList(page: Page, parsed: ParsedPage, say: Say): void {
  const { table, key, list } = page;
  if (isSmall(table) || isIndexed(table, list.sort.column, key)) return;
  const names = orderColumns(list.sort.column, key).map((column) => quoted(column.name));
  say(
    "warning",
    "slow-list",
    `No index keeps ${tableName(table)} in the order of ${list.sort.column.name}, so each part of the list reads all of its rows${table.rows === null ? "" : `, about ${table.rows}`}. To make one: CREATE INDEX CONCURRENTLY ON ${quotedTable(table)} (${names.join(", ")});`,
    parsed.file.list?.sort === undefined ? ["record", "key"] : ["list", "sort"],
  );
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
  const fields = new Map(page.fields.map((field) => [field.column.name, field]));
  for (const { name, settings, path } of fieldSettings(parsed.file)) {
    const field = fields.get(name);
    if (!field || !settings.rules) continue;
    const own = field.rules.filter((rule) => rule.from === "page" && kindOf(rule).inFile);
    for (const index of settings.rules.keys()) {
      const rule = own[index];
      if (!rule) continue;
      const { column, rules } = field;
      kindOf(rule).review?.(rule.demand, { column, rules, path: [...path, "rules", index], say });
    }
  }
  reviewList(page, parsed, say);
  reviewNew(page, say);
  reviewRewrites(page, say);
  reviewRights(page, parsed, say);
  return findings;
}
