import type { Finding, Repair } from "../findings/finding.js";
import type { SchemaChange } from "../findings/schema-change.js";
import { quoted, quotedTable } from "../postgres/statement.js";
import { kindOf } from "../rules/index.js";
import type { Say } from "../rules/rule.js";
import { isIndexed, isSmall, orderColumns } from "../settings/bound/sorting.js";
import { incremented, isLockVersion } from "../table/lock-version.js";
import { type Column, columnOf, type Table, tableName } from "../table/model.js";
import { fieldsIn } from "./fields-in.js";
import { indexCost } from "./index-cost.js";
import type { Page } from "./page.js";
import type { ParsedPage, Path } from "./parse.js";
import { rewriteWarning } from "./rewrites.js";

/** Nobody makes or deletes records by way of the page. */
const leaveOut = (what: "new" | "delete"): Repair => ({
  what: `leave ${what} out`,
  edits: [{ do: "set", path: ["access", what], value: undefined }],
});

/** What a new record needs and the form does not give. */
function reviewNew(page: Page, say: Say): void {
  const path: Path = ["access", "new"];
  if (!page.access.new) return;
  if (!page.table.granted.insert) {
    say(
      "warning",
      "not-granted",
      "This connection may not insert into the table, so no new record is made: grant INSERT, or leave new out.",
      path,
      { repair: leaveOut("new"), stops: "new" },
    );
    return;
  }
  for (const column of page.table.columns) {
    const given =
      page.fields.some((field) => field.column === column && field.onNew) ||
      page.sets.some((set) => set.column === column && set.on !== "save");
    const isGiven = column.default !== null || column.written === "always" || column.setByTrigger;
    if (column.nullable || isGiven || given) continue;
    if (!column.granted.insert && page.fields.some((field) => field.column === column && !field.readOnly)) {
      const message = `A new record needs ${column.name}, which this connection may not insert, so none is made: grant INSERT.`;
      say("warning", "not-granted", message, path, { stops: "new" });
      continue;
    }
    say(
      "error",
      "required-without-field",
      `A new record needs ${column.name}, which has neither a default nor a field that may be filled in.`,
      path,
      {
        repair: {
          what: `put ${column.name} on the page`,
          edits: [{ do: "add-fields", names: [column.name], before: null }],
        },
        stops: "new",
      },
    );
  }
}

/** A page that does not say who may open it. */
function reviewOpen({ access }: Page, say: Say): void {
  if (access.open) return;
  say(
    "warning",
    "open-to-everybody",
    'Nothing says who may open this page, so everybody may who is signed in. Give it access.open, or write open: "true" where that is meant.',
    ["path"],
    {
      repair: {
        what: "say that everybody may open it",
        edits: [{ do: "set", path: ["access", "open"], value: "true" }],
      },
    },
  );
}

/** What a list asks of a large table that no index can serve. */
function reviewList(page: Page, parsed: ParsedPage, say: Say): void {
  if (isSmall(page.table)) return;
  reviewOrder(page, parsed, say);
  // Of a table that was never counted nobody knows yet.
  if (page.table.rows === null) return;
  reviewFilters(page, say);
  reviewSearch(page, parsed, say);
}

const about = ({ rows }: Table): string => (rows === null ? "" : `, about ${rows}`);

/** An index by these columns, as PostgreSQL would name it. */
function newIndex(
  table: Table,
  columns: readonly string[],
  trigrams = false,
): SchemaChange & { readonly cost: string } {
  const name = `${table.name}_${columns.join("_")}_idx`.slice(0, 63);
  const by = trigrams
    ? ` USING gin (${columns.map((column) => `${quoted(column)} gin_trgm_ops`).join(", ")})`
    : ` (${columns.map(quoted).join(", ")})`;
  return {
    name,
    up: `CREATE INDEX CONCURRENTLY ${quoted(name)} ON ${quotedTable(table)}${by};`,
    down: `DROP INDEX CONCURRENTLY ${quoted(table.schema)}.${quoted(name)};`,
    cost: indexCost(table, columns, trigrams),
  };
}

/** "To make one", with what it would take, where that is known. */
const toMake = (what: string, costs: readonly string[]): string =>
  costs.some((cost) => cost === "") ? `To make ${what}` : `To make ${what} (${costs.join("; ")})`;

/** Filters without an index that begins with their column. */
function reviewFilters({ table, key, list }: Page, say: Say): void {
  for (const [index, { column, way }] of list.filters.entries()) {
    if (table.indexes.some(([first]) => first === column.name)) continue;
    // Where one value is asked for, the index goes on in the list's order, so that it leads to any place of it.
    const isOne = way.by !== "range" && way.by !== "days" && !list.sort.column.nullable;
    const names = [column, ...(isOne ? orderColumns(list.sort.column, key) : [])].map(({ name }) => name);
    const { cost, ...change } = newIndex(table, [...new Set(names)]);
    say(
      "warning",
      "slow-list",
      `No index begins with ${column.name}, so where a filter leaves few records the list reads all rows of ${tableName(table)}${about(table)}. ${toMake("one", [cost])}: ${change.up}`,
      ["list", "filter", index],
      { change },
    );
  }
}

