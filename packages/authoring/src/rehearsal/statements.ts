import type { Page } from "@loyal-quill/core/page/page";
import { Parameters, quoted, quotedTable, type Statement, type Stored } from "@loyal-quill/core/postgres/statement";
import { textForm } from "@loyal-quill/core/postgres/text-form";
import { type Column, columnOf, type Table } from "@loyal-quill/core/table/model";

const allOf = (table: Table): string =>
  table.columns.map((column) => `${textForm("t", column)} AS ${quoted(column.name)}`).join(", ");

/** A row as a JSON object of its columns' texts. Its alias is no column's name: PostgreSQL would take the column for the row. */
function rowAsJson({ table }: Page, where: string): string {
  let alias = "found";
  while (columnOf(table, alias)) alias += "_";
  return `(SELECT to_jsonb(${alias})::text FROM (SELECT ${allOf(table)} FROM ${quotedTable(table)} AS t WHERE ${where}) AS ${alias})`;
}

const sameKey = (page: Page, key: readonly string[], parameters: Parameters): string =>
  page.key
    .map((column, index) => `t.${quoted(column.name)} = ${parameters.add(key[index] ?? null, column.type.cast)}`)
    .join(" AND ");

/** A whole row by its key, with nothing but the key asked: whatever the page would show of it. */
export function rowStatement(page: Page, key: readonly string[]): Statement {
  const parameters = new Parameters();
  const where = sameKey(page, key, parameters);
  return {
    purpose: "the row as it is",
    text: `SELECT ${allOf(page.table)}\nFROM ${quotedTable(page.table)} AS t\nWHERE ${where}`,
    values: parameters.values,
  };
}

/** Rows to rehearse with, the first and the last by the key. */
export function rowsStatement(page: Page, most: number): Statement {
  const [first, last] = ["", " DESC"].map(
    (way) =>
      `(SELECT ${allOf(page.table)} FROM ${quotedTable(page.table)} AS t ORDER BY ${page.key.map(({ name }) => `t.${quoted(name)}${way}`).join(", ")} LIMIT ${Math.ceil(most / 2)})`,
  );
  return { purpose: "rows to rehearse with", text: `${first}\nUNION\n${last}`, values: [] };
}

/** Different values of one column, apart from null. */
export const valuesStatement = (table: Table, column: Column, most: number): Statement => ({
  purpose: "values of a column",
  text: `SELECT DISTINCT ${textForm("t", column)} AS "value"\nFROM (SELECT ${quoted(column.name)} FROM ${quotedTable(table)} WHERE ${quoted(column.name)} IS NOT NULL LIMIT 2000) AS t\nLIMIT ${most}`,
  values: [],
});

/** Puts values into one row, by the key alone: not by the way that a page takes. */
export function putStatement(page: Page, key: readonly string[], values: Readonly<Record<string, Stored>>): Statement {
  const parameters = new Parameters();
  const sets = Object.entries(values).map(
    ([name, value]) => `${quoted(name)} = ${parameters.add(value, columnOf(page.table, name)?.type.cast ?? "text")}`,
  );
  return {
    purpose: "put values underneath",
    text: `UPDATE ${quotedTable(page.table)} AS t SET ${sets.join(", ")}\nWHERE ${sameKey(page, key, parameters)}`,
    values: parameters.values,
    writes: true,
  };
}

/** Adds a row of these values, without the page. It answers the row. */
export function insertStatement({ table }: Page, values: Readonly<Record<string, Stored>>): Statement {
  const parameters = new Parameters();
  const names = Object.keys(values);
  const given = names.map((name) => parameters.add(values[name] ?? null, columnOf(table, name)?.type.cast ?? "text"));
  return {
    purpose: "add a row underneath",
    text: `INSERT INTO ${quotedTable(table)} AS t ${names.length === 0 ? "DEFAULT VALUES" : `(${names.map(quoted).join(", ")}) VALUES (${given.join(", ")})`}\nRETURNING ${allOf(table)}`,
    values: parameters.values,
    writes: true,
  };
}

export function removeStatement(page: Page, key: readonly string[]): Statement {
  const parameters = new Parameters();
  return {
    purpose: "take the row away",
    text: `DELETE FROM ${quotedTable(page.table)} AS t\nWHERE ${sameKey(page, key, parameters)}`,
    values: parameters.values,
    writes: true,
  };
}

/** How many rows of a page's table meet its key's values more than once: never any, or its key is none. */
export const doubledStatement = (page: Page): Statement => {
  const columns = page.key.map(({ name }) => `t.${quoted(name)}`).join(", ");
  return {
    purpose: "rows that share a key",
    text: `SELECT count(*)::text AS "count" FROM (SELECT FROM (SELECT * FROM ${quotedTable(page.table)} LIMIT 200000) AS t\nGROUP BY ${columns} HAVING count(*) > 1 OR ${page.key.map(({ name }) => `bool_or(t.${quoted(name)} IS NULL)`).join(" OR ")}) AS doubled`,
    values: [],
  };
};

