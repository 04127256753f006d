import type { Condition } from "@loyal-quill/core/condition/expression";
import type { Facts } from "@loyal-quill/core/condition/facts";
import { overStored } from "@loyal-quill/core/condition/over-stored";
import { predicate } from "@loyal-quill/core/condition/to-sql";
import type { Page } from "@loyal-quill/core/page/page";
import { keyPredicate } from "@loyal-quill/core/postgres/key-predicate";
import { Parameters, quoted, quotedTable, type Statement } from "@loyal-quill/core/postgres/statement";
import { textForm } from "@loyal-quill/core/postgres/text-form";
import type { Rule } from "@loyal-quill/core/rules/rule";
import type { Column, Table } from "@loyal-quill/core/table/model";

/** Counts the rows for which a condition holds, fails and is unknown, in one pass. */
export function truthsStatement(table: Table, condition: Condition, facts: Facts): Statement {
  const parameters = new Parameters();
  const truth = predicate(overStored(condition), parameters, facts, "t");
  const count = (which: string, name: string): string =>
    `count(*) FILTER (WHERE s.truth IS ${which})::text AS "${name}"`;
  return {
    purpose: "count what a condition says",
    text: `SELECT ${count("true", "holds")}, ${count("false", "fails")}, ${count("NULL", "unknown")}\nFROM (SELECT (${truth}) AS truth FROM ${quotedTable(table)} AS t) AS s`,
    values: parameters.values,
  };
}

/** Asks what a condition says of one record: `true`, `false`, or null where it can't be told. */
export function hereStatement(
  { table, key }: Pick<Page, "table" | "key">,
  values: readonly string[],
  condition: Condition,
  facts: Facts,
): Statement {
  const parameters = new Parameters();
  const truth = predicate(overStored(condition), parameters, facts, "t");
  return {
    purpose: "hold a condition against a record",
    text: `SELECT (${truth})::text AS "here"\nFROM ${quotedTable(table)} AS t\nWHERE ${keyPredicate(key, values, parameters, "t")}`,
    values: parameters.values,
  };
}

/** Counts the records of a page that somebody sees, may edit and may delete, and all of them. */
export function mayStatement({ table, access }: Page, facts: Facts): Statement {
  const parameters = new Parameters();
  const truth = (condition: Condition | null, otherwise: string): string =>
    condition ? `(${predicate(condition, parameters, facts, "t")}) IS TRUE` : otherwise;
  const sees = truth(access.rows, "true");
  const count = (and: string): string => `count(*) FILTER (WHERE s.sees AND ${and})::text`;
  return {
    purpose: "what somebody may do",
    text: `SELECT ${count("true")} AS "sees", ${count("s.edits")} AS "edits", ${count("s.edits AND s.deletes")} AS "deletes", count(*)::text AS "rows"
FROM (SELECT ${sees} AS sees, ${truth(access.edit, "true")} AS edits, ${truth(access.delete, "false")} AS deletes FROM ${quotedTable(table)} AS t) AS s`,
    values: parameters.values,
  };
}

/** Writes which rows something refuses, as a predicate over the alias `t`. */
export type Refuses = (parameters: Parameters, facts: Facts) => string;

/** A rule only counts where its condition holds. */
const where = (condition: Condition | null, parameters: Parameters, facts: Facts): string =>
  condition ? `(${predicate(overStored(condition), parameters, facts, "t")}) IS TRUE AND ` : "";

/** The rows that a rule refuses, by a predicate over the row that is asked where there is a value, and where the rule applies. */
export const refusedByRule =
  (rule: Rule, column: Column, refused: (parameters: Parameters) => string): Refuses =>
  (parameters, facts) =>
    `(${where(rule.when, parameters, facts)}t.${quoted(column.name)} IS NOT NULL AND ${refused(parameters)})`;

/** The rows that a check across fields refuses: those for which it is false; unknown passes. */
export const refusedByCheck =
  (condition: Condition): Refuses =>
  (parameters, facts) =>
    `((${predicate(overStored(condition), parameters, facts, "t")}) IS FALSE)`;

/** How many blocks a table's longest part has: of a partitioned one the longest partition's. */
export const blocksStatement = (table: Table): Statement => ({
  purpose: "how long the table is",
  text: `SELECT (coalesce(max(pg_relation_size(p.relid)), 0) / current_setting('block_size')::int)::text AS "blocks"
FROM (SELECT relid FROM pg_partition_tree($1::regclass) WHERE isleaf UNION SELECT $1::regclass) AS p(relid)`,
  values: [quotedTable(table)],
});