/** A search that looks into columns without an index of trigrams. */
function reviewSearch({ table, list }: Page, parsed: ParsedPage, say: Say): void {
  const searched = list.search ?? list.columns.map(({ column }) => column);
  const isOwnText = (column: Column): boolean =>
    column.type.kind === "text" && list.columns.every((each) => each.column !== column || each.choices === null);
  const known = new Set(table.trigrams);
  const [texts, others] = [searched.filter(isOwnText), searched.filter((column) => !isOwnText(column))];
  const lacking = texts.filter(({ name }) => !known.has(name));
  if (lacking.length === 0 && others.length === 0) return;
  const path: Path = parsed.file.list?.search
    ? ["list", "search"]
    : parsed.file.list?.columns
      ? ["list", "columns"]
      : ["record"];
  const extension = table.trigrams === null ? "CREATE EXTENSION pg_trgm;" : "";
  const indexes = lacking.map(({ name }) => newIndex(table, [name], true));
  const change: SchemaChange | undefined =
    indexes.length === 0
      ? undefined
      : {
          name: indexes.map(({ name }) => name).join("_and_"),
          up: [extension, ...indexes.map(({ up }) => up)].filter(Boolean).join("\n"),
          down: indexes.map(({ down }) => down).join("\n"),
        };
  const advice = [
    ...(others.length > 0
      ? [`Name columns of text in list.search: no index finds parts of ${others.map(({ name }) => name).join(", ")}.`]
      : []),
    ...(change
      ? [
          `${toMake(
            indexes.length === 1 ? "an index" : "indexes",
            indexes.map(({ cost }) => cost),
          )}: ${change.up.replaceAll("\n", " ")}`,
        ]
      : []),
  ];
  say(
    "warning",
    "slow-list",
    `A search reads all rows of ${tableName(table)}${about(table)}, so it answers within two seconds with what it has found so far, and goes on when asked. ${advice.join(" ")}`,
    path,
    change && { change },
  );
}

/** A list whose order no index keeps: every part of it reads the whole table. */
function reviewOrder(page: Page, parsed: ParsedPage, say: Say): void {
  const { table, key, list } = page;
  if (isIndexed(table, list.sort.column, key)) return;
  const { cost, ...change } = newIndex(
    table,
    orderColumns(list.sort.column, key).map((column) => column.name),
  );
  say(
    "warning",
    "slow-list",
    `No index keeps ${tableName(table)} in the order of ${list.sort.column.name}, so each part of the list reads all of its rows${about(table)}. ${toMake("one", [cost])}: ${change.up}`,
    parsed.file.list?.sort === undefined ? ["record", "key"] : ["list", "sort"],
    { change },
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
      "warning",
      "not-granted",
      "This connection may not delete from the table, so no record is deleted: grant DELETE, or leave delete out.",
      ["access", "delete"],
      { repair: leaveOut("delete"), stops: "delete" },
    );
  for (const { name, settings, path } of fieldsIn(parsed.file)) {
    const column = columnOf(page.table, name);
    const isSet = page.sets.some((set) => set.column === column && set.on !== "new");
    if (
      !column ||
      column.written === "always" ||
      settings["read-only"] ||
      page.routine ||
      isSet ||
      column.granted.update
    )
      continue;
    say(
      "warning",
      "not-granted",
      `This connection may not update ${name}, so it is shown only: grant UPDATE, or say read-only.`,
      path,
      { repair: { what: "say read-only", edits: [{ do: "set", path: ["fields", name, "read-only"], value: true }] } },
    );
  }
}

/** A version number that no save increments: whoever locks by it overwrites what this page has saved. */
function reviewLockVersion(page: Page, say: Say): void {
  if (page.routine || page.table.triggersUpdates) return;
  for (const column of page.table.columns) {
    const { name } = column;
    const isRaised = page.sets.some((set) => set.column.name === name && set.on !== "new");
    if (!isLockVersion(column) || isRaised || column.written === "always" || !column.granted.update) continue;
    say(
      "warning",
      "lock-version",
      `${name} looks like a version number for optimistic locking, and this page doesn't increment it: another application can overwrite what was saved here without noticing.`,
      ["record", "table"],
      {
        repair: {
          what: `increment ${name} with each save`,
          edits: [{ do: "set", path: ["set", name], value: incremented(column) }],
        },
      },
    );
  }
}

/**
 * Holds a page against its table, without looking at rows: rules that contradict the table or say less than it, values that it
 * does not take, what a new record lacks, rights that are missing.
 */
export function reviewAgainstTable(page: Page, parsed: ParsedPage): readonly Finding[] {
  const findings: Finding[] = [];
  const say: Say = (severity, code, message, path, more = {}) =>
    void findings.push(parsed.finding(severity, { code, message, path, ...more }));
  const fields = new Map(page.fields.map((field) => [field.column.name, field]));
  for (const { name, settings, path } of fieldsIn(parsed.file)) {
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
  reviewOpen(page, say);
  reviewList(page, parsed, say);
  reviewNew(page, say);
  reviewRewrites(page, say);
  reviewRights(page, parsed, say);
  reviewLockVersion(page, say);
  return findings;
}