/** The tables whose rows are counted, by their oids; a partition under the name of its whole. */
export const tablesStatement = (): Statement => ({
  purpose: "tables whose rows are counted",
  text: `SELECT c.oid::text AS "oid", n.nspname || '.' || coalesce(whole.relname, c.relname) AS "table"
FROM pg_class AS c
JOIN pg_namespace AS n ON n.oid = c.relnamespace
LEFT JOIN pg_class AS whole ON c.relispartition AND whole.oid = pg_partition_root(c.oid)
WHERE c.relkind = 'r' AND n.nspname !~ '^(pg_|quill_log$|information_schema$)'`,
  values: [],
});

/**
 * How many rows of each of these tables were touched so far in this transaction, by PostgreSQL's own count (documentation, 27.2.22), as a
 * JSON array. The view pg_stat_xact_user_tables would ask for much more, of every table.
 */
const touchedSoFar = (
  oids: string,
): string => `(SELECT jsonb_agg(jsonb_build_object('oid', o.oid::text, 'inserted', n.i, 'updated', n.u, 'deleted', n.d))::text
  FROM unnest(${oids}) AS o(oid)
  CROSS JOIN LATERAL (SELECT pg_stat_get_xact_tuples_inserted(o.oid) AS i, pg_stat_get_xact_tuples_updated(o.oid) AS u, pg_stat_get_xact_tuples_deleted(o.oid) AS d OFFSET 0) AS n
  WHERE n.i + n.u + n.d > 0)`;

/** Rows touched so far. */
export function touchedStatement(oids: string): Statement {
  const parameters = new Parameters();
  const text = `SELECT ${touchedSoFar(parameters.add(oids, "oid[]"))} AS "touched"`;
  return { purpose: "rows touched so far", text, values: parameters.values };
}

/** What one request did: rows touched so far, its entries of the change log, and a row as it is now, each as JSON. */
export function traceStatement(page: Page, oids: string, request: string, key: readonly string[] | null): Statement {
  const parameters = new Parameters();
  const touched = touchedSoFar(parameters.add(oids, "oid[]"));
  const entries = `(SELECT jsonb_agg(jsonb_build_object('operation', e.operation, 'actor', e.actor_id, 'table', e.table_name, 'key', coalesce(e.new_key, e.record_key), 'fields', e.fields) ORDER BY e.id)::text FROM quill_log.change AS e WHERE e.request_id = ${parameters.add(request, "uuid")})`;
  const row = key === null ? "NULL" : rowAsJson(page, sameKey(page, key, parameters));
  return {
    purpose: "what the request did",
    text: `SELECT ${touched} AS "touched", ${entries} AS "entries", ${row} AS "row"`,
    values: parameters.values,
  };
}

/** Rows touched so far, and a row as it is now, as JSON. */
export function lookStatement(page: Page, oids: string, key: readonly string[]): Statement {
  const parameters = new Parameters();
  const touched = touchedSoFar(parameters.add(oids, "oid[]"));
  const where = sameKey(page, key, parameters);
  return {
    purpose: "the row as it is",
    text: `SELECT ${touched} AS "touched", ${rowAsJson(page, where)} AS "row"`,
    values: parameters.values,
  };
}

/** Whether this transaction has written or locked anything (PostgreSQL documentation, 9.27.9). */
export const writtenStatement = (): Statement => ({
  purpose: "whether anything was written",
  text: `SELECT pg_current_xact_id_if_assigned()::text AS "transaction"`,
  values: [],
});

/** Whether PostgreSQL counts at all, and whether any constraint is put off until the end. */
export const countsStatement = (): Statement => ({
  purpose: "whether rows are counted",
  text: `SELECT current_setting('track_counts') AS "counts",
  (SELECT string_agg(format('%I.%I', n.nspname, k.conname), ', ') FROM pg_constraint AS k JOIN pg_namespace AS n ON n.oid = k.connamespace WHERE k.condeferred) AS "deferred"`,
  values: [],
});

/** Where the sequences stand that the connection may look at: no transaction puts them back. */
export const sequencesStatement = (): Statement => ({
  purpose: "where sequences stand",
  text: `SELECT schemaname || '.' || sequencename AS "sequence", coalesce(last_value, 0)::text AS "last" FROM pg_sequences`,
  values: [],
});

/** Lets the transaction write nothing from now on. */
export const readOnlyStatement = (): Statement => ({
  purpose: "read only from here on",
  text: "SELECT set_config('transaction_read_only', 'on', true)",
  values: [],
});

/** Asks all constraints that are put off until the end of a transaction. */
export const constraintsStatement = (): Statement => ({
  purpose: "ask deferred constraints",
  text: "SET CONSTRAINTS ALL IMMEDIATE",
  values: [],
});

/** Has them put off again, as they are in a new transaction. @param names as PostgreSQL writes them */
export const deferStatement = (names: string): Statement => ({
  purpose: "put constraints off",
  text: `SET CONSTRAINTS ${names} DEFERRED`,
  values: [],
});