/** A part of a table, by the blocks that its rows lie in. */
export interface Part {
  readonly from: number;
  readonly to: number;
}

const inPart = ({ from, to }: Part): string => `t.ctid >= '(${from},0)'::tid AND t.ctid < '(${to},0)'::tid`;

/** Counts the rows of a part, and those of them that each of several things refuses. */
export function countStatement(table: Table, refuses: readonly Refuses[], part: Part, facts: Facts): Statement {
  const parameters = new Parameters();
  const counts = refuses.map(
    (write, index) => `count(*) FILTER (WHERE ${write(parameters, facts)})::text AS "${index}"`,
  );
  return {
    purpose: "count what is refused",
    text: `SELECT ${['count(*)::text AS "rows"', ...counts].join(", ")}\nFROM ${quotedTable(table)} AS t\nWHERE ${inPart(part)}`,
    values: parameters.values,
  };
}

/** The different values of a column in a part, with how often each stands there; only where a rule's condition holds. */
export function valuesStatement(
  table: Table,
  { column, when }: { readonly column: Column; readonly when: Condition | null },
  part: Part,
  facts: Facts,
): Statement {
  const parameters = new Parameters();
  return {
    purpose: "look at the values",
    text: `SELECT ${textForm("t", column)} AS "value", count(*)::text AS "rows"\nFROM ${quotedTable(table)} AS t\nWHERE ${where(when, parameters, facts)}${inPart(part)}\nGROUP BY 1`,
    values: parameters.values,
  };
}

/** How many rows share their value of a column with another row. */
export function duplicatesStatement(table: Table, column: Column, ignoringCase: boolean): Statement {
  const value = ignoringCase ? `lower(t.${quoted(column.name)}::text)` : `t.${quoted(column.name)}`;
  return {
    purpose: "count what is not unique",
    text: `SELECT coalesce(sum(g.n), 0)::text AS "rows" FROM (SELECT count(*) AS n FROM ${quotedTable(table)} AS t WHERE t.${quoted(column.name)} IS NOT NULL GROUP BY ${value} HAVING count(*) > 1) AS g`,
    values: [],
  };
}

/** The rows that share their value of a column with another row. */
export const refusedAsDuplicate = (table: Table, column: Column, ignoringCase: boolean): Refuses => {
  const of = (alias: string): string =>
    ignoringCase ? `lower(${alias}.${quoted(column.name)}::text)` : `${alias}.${quoted(column.name)}`;
  return () =>
    `(t.${quoted(column.name)} IS NOT NULL AND ${of("t")} IN (SELECT ${of("d")} FROM ${quotedTable(table)} AS d WHERE d.${quoted(column.name)} IS NOT NULL GROUP BY 1 HAVING count(*) > 1))`;
};

/** The rows whose value is one of these; null stands for the rows without one. */
export const refusedAsValue =
  (column: Column, values: readonly (string | null)[], when: Condition | null): Refuses =>
  (parameters, facts) => {
    const given = values.filter((value) => value !== null);
    const text = textForm("t", column);
    const among =
      given.length > 0 ? `${text} IN (${given.map((value) => parameters.add(value, "text")).join(", ")})` : "false";
    const missing = values.includes(null) ? ` OR t.${quoted(column.name)} IS NULL` : "";
    return `(${where(when, parameters, facts)}(${among}${missing}))`;
  };

/** Keys of rows that something refuses, in their order, a few of them. */
export function examplesStatement(
  { table, key }: Pick<Page, "table" | "key">,
  refuses: Refuses,
  facts: Facts,
  most: number,
): Statement {
  const parameters = new Parameters();
  const names = key.map((column, index) => `${textForm("t", column)} AS "${index}"`);
  return {
    purpose: "which are refused",
    text: `SELECT ${names.join(", ")}\nFROM ${quotedTable(table)} AS t\nWHERE ${refuses(parameters, facts)}\nORDER BY ${key.map((column) => `t.${quoted(column.name)}`).join(", ")}\nLIMIT ${most}`,
    values: parameters.values,
  };
}

/** What a whole census sees: the table as it was at its first statement, whatever is changed meanwhile. */
export const oneMoment: Statement = {
  purpose: "see one moment only",
  first: true,
  text: "SET TRANSACTION ISOLATION LEVEL REPEATABLE READ, READ ONLY",
  values: [],
};

/** Counting takes its time: the limit of a request's statements is not its own. */
export const patiently: Statement = {
  purpose: "take time",
  text: "SET LOCAL statement_timeout = '30min'",
  values: [],
};
