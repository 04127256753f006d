import type { Page } from "@loyal-quill/core/page/page";
import { Parameters, quoted, quotedTable, type Statement } from "@loyal-quill/core/postgres/statement";
import { textForm } from "@loyal-quill/core/postgres/text-form";
import { looksSecret } from "@loyal-quill/core/table/looks-secret";
import type { Column, Table } from "@loyal-quill/core/table/model";

/** Why a record is worth a look, in the order in which they are told. */
type Extreme = "longest text" | "most empty" | "fullest" | "oldest" | "newest";

const keyList = (page: Page): string => page.key.map((column) => `t.${quoted(column.name)}`).join(", ");

/** Rows that are looked at to find extremes, where a table is long. */
const mostRows = 200_000;

function orders(table: Table): (readonly [Extreme, string])[] {
  const of = (test: (column: Column) => boolean): string[] =>
    table.columns.filter(test).map((column) => `t.${quoted(column.name)}`);
  const texts = of(({ type }) => type.kind === "text" || type.kind === "json");
  const nullable = of((column) => column.nullable);
  const [time] = of(({ type }) => ["date", "timestamp", "timestamptz"].includes(type.kind));
  const empty = `num_nulls(${nullable.join(", ")})`;
  return [
    ...(texts.length > 0
      ? [
          [
            "longest text",
            `greatest(${texts.map((text) => `char_length(${text}::text)`).join(", ")}) DESC NULLS LAST`,
          ] as const,
        ]
      : []),
    ...(nullable.length > 0 ? [["most empty", `${empty} DESC`] as const, ["fullest", empty] as const] : []),
    ...(time ? [["oldest", `${time} ASC NULLS LAST`] as const, ["newest", `${time} DESC NULLS LAST`] as const] : []),
  ];
}

/** The records of a page at its extremes: key and title, each with why. Of a long table only its first rows are looked at. */
export function extremesStatement(page: Page): Statement | null {
  const wanted = orders(page.table);
  if (wanted.length === 0) return null;
  const names = [...new Set([...page.key.map((column) => column.name), ...page.title.columns])];
  const columns = names.map((name) => `t.${quoted(name)}::text AS ${quoted(name)}`).join(", ");
  const parts = wanted.map(
    ([what, order]) =>
      `(SELECT '${what}' AS "quill:extreme", ${columns} FROM looked AS t ORDER BY ${order}, ${keyList(page)} LIMIT 1)`,
  );
  return {
    purpose: "records at the extremes",
    text: `WITH looked AS (SELECT * FROM ${quotedTable(page.table)} LIMIT ${mostRows})\n${parts.join("\nUNION ALL ")}`,
    values: [],
  };
}

/** The record after (1) or before (-1) another one, in the order of the page's key. */
export function neighbourStatement(page: Page, key: readonly string[], by: 1 | -1): Statement {
  const parameters = new Parameters();
  const given = page.key.map((column, index) => parameters.add(key[index] ?? null, column.type.cast)).join(", ");
  const order = page.key.map((column) => `t.${quoted(column.name)}${by < 0 ? " DESC" : ""}`).join(", ");
  return {
    purpose: "the next record",
    text: `SELECT ${page.key.map((column, index) => `${textForm("t", column)} AS "${index}"`).join(", ")}\nFROM ${quotedTable(page.table)} AS t\nWHERE (${keyList(page)}) ${by < 0 ? "<" : ">"} (${given})\nORDER BY ${order}\nLIMIT 1`,
    values: parameters.values,
  };
}

/** A few rows of a table as they lie there. */
export function sampleStatement(table: Table, columns: readonly Column[], most: number): Statement {
  const names = columns.map((column) => {
    const name = quoted(column.name);
    // What looks like a secret is told to nobody.
    return looksSecret(column)
      ? `CASE WHEN t.${name} IS NOT NULL THEN '(not shown)' END AS ${name}`
      : `left(${textForm("t", column)}, 200) AS ${name}`;
  });
  return {
    purpose: "sample rows",
    text: `SELECT ${names.join(", ")}\nFROM ${quotedTable(table)} AS t\nLIMIT ${most}`,
    values: [],
  };
}

/** How many bytes each table takes, indexes and partitions included; tables that the connection may not look at are left out. */
export const sizesStatement = (): Statement => ({
  purpose: "sizes of tables",
  text: `SELECT n.nspname AS "schema", c.relname AS "name",
  (SELECT coalesce(sum(pg_total_relation_size(p.relid)), 0) FROM (SELECT relid FROM pg_partition_tree(c.oid) UNION SELECT c.oid) AS p(relid))::text AS "bytes"
FROM pg_class AS c JOIN pg_namespace AS n ON n.oid = c.relnamespace
WHERE c.relkind IN ('r', 'p') AND NOT c.relispartition AND n.nspname !~ '^pg_' AND n.nspname <> 'information_schema'`,
  values: [],
});

/** Who the connection is, and what it may do in the database. */
export const connectionStatement = (): Statement => ({
  purpose: "who is connected",
  text: `SELECT current_user::text AS "user", current_database()::text AS "database", current_setting('server_version') AS "version",
  (SELECT rolsuper FROM pg_roles WHERE rolname = current_user)::text AS "superuser",
  has_database_privilege(current_database(), 'CREATE')::text AS "create"`,
  values: [],
});
