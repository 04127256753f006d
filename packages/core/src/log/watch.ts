import { literal } from "../postgres/literal.js";
import { quoted, quotedTable, type Statement } from "../postgres/statement.js";
import { castText } from "../postgres/text-form.js";
import { type Column, columnOf, type Table, tableName } from "../table/model.js";
import { fixedPath } from "./functions.js";

/**
 * Tables that are watched: a trigger logs what happens to them by other ways than the pages. `number` names the trigger's function, `source` is the
 * digest of what it was made with; `baseline` has a digest of each row as it was when watching began, so that a change that went past the
 * trigger shows in fields as well that were never logged.
 */
export const watchSchema = `CREATE TABLE IF NOT EXISTS quill_log.watched (
  table_name text COLLATE "C" PRIMARY KEY,
  number integer GENERATED ALWAYS AS IDENTITY UNIQUE,
  key_columns text[] NOT NULL,
  columns text[] NOT NULL,
  hidden text[] NOT NULL,
  since timestamptz NOT NULL DEFAULT clock_timestamp(),
  since_id bigint NOT NULL,
  has_baseline boolean NOT NULL,
  source text NOT NULL
);
CREATE TABLE IF NOT EXISTS quill_log.baseline (
  table_name text COLLATE "C" NOT NULL,
  record_key jsonb NOT NULL,
  digest bytea NOT NULL,
  PRIMARY KEY (table_name, record_key)
);
COMMENT ON TABLE quill_log.watched IS 'Tables of which all changes are logged, whoever makes them.';
COMMENT ON TABLE quill_log.baseline IS 'Rows of watched tables as they were when watching began.';`;

/** How a table is watched. */
export interface Watching {
  readonly table: Table;
  /** The columns of the key by which the log names its records. */
  readonly key: readonly string[];
  /** Columns of which it is logged only that they changed. */
  readonly hidden: readonly string[];
}

/** The settings under which values have the same text form everywhere, those of the pages' connections. */
const textSettings = [
  "SET timezone = 'UTC'",
  "SET datestyle = 'ISO, YMD'",
  "SET intervalstyle = 'iso_8601'",
  "SET extra_float_digits = '1'",
  "SET bytea_output = 'hex'",
].join(" ");

const columnsOf = (table: Table, names: readonly string[]): Column[] =>
  names.flatMap((name) => columnOf(table, name) ?? []);

const keyOf = ({ table, key }: Watching, alias: string): string =>
  `jsonb_build_object(${columnsOf(table, key)
    .map((column) => `${literal(column.name)}, ${castText(`${alias}.${quoted(column.name)}`, column)}`)
    .join(", ")})`;

/** The field changes between rows `o` and `n`, either of which may be missing: NULL where there is none. */
function fieldsOf({ table, hidden }: Watching, sides: { readonly o: boolean; readonly n: boolean }): string {
  const side = (there: boolean, alias: string, column: Column): string =>
    there ? castText(`${alias}.${quoted(column.name)}`, column) : "NULL::text";
  const rows = table.columns.map(
    (column) => `(${literal(column.name)}, ${side(sides.o, "o", column)}, ${side(sides.n, "n", column)})`,
  );
  const plain = `jsonb_build_object('field', f.field, 'old', f.old, 'new', f.new)`;
  const told =
    hidden.length === 0
      ? plain
      : `CASE WHEN f.field IN (${hidden.map(literal).join(", ")}) THEN jsonb_build_object('field', f.field, 'old', NULL, 'new', NULL, 'hidden', true) ELSE ${plain} END`;
  return `(SELECT jsonb_agg(${told}) FROM (VALUES ${rows.join(", ")}) AS f(field, old, new) WHERE f.old IS DISTINCT FROM f.new)`;
}

/**
 * The body of the trigger's function. Old and new rows of an UPDATE belong together by their place: PostgreSQL notes both of a row at once
 * (tested with keys that are exchanged).
 *
 * A row whose new key was another row's old one in the same statement, as where keys are exchanged, is told as deleted and made again: one
 * after the other its entries would be taken for the other row's.
 *
 * What a page has logged itself is not logged twice: an entry of this transaction by a page, of this record and with these values, stands for
 * one change. Whether there may be such entries is known by the setting `quill.page`; whoever sets it without being a page gains nothing, since
 * the entry must be there.
 */
