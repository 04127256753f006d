import type { Statement } from "../postgres/statement.js";
import { smallTable } from "../settings/bound/sorting.js";

/**
 * Five statements read the whole model of a database, as far as the connection may see it: relations, columns, constraints,
 * enum labels, routines. They are joined in `table/from-catalog.ts`, so the number of trips does not grow with the number of tables.
 */

const ours = `n.nspname NOT IN ('pg_catalog', 'information_schema', 'quill_log') AND n.nspname NOT LIKE 'pg\\_%'`;

const visible = `
  c.relkind IN ('r', 'p') AND NOT c.relispartition AND ${ours}
  AND has_schema_privilege(n.oid, 'USAGE') AND has_table_privilege(c.oid, 'SELECT')`;

/** A type for a cast. A bare `character` or `bit` would cast to a length of 1. */
const castOf = (type: string, schema: string): string =>
  `CASE WHEN ${type}.typname = 'bpchar' THEN 'bpchar' WHEN ${type}.typname = 'bit' THEN 'pg_catalog."bit"'
       WHEN ${schema}.nspname = 'pg_catalog' THEN format_type(${type}.oid, NULL)
       ELSE quote_ident(${schema}.nspname) || '.' || quote_ident(${type}.typname) END`;

/** One row a relation, readable or not: tables, views and foreign tables. */
export const catalogRelations = (): Statement => ({
  purpose: "read relations",
  text: `SELECT c.oid::text AS "table_id", n.nspname::text AS "schema", c.relname::text AS "table", c.relkind::text AS "kind",
  obj_description(c.oid, 'pg_class') AS "comment", c.reltuples::bigint::text AS "rows",
  (has_schema_privilege(n.oid, 'USAGE') AND has_table_privilege(c.oid, 'SELECT'))::text AS "select",
  has_any_column_privilege(c.oid, 'INSERT')::text AS "insert",
  has_any_column_privilege(c.oid, 'UPDATE')::text AS "update",
  has_table_privilege(c.oid, 'DELETE')::text AS "delete",
  (c.relkind = 'r' AND EXISTS (SELECT FROM pg_inherits AS i WHERE i.inhparent = c.oid))::text AS "inherited",
  CASE WHEN c.relkind IN ('r', 'p') THEN (SELECT json_agg(array_to_json((x.indkey::int2[])[0:x.indnkeyatts - 1]) ORDER BY x.indexrelid)
    FROM pg_index AS x JOIN pg_class AS i ON i.oid = x.indexrelid JOIN pg_am AS m ON m.oid = i.relam
    WHERE x.indrelid = c.oid AND x.indisvalid AND x.indpred IS NULL AND m.amname = 'btree')::text END AS "indexes",
  (SELECT json_agg(DISTINCT a.attname) FROM pg_index AS x CROSS JOIN LATERAL unnest(x.indkey::int2[], x.indclass::oid[]) AS k(number, class)
    JOIN pg_opclass AS o ON o.oid = k.class AND o.opcname IN ('gin_trgm_ops', 'gist_trgm_ops')
    JOIN pg_attribute AS a ON a.attrelid = c.oid AND a.attnum = k.number
    WHERE x.indrelid = c.oid AND x.indisvalid AND x.indpred IS NULL)::text AS "trigrams",
  EXISTS (SELECT FROM pg_extension AS e WHERE e.extname = 'pg_trgm')::text AS "has_trigrams",
  CASE WHEN c.reltuples > ${smallTable} THEN (SELECT json_object_agg(s.attname, s.avg_width) FROM pg_stats AS s
    WHERE s.schemaname = n.nspname AND s.tablename = c.relname)::text END AS "widths",
  (SELECT json_agg(json_build_object('function', p.proname, 'source', CASE WHEN l.lanname = 'plpgsql' THEN p.prosrc END,
      'arguments', string_to_array(encode(g.tgargs, 'escape'), '\\000'), 'on_update', g.tgtype & 16 > 0))
    FROM (SELECT c.oid AS relid UNION ALL SELECT t.relid FROM pg_partition_tree(c.oid) AS t WHERE c.relkind = 'p' AND t.level > 0) AS w
    JOIN pg_trigger AS g ON g.tgrelid = w.relid JOIN pg_proc AS p ON p.oid = g.tgfoid JOIN pg_language AS l ON l.oid = p.prolang
    WHERE NOT g.tgisinternal AND g.tgenabled <> 'D' AND g.tgtype & 1 > 0 AND g.tgtype & 2 > 0 AND g.tgtype & 20 > 0)::text AS "triggers",
  has_schema_privilege(n.oid, 'USAGE')::text AS "usage", has_any_column_privilege(c.oid, 'SELECT')::text AS "some",
  CASE WHEN c.relkind IN ('v', 'm') THEN (SELECT json_agg(DISTINCT bn.nspname || '.' || b.relname)
    FROM pg_rewrite AS r
    JOIN pg_depend AS d ON d.classid = 'pg_rewrite'::regclass AND d.objid = r.oid AND d.refclassid = 'pg_class'::regclass AND d.refobjid <> c.oid
    JOIN pg_class AS b ON b.oid = d.refobjid AND b.relkind IN ('r', 'p', 'v', 'm', 'f')
    JOIN pg_namespace AS bn ON bn.oid = b.relnamespace
    WHERE r.ev_class = c.oid)::text END AS "behind",
  CASE WHEN c.relhasrules AND c.relkind IN ('r', 'p') THEN (SELECT json_agg(json_build_object('name', r.rulename, 'on', r.ev_type) ORDER BY r.rulename)
    FROM pg_rewrite AS r WHERE r.ev_class = c.oid AND r.ev_type <> '1')::text END AS "rules"
FROM pg_class AS c
JOIN pg_namespace AS n ON n.oid = c.relnamespace
WHERE c.relkind IN ('r', 'p', 'v', 'm', 'f') AND NOT c.relispartition AND ${ours}
ORDER BY n.nspname, c.relname`,
  values: [],
});

