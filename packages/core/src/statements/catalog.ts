import type { Statement } from "./statement.js";

/**
 * Three statements read the whole model of every table that the connection may select from: columns, constraints, enum
 * labels. They are joined in `table/from-catalog.ts`, so the number of trips does not grow with the number of tables.
 */

const visible = `
  c.relkind IN ('r', 'p') AND NOT c.relispartition
  AND n.nspname NOT IN ('pg_catalog', 'information_schema', 'quill_log')
  AND n.nspname NOT LIKE 'pg\\_%'
  AND has_schema_privilege(n.oid, 'USAGE') AND has_table_privilege(c.oid, 'SELECT')`;

/** One row a column, in the order of tables and columns. A bare `character` or `bit` would cast to a length of 1. */
export const catalogColumns = (): Statement => ({
  purpose: "read columns",
  text: `SELECT c.oid::text AS "table_id", n.nspname::text AS "schema", c.relname::text AS "table",
  obj_description(c.oid, 'pg_class') AS "table_comment",
  a.attnum::text AS "number", a.attname::text AS "column", (NOT (a.attnotnull OR ty.typnotnull))::text AS "nullable",
  format_type(a.atttypid, a.atttypmod) AS "shown",
  CASE WHEN b.typname = 'bpchar' THEN 'bpchar' WHEN b.typname = 'bit' THEN 'pg_catalog."bit"'
       WHEN bn.nspname = 'pg_catalog' THEN format_type(b.oid, NULL)
       ELSE quote_ident(bn.nspname) || '.' || quote_ident(b.typname) END AS "cast",
  b.oid::text AS "type_id", b.typname::text AS "type", b.typtype::text AS "type_type",
  (CASE WHEN ty.typtype = 'd' THEN ty.typtypmod ELSE a.atttypmod END)::text AS "modifier",
  pg_get_expr(d.adbin, d.adrelid) AS "default",
  (a.attgenerated <> '' OR a.attidentity = 'a')::text AS "always",
  col_description(c.oid, a.attnum) AS "comment"
FROM pg_class AS c
JOIN pg_namespace AS n ON n.oid = c.relnamespace
JOIN pg_attribute AS a ON a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped
JOIN pg_type AS ty ON ty.oid = a.atttypid
JOIN pg_type AS b ON b.oid = CASE WHEN ty.typtype = 'd' THEN ty.typbasetype ELSE ty.oid END
JOIN pg_namespace AS bn ON bn.oid = b.typnamespace
LEFT JOIN pg_attrdef AS d ON d.adrelid = c.oid AND d.adnum = a.attnum
WHERE ${visible}
ORDER BY n.nspname, c.relname, a.attnum`,
  values: [],
});

/** One row a constraint or unique index: columns as a JSON array of attribute numbers. */
export const catalogConstraints = (): Statement => ({
  purpose: "read constraints",
  text: `SELECT c.oid::text AS "table_id", k.conname::text AS "constraint", k.contype::text AS "kind",
  array_to_json(k.conkey)::text AS "columns", pg_get_constraintdef(k.oid) AS "definition",
  k.confrelid::text AS "to_table_id", array_to_json(k.confkey)::text AS "to_columns",
  (NOT k.condeferrable)::text AS "immediate"
FROM pg_constraint AS k
JOIN pg_class AS c ON c.oid = k.conrelid
JOIN pg_namespace AS n ON n.oid = c.relnamespace
WHERE k.contype IN ('p', 'u', 'f', 'c', 'x') AND ${visible}
UNION ALL
SELECT c.oid::text, i.relname::text, 'u', array_to_json(x.indkey::int2[])::text, pg_get_indexdef(i.oid),
  '0', NULL, 'true'
FROM pg_index AS x
JOIN pg_class AS i ON i.oid = x.indexrelid
JOIN pg_class AS c ON c.oid = x.indrelid
JOIN pg_namespace AS n ON n.oid = c.relnamespace
WHERE x.indisunique AND x.indisvalid AND x.indpred IS NULL AND x.indexprs IS NULL AND x.indnkeyatts = x.indnatts
  AND NOT EXISTS (SELECT FROM pg_constraint AS k WHERE k.conindid = i.oid AND k.contype IN ('p', 'u'))
  AND ${visible}
ORDER BY 1, 3, 2`,
  values: [],
});

/** One row a label of an enum, in the enum's order. */
export const catalogEnums = (): Statement => ({
  purpose: "read enum labels",
  text: `SELECT e.enumtypid::text AS "type_id", e.enumlabel::text AS "label"
FROM pg_enum AS e ORDER BY e.enumtypid, e.enumsortorder`,
  values: [],
});