function bodyOf(watching: Watching): string {
  const { table } = watching;
  const name = literal(tableName(table));
  const [oldKey, newKey] = [keyOf(watching, "o"), keyOf(watching, "n")];
  const append = (key: string, operation: string, fields: string, newKeyThen: string): string =>
    `PERFORM quill_log.append(NULL, 'role ' || session_user, session_user::text, '', '', ${name}, ${key}, ${operation}, ${fields}, asked, NULL, ${newKeyThen}, NULL, 'behind', origin);`;
  const write = (query: string, operation: string, before = ""): string => `FOR r IN ${query} LOOP${before}
      CONTINUE WHEN r.fields IS NULL AND ${operation} = 'update';
      own := NULL;
      IF paged THEN
        SELECT c.id INTO own FROM quill_log.change AS c
        WHERE c.table_name = ${name} AND c.record_key = r.key AND c.at >= now() AND c.transaction = pg_current_xact_id() AND c.way = 'page'
          AND c.operation = ${operation} AND jsonb_array_length(c.fields) = jsonb_array_length(coalesce(r.fields, '[]'))
          AND NOT EXISTS (
            SELECT FROM jsonb_array_elements(c.fields) AS f
            WHERE NOT EXISTS (
              SELECT FROM jsonb_array_elements(r.fields) AS g
              WHERE g->>'field' = f->>'field'
                AND (f ? 'hidden' OR g ? 'hidden' OR (f->>'old' IS NOT DISTINCT FROM g->>'old' AND f->>'new' IS NOT DISTINCT FROM g->>'new'))))
          AND c.id <> ALL (seen)
        ORDER BY c.id LIMIT 1;
      END IF;
      IF own IS NOT NULL THEN
        seen := seen || own;
        PERFORM set_config('quill_log.seen', array_to_string(seen, ','), true);
        CONTINUE;
      END IF;
      ${append("r.key", operation, "coalesce(r.fields, '[]')", "CASE WHEN r.new_key <> r.key THEN r.new_key END")}
    END LOOP;`;
  return `#variable_conflict use_variable
DECLARE
  r record;
  own bigint;
  moved jsonb[] := '{}';
  again jsonb;
  paged boolean := coalesce(current_setting('quill.page', true), '') <> '';
  seen bigint[] := CASE WHEN paged THEN string_to_array(nullif(current_setting('quill_log.seen', true), ''), ',')::bigint[] ELSE '{}' END;
  asked uuid := CASE WHEN paged AND current_setting('quill.request', true) ~ '^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$' THEN current_setting('quill.request')::uuid END;
  origin jsonb := jsonb_strip_nulls(jsonb_build_object('role', session_user, 'application', nullif(current_setting('application_name', true), ''),
    'address', host(inet_client_addr()), 'statement', to_char(statement_timestamp(), 'YYYY-MM-DD"T"HH24:MI:SS.US"Z"'),
    'actor', CASE WHEN paged THEN current_setting('quill.actor', true) END, 'page', CASE WHEN paged THEN current_setting('quill.page', true) END,
    'truncate', CASE WHEN TG_OP = 'TRUNCATE' THEN 'true' END));
BEGIN
  seen := coalesce(seen, '{}');
  IF TG_OP = 'INSERT' THEN
    ${write(`SELECT ${newKey} AS key, NULL::jsonb AS new_key, ${fieldsOf(watching, { o: false, n: true })} AS fields FROM new_rows AS n`, "'insert'")}
  ELSIF TG_OP = 'UPDATE' THEN
    ${write(
      `SELECT k.key, k.new_key, c.clash, CASE WHEN c.clash THEN ${fieldsOf(watching, { o: true, n: false })} ELSE ${fieldsOf(watching, { o: true, n: true })} END AS fields,
        CASE WHEN c.clash THEN ${fieldsOf(watching, { o: false, n: true })} END AS new_fields
      FROM (SELECT *, row_number() OVER () AS "quill place" FROM old_rows) AS o JOIN (SELECT *, row_number() OVER () AS "quill place" FROM new_rows) AS n USING ("quill place")
      CROSS JOIN LATERAL (SELECT ${oldKey} AS key, ${newKey} AS new_key) AS k
      CROSS JOIN LATERAL (SELECT k.new_key <> k.key AND k.new_key IN (SELECT ${keyOf(watching, "x")} FROM old_rows AS x) AS clash) AS c
      ORDER BY c.clash DESC, "quill place"`,
      "'update'",
      `
      IF r.clash THEN
        ${append("r.key", "'delete'", "r.fields", "NULL")}
        moved := moved || jsonb_build_object('key', r.new_key, 'fields', r.new_fields);
        CONTINUE;
      END IF;`,
    )}
    FOREACH again IN ARRAY moved LOOP
      ${append("again->'key'", "'insert'", "again->'fields'", "NULL")}
    END LOOP;
  ELSIF TG_OP = 'DELETE' THEN
    ${write(`SELECT ${oldKey} AS key, NULL::jsonb AS new_key, ${fieldsOf(watching, { o: true, n: false })} AS fields FROM old_rows AS o`, "'delete'")}
  ELSE
    ${write(`SELECT ${oldKey} AS key, NULL::jsonb AS new_key, ${fieldsOf(watching, { o: true, n: false })} AS fields FROM ${quotedTable(table)} AS o`, "'delete'")}
  END IF;
  RETURN NULL;
END `;
}

