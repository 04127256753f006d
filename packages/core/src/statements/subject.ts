import { Parameters, quotedTable, type Statement } from "../postgres/statement.js";
import type { Table } from "../table/model.js";

/**
 * Looks closer at what a refusal names: whether the table is the page's own or a partition of it, and the columns that a
 * constraint or an index is about, those of its expressions included (they stand in `pg_depend`, whatever form the expression has).
 *
 * It answers one row: `own`, `columns` as a JSON array of names, the constraint's `definition`, and `to`, the page's columns where a partition of
 * its table is referred to; none where there is no such table.
 *
 * @param named the table that PostgreSQL named with the refusal
 */
export function subjectStatement(
  table: Table,
  named: { readonly schema: string; readonly name: string },
  constraint: string | null,
): Statement {
  const parameters = new Parameters();
  const [schema, name, own, called] = [
    parameters.add(named.schema, "text"),
    parameters.add(named.name, "text"),
    parameters.add(quotedTable(table), "text"),
    parameters.add(constraint, "text"),
  ];
  return {
    purpose: "what does the refusal concern",
    text: `SELECT (c.oid = to_regclass(${own}) OR EXISTS (SELECT FROM pg_partition_ancestors(c.oid) AS p WHERE p.relid = to_regclass(${own})))::text AS "own",
  (SELECT json_agg(DISTINCT a.attname) FROM pg_attribute AS a WHERE a.attrelid = c.oid AND a.attnum > 0 AND (
    EXISTS (SELECT FROM pg_constraint AS k WHERE k.conrelid = c.oid AND k.conname = ${called} AND a.attnum = ANY (k.conkey))
    OR EXISTS (SELECT FROM pg_index AS x JOIN pg_class AS i ON i.oid = x.indexrelid JOIN pg_depend AS d ON d.classid = 'pg_class'::regclass AND d.objid = i.oid
      WHERE x.indrelid = c.oid AND i.relname = ${called} AND d.refobjid = c.oid AND d.refobjsubid = a.attnum)
  ))::text AS "columns",
  (SELECT pg_get_constraintdef(k.oid) FROM pg_constraint AS k WHERE k.conrelid = c.oid AND k.conname = ${called}) AS "definition",
  (SELECT json_agg(DISTINCT a.attname) FROM pg_constraint AS k JOIN pg_attribute AS a ON a.attrelid = k.confrelid AND a.attnum = ANY (k.confkey)
    WHERE k.conrelid = c.oid AND k.conname = ${called} AND k.contype = 'f'
      AND EXISTS (SELECT FROM pg_partition_ancestors(k.confrelid) AS p WHERE p.relid = to_regclass(${own})))::text AS "to"
FROM pg_class AS c
JOIN pg_namespace AS n ON n.oid = c.relnamespace
WHERE n.nspname = ${schema} AND c.relname = ${name}`,
    values: parameters.values,
  };
}