/** One row a column of a readable table, in the order of tables and columns; what a domain demands is that of all domains that it is made of. */
export const catalogColumns = (): Statement => ({
  purpose: "read columns",
  text: `WITH RECURSIVE up AS (
  SELECT t.oid AS domain, t.oid, t.typbasetype, t.typtypmod, t.typnotnull, 0 AS depth FROM pg_type AS t WHERE t.typtype = 'd'
  UNION ALL
  SELECT up.domain, t.oid, t.typbasetype, t.typtypmod, t.typnotnull, up.depth + 1 FROM up JOIN pg_type AS t ON t.oid = up.typbasetype WHERE t.typtype = 'd'
), dm AS (
  SELECT up.domain, (array_agg(up.typbasetype ORDER BY up.depth DESC))[1] AS base, max(up.typtypmod) AS modifier, bool_or(up.typnotnull) AS needed,
    (SELECT json_agg(json_build_object('name', k.conname, 'definition', pg_get_constraintdef(k.oid)) ORDER BY k.oid)
      FROM pg_constraint AS k WHERE k.contype = 'c' AND k.contypid = ANY (array_agg(up.oid)))::text AS checks
  FROM up GROUP BY up.domain
)
SELECT c.oid::text AS "table_id",
  a.attnum::text AS "number", a.attname::text AS "column", (NOT (a.attnotnull OR coalesce(dm.needed, false)))::text AS "nullable",
  coalesce(dm.needed, false)::text AS "needed", format_type(a.atttypid, a.atttypmod) AS "shown",
  ${castOf("b", "bn")} AS "cast",
  b.oid::text AS "type_id", b.typname::text AS "type", b.typtype::text AS "type_type",
  coalesce(dm.modifier, a.atttypmod)::text AS "modifier", dm.checks AS "checks",
  coalesce(pg_get_expr(d.adbin, d.adrelid), ty.typdefault) AS "default",
  (a.attgenerated <> '' OR a.attidentity = 'a')::text AS "always", (a.attidentity = 'd')::text AS "identity",
  EXISTS (SELECT FROM pg_collation AS o WHERE o.oid = a.attcollation AND NOT o.collisdeterministic)::text AS "folded",
  has_column_privilege(c.oid, a.attnum, 'INSERT')::text AS "insert",
  has_column_privilege(c.oid, a.attnum, 'UPDATE')::text AS "update",
  col_description(c.oid, a.attnum) AS "comment"
FROM pg_class AS c
JOIN pg_namespace AS n ON n.oid = c.relnamespace
JOIN pg_attribute AS a ON a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped
JOIN pg_type AS ty ON ty.oid = a.atttypid
LEFT JOIN dm ON dm.domain = ty.oid
JOIN pg_type AS b ON b.oid = coalesce(dm.base, ty.oid)
JOIN pg_namespace AS bn ON bn.oid = b.typnamespace
LEFT JOIN pg_attrdef AS d ON d.adrelid = c.oid AND d.adnum = a.attnum
WHERE ${visible}
ORDER BY c.oid, a.attnum`,
  values: [],
});

/**
 * One row a constraint or unique index: columns as a JSON array of attribute numbers, and why a unique one is not safe as a
 * key. NOT IN and not an anti join: PostgreSQL hashes it whatever it believes of the catalogs' sizes. Foreign keys of tables that can't be read are among them, since they hang on records all the same.
 */