/**
 * The source of the trigger's function of a watched table, as this version makes it of the table's columns that are watched.
 *
 * @param columns those that it had when watching began
 */
export const watchSource = (watching: Watching, columns: readonly string[]): string =>
  bodyOf({
    ...watching,
    table: { ...watching.table, columns: watching.table.columns.filter(({ name }) => columns.includes(name)) },
  });

/** The settings of the trigger's function. */
export const watchSettings = `${fixedPath} ${textSettings}`;

/** The triggers that a watched table has, by name. Theirs sorts before others of the same time, by its blank. */
const triggers = [
  { name: " quill insert", when: "AFTER INSERT", referencing: "REFERENCING NEW TABLE AS new_rows " },
  {
    name: " quill update",
    when: "AFTER UPDATE",
    referencing: "REFERENCING OLD TABLE AS old_rows NEW TABLE AS new_rows ",
  },
  { name: " quill delete", when: "AFTER DELETE", referencing: "REFERENCING OLD TABLE AS old_rows " },
  { name: " quill truncate", when: "BEFORE TRUNCATE", referencing: "" },
] as const;

/** A row as a text that is digested: the columns that are not hidden, in their order. */
const rowText = ({ table, hidden }: Watching, alias: string): string =>
  `to_jsonb(ARRAY[${watchedColumns(table, hidden)
    .map((column) => castText(`${alias}.${quoted(column.name)}`, column))
    .join(", ")}]::text[])::text`;

const watchedColumns = (table: Table, hidden: readonly string[]): readonly Column[] =>
  table.columns.filter(({ name }) => !hidden.includes(name));

const arrayOf = (names: readonly string[]): string => `ARRAY[${names.map(literal).join(", ")}]::text[]`;

/**
 * The statements that begin to watch a table, or renew how it is watched: one transaction, as the owner of the table and the log. The table
 * is locked against writing meanwhile, so that nothing falls between its baseline and its triggers.
 *
 * @param baseline whether a digest of each row is kept
 */
export function watchStatements(watching: Watching, baseline: boolean): readonly string[] {
  const { table, key, hidden } = watching;
  const name = literal(tableName(table));
  const body = bodyOf(watching);
  const columns = watchedColumns(table, hidden).map((column) => column.name);
  return [
    `LOCK TABLE ${quotedTable(table)} IN SHARE ROW EXCLUSIVE MODE`,
    `INSERT INTO quill_log.watched AS w (table_name, key_columns, columns, hidden, since_id, has_baseline, source)
     VALUES (${name}, ${arrayOf(key)}, ${arrayOf(columns)}, ${arrayOf(hidden)}, (SELECT coalesce(max(id), 0) FROM quill_log.change), ${baseline}, md5(${literal(body)}))
     ON CONFLICT (table_name) DO UPDATE SET key_columns = excluded.key_columns, columns = excluded.columns, hidden = excluded.hidden, since = excluded.since,
       since_id = excluded.since_id, has_baseline = excluded.has_baseline, source = excluded.source`,
    `DO $quill$
DECLARE
  number integer := (SELECT w.number FROM quill_log.watched AS w WHERE w.table_name = ${name});
BEGIN
  EXECUTE format('CREATE OR REPLACE FUNCTION quill_log.%I() RETURNS trigger LANGUAGE plpgsql SECURITY DEFINER ${fixedPath.replaceAll("'", "''")} ${textSettings.replaceAll("'", "''")} AS %L', 'watch_' || number, ${literal(body)});
  EXECUTE format('REVOKE ALL ON FUNCTION quill_log.%I() FROM PUBLIC', 'watch_' || number);
  ${triggers.map(({ name: trigger, when, referencing }) => `EXECUTE format('CREATE OR REPLACE TRIGGER ${quoted(trigger)} ${when} ON ${quotedTable(table).replaceAll("'", "''")} ${referencing}FOR EACH STATEMENT EXECUTE FUNCTION quill_log.%I()', 'watch_' || number);`).join("\n  ")}
END $quill$`,
    `DELETE FROM quill_log.baseline WHERE table_name = ${name}`,
    ...(baseline
      ? [
          `INSERT INTO quill_log.baseline (table_name, record_key, digest)
     SELECT ${name}, ${keyOf(watching, "t")}, sha256(convert_to(${rowText(watching, "t")}, 'UTF8')) FROM ${quotedTable(table)} AS t`,
        ]
      : []),
    "LOCK TABLE quill_log.seal IN EXCLUSIVE MODE",
    `SELECT (quill_log.seal_watched(${name}, session_user::text)).number`,
  ];
}

/** The statements that end watching a table. */
export const unwatchStatements = (table: { readonly schema: string; readonly name: string }): readonly string[] => [
  "LOCK TABLE quill_log.seal IN EXCLUSIVE MODE",
  `SELECT (quill_log.seal_act('unwatched', NULL, '{}', sha256(convert_to(d.detail::text, 'UTF8')), jsonb_build_object('table', ${literal(tableName(table))}), d.detail)).number
   FROM (SELECT jsonb_build_object('table', ${literal(tableName(table))}, 'by', session_user) AS detail) AS d`,
  ...triggers.map(({ name }) => `DROP TRIGGER IF EXISTS ${quoted(name)} ON ${quotedTable(table)}`),
  `DO $quill$
DECLARE
  number integer := (SELECT w.number FROM quill_log.watched AS w WHERE w.table_name = ${literal(tableName(table))});
BEGIN
  IF number IS NOT NULL THEN
    EXECUTE format('DROP FUNCTION quill_log.%I()', 'watch_' || number);
  END IF;
END $quill$`,
  `DELETE FROM quill_log.baseline WHERE table_name = ${literal(tableName(table))}`,
  `DELETE FROM quill_log.watched WHERE table_name = ${literal(tableName(table))}`,
];

/** How a watched table stands: `table`, `key`, `columns`, `hidden` (JSON arrays), `since`, `since_id`, `baseline`, and `off`, why it is not watched. */
export const watchedStatement = (): Statement => ({
  purpose: "watched tables",
  text: `SELECT w.table_name AS "table", to_json(w.key_columns)::text AS "key", to_json(w.columns)::text AS "columns", to_json(w.hidden)::text AS "hidden",
  to_char(w.since AT TIME ZONE 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS.US"Z"') AS "since", w.since_id::text AS "since_id", w.has_baseline::text AS "baseline",
  w.number::text AS "number",
  CASE
    WHEN t.oid IS NULL THEN 'the table is gone'
    WHEN g.there < ${triggers.length} THEN 'a trigger is gone'
    WHEN g.enabled < ${triggers.length} THEN 'a trigger is disabled'
    WHEN g.same < ${triggers.length} THEN 'a trigger is another one than is made for it'
    WHEN g.rules > 0 THEN 'a rule stands before its triggers'
    WHEN p.oid IS NULL THEN 'the trigger''s function is gone'
    WHEN md5(p.prosrc) <> w.source THEN 'the trigger''s function was changed'
  END AS "off",
  p.prosrc AS "body",
  (SELECT json_agg(a.attname ORDER BY a.attnum) FROM pg_attribute AS a WHERE a.attrelid = t.oid AND a.attnum > 0 AND NOT a.attisdropped AND a.attname <> ALL (w.columns || w.hidden))::text AS "new_columns"
FROM quill_log.watched AS w
LEFT JOIN (pg_class AS t JOIN pg_namespace AS n ON n.oid = t.relnamespace) ON n.nspname || '.' || t.relname = w.table_name AND t.relkind IN ('r', 'p')
LEFT JOIN pg_proc AS p ON p.pronamespace = 'quill_log'::regnamespace AND p.proname = 'watch_' || w.number
LEFT JOIN LATERAL (
  SELECT count(g.oid) AS there, count(g.oid) FILTER (WHERE g.tgenabled IN ('O', 'A')) AS enabled,
    count(g.oid) FILTER (WHERE pg_get_triggerdef(g.oid) = format('CREATE TRIGGER %I %s ON %I.%I %sFOR EACH STATEMENT EXECUTE FUNCTION quill_log.%I()',
      made.name, made.at, n.nspname, t.relname, made.referencing, 'watch_' || w.number)) AS same,
    (SELECT count(*) FROM pg_rewrite AS r WHERE r.ev_class = t.oid) AS rules
  FROM (VALUES ${triggers.map(({ name, when, referencing }) => `(${literal(name)}, ${literal(when)}, ${literal(referencing)})`).join(", ")}) AS made(name, at, referencing)
  LEFT JOIN pg_trigger AS g ON g.tgrelid = t.oid AND g.tgname = made.name AND g.tgfoid = p.oid
) AS g ON true
ORDER BY w.table_name`,
  values: [],
});

/** The rows of a watched table with their keys, beyond one of them by key: `record_key` and `row`, a JSON array of texts by `columns`. */
export function watchedRowsStatement(
  watching: Watching,
  columns: readonly string[],
  keys: readonly (readonly string[])[],
): string {
  const { table } = watching;
  const texts = columnsOf(table, columns).map((column) => castText(`t.${quoted(column.name)}`, column));
  return `SELECT to_jsonb(ARRAY[${keys.map((key) => `(${keyOf({ ...watching, key }, "t")})::text`).join(", ")}]::text[])::text AS "keys", to_jsonb(ARRAY[${texts.join(", ")}]::text[])::text AS "row" FROM ${quotedTable(table)} AS t`;
}