export const catalogConstraints = (): Statement => ({
  purpose: "read constraints",
  text: `SELECT c.oid::text AS "table_id", n.nspname::text AS "schema", c.relname::text AS "table",
  k.conname::text AS "constraint", k.contype::text AS "kind",
  array_to_json(k.conkey)::text AS "columns",
  (SELECT json_agg(a.attname ORDER BY p.position) FROM unnest(k.conkey) WITH ORDINALITY AS p(number, position)
    JOIN pg_attribute AS a ON a.attrelid = k.conrelid AND a.attnum = p.number WHERE k.contype = 'f')::text AS "names",
  CASE WHEN k.contype <> 'f' THEN pg_get_constraintdef(k.oid) END AS "definition",
  k.confrelid::text AS "to_table_id", array_to_json(k.confkey)::text AS "to_columns", k.confdeltype::text AS "on_delete",
  CASE WHEN k.condeferrable AND k.contype IN ('p', 'u') THEN 'deferrable' END AS "unsafe"
FROM pg_constraint AS k
JOIN pg_class AS c ON c.oid = k.conrelid
JOIN pg_namespace AS n ON n.oid = c.relnamespace
WHERE k.contype IN ('p', 'u', 'f', 'c', 'x') AND (${visible} OR k.contype = 'f' AND NOT c.relispartition AND ${ours})
UNION ALL
SELECT c.oid::text, n.nspname::text, c.relname::text, i.relname::text, 'u', array_to_json(x.indkey::int2[])::text, NULL, pg_get_indexdef(i.oid),
  '0', NULL, NULL,
  CASE WHEN NOT x.indisvalid THEN 'invalid' WHEN x.indpred IS NOT NULL THEN 'partial' WHEN x.indexprs IS NOT NULL THEN 'expression' END
FROM pg_index AS x
JOIN pg_class AS i ON i.oid = x.indexrelid
JOIN pg_class AS c ON c.oid = x.indrelid
JOIN pg_namespace AS n ON n.oid = c.relnamespace
WHERE x.indisunique AND x.indnkeyatts = x.indnatts
  AND i.oid NOT IN (SELECT k.conindid FROM pg_constraint AS k WHERE k.contype IN ('p', 'u'))
  AND ${visible}
ORDER BY 1, 5, 4`,
  values: [],
});

/** One row a label of an enum, in the enum's order. */
export const catalogEnums = (): Statement => ({
  purpose: "read enum labels",
  text: `SELECT e.enumtypid::text AS "type_id", e.enumlabel::text AS "label"
FROM pg_enum AS e ORDER BY e.enumtypid, e.enumsortorder`,
  values: [],
});

/** One row a function or procedure that the connection may call: its parameters as a JSON array in their order. */
export const catalogRoutines = (): Statement => ({
  purpose: "read routines",
  text: `SELECT n.nspname::text AS "schema", p.proname::text AS "name", p.prokind::text AS "kind",
  (SELECT coalesce(json_agg(json_build_object(
      'name', nullif(p.proargnames[a.position], ''), 'mode', coalesce(p.proargmodes[a.position], 'i'),
      'shown', format_type(t.oid, NULL), 'cast', ${castOf("t", "tn")}) ORDER BY a.position), '[]')
    FROM unnest(coalesce(p.proallargtypes, p.proargtypes::oid[])) WITH ORDINALITY AS a(type, position)
    JOIN pg_type AS t ON t.oid = a.type JOIN pg_namespace AS tn ON tn.oid = t.typnamespace)::text AS "parameters",
  p.pronargdefaults::text AS "defaults"
FROM pg_proc AS p
JOIN pg_namespace AS n ON n.oid = p.pronamespace
WHERE p.prokind IN ('f', 'p') AND p.prorettype <> 'trigger'::regtype AND ${ours}
  AND has_schema_privilege(n.oid, 'USAGE') AND has_function_privilege(p.oid, 'EXECUTE')
ORDER BY n.nspname, p.proname, p.oid`,
  values: [],
});

/**
 * One text that is another one after every change of a table's structure, of rights or of comments that the model tells of: the
 * transactions that wrote the catalogs' rows, added up. It reads no more than those rows, so it can be asked every few seconds.
 */
export const catalogMark = (): Statement => {
  const sum = (alias: string, from: string, condition: string): string =>
    `(SELECT count(*) || ':' || coalesce(sum(${alias}.xmin::text::bigint), 0) FROM ${from} WHERE ${condition})`;
  const inTable = (catalog: string, alias: string, column: string): string =>
    sum(
      alias,
      `${catalog} AS ${alias} JOIN pg_class AS c ON c.oid = ${alias}.${column} JOIN pg_namespace AS n ON n.oid = c.relnamespace`,
      ours,
    );
  const inSchema = (catalog: string, alias: string, column: string): string =>
    sum(alias, `${catalog} AS ${alias} JOIN pg_namespace AS n ON n.oid = ${alias}.${column}`, ours);
  const parts = [
    sum("n", "pg_namespace AS n", ours),
    inSchema("pg_class", "c", "relnamespace"),
    inTable("pg_attribute", "a", "attrelid"),
    inTable("pg_attrdef", "d", "adrelid"),
    inTable("pg_index", "i", "indrelid"),
    inTable("pg_policy", "p", "polrelid"),
    inTable("pg_rewrite", "w", "ev_class"),
    inTable("pg_trigger", "g", "tgrelid"),
    inTable("pg_description", "m", "objoid"),
    inSchema("pg_constraint", "k", "connamespace"),
    inSchema("pg_type", "t", "typnamespace"),
    inSchema("pg_proc", "f", "pronamespace"),
    sum("e", "pg_enum AS e", "true"),
    sum("r", "pg_auth_members AS r", "true"),
  ];
  return {
    purpose: "has the structure changed",
    text: `SELECT concat_ws(' ',\n  ${parts.join(",\n  ")}) AS "mark"`,
    values: [],
  };
};
