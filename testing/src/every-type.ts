/**
 * A table with a column of every kind of type that PostgreSQL can print and read as text, under names that need quoting, and
 * rows of awkward values. Owned by the demo database's owner; made by `everyTypeSql`.
 */

/** Column, its type, and values that are hard to bring through a form unchanged. */
export interface TypeSample {
  readonly name: string;
  readonly type: string;
  /** SQL expressions; each row takes the next one, in turn. */
  readonly values: readonly string[];
  /** A text to type into the control, and what PostgreSQL prints for it. Without one the column is not writable. */
  readonly typed?: readonly [text: string, stored: string];
}

export const typeSamples: readonly TypeSample[] = [
  { name: "small", type: "smallint", values: ["-32768", "NULL", "0"], typed: ["7", "7"] },
  { name: "whole", type: "integer", values: ["2147483647", "-1", "NULL"], typed: ["+007", "7"] },
  {
    name: "big",
    type: "bigint",
    values: ["-9223372036854775808", "9007199254740993", "NULL"],
    typed: ["9007199254740995", "9007199254740995"],
  },
  {
    name: "exact",
    type: "numeric",
    values: ["12345678901234567890123456789012345678.5", "'NaN'", "'-Infinity'", "0.10000", "NULL"],
    typed: ["1e5", "100000"],
  },
  {
    name: "scaled",
    type: "numeric(38,10)",
    values: ["1.5", "-9999999999999999999999999999.9999999999", "'NaN'", "NULL"],
    typed: ["2.50", "2.5000000000"],
  },
  { name: "rounded", type: "numeric(5,-2)", values: ["1200", "NULL"], typed: ["3400", "3400"] },
  { name: "single", type: "real", values: ["'NaN'", "'-Infinity'", "1e-20", "0.1", "NULL"], typed: ["0.25", "0.25"] },
  { name: "double", type: "double precision", values: ["'Infinity'", "1e300", "0.1", "NULL"], typed: ["1.5", "1.5"] },
  { name: "yes", type: "boolean NOT NULL", values: ["true", "false"] },
  { name: "perhaps", type: "boolean", values: ["true", "NULL", "false"], typed: ["false", "false"] },
  {
    name: "Ünïcode näme",
    type: "text",
    values: [
      "E'\\n\\nleading lines'",
      "'  white space  '",
      "E'CR LF\\r\\nlone CR\\rtab\\tend'",
      "'<b title=\"x\">markup</b> &amp; ''quotes'' </textarea><script>alert(1)</script>'",
      "U&'\\200Fright to left\\200E e\\0301 \\+01F30A'",
      "''",
      "NULL",
      "E'trailing line\\n'",
    ],
    typed: ["plain", "plain"],
  },
  {
    name: "folded",
    type: "text COLLATE proof.folded",
    values: ["'Folded'", "'line'", "''", "NULL"],
    typed: ["fOLDED", "fOLDED"],
  },
  {
    name: "folded texts",
    type: "text[] COLLATE proof.folded",
    values: ["ARRAY['a B', 'c']", "NULL"],
    typed: ['{"A b",c}', '{"A b",c}'],
  },
  { name: "limited", type: "varchar(40)", values: ["'  both ends  '", "''", "NULL"], typed: ["forty", "forty"] },
  { name: "padded", type: "char(8)", values: ["'abc'", "'exactly8'", "NULL"], typed: ["def", "def"] },
  {
    name: "day",
    type: "date",
    values: ["'2024-02-29'", "'0044-03-15 BC'", "'infinity'", "'-infinity'", "'12345-06-07'", "NULL"],
    typed: ["2025-01-31", "2025-01-31"],
  },
  {
    name: "clock",
    type: "time",
    values: ["'23:59:59.999999'", "'24:00:00'", "'00:00'", "NULL"],
    typed: ["12:30", "12:30:00"],
  },
  {
    name: "clock zone",
    type: "timetz",
    values: ["'10:00:00+02'", "'10:00:00.5-03:30'", "NULL"],
    typed: ["09:15+01", "09:15:00+01"],
  },
  {
    name: "local",
    type: "timestamp",
    values: ["'2026-03-29 01:30:00'", "'2026-01-01 00:00:00.123456'", "'0001-01-01 00:00:00 BC'", "'infinity'", "NULL"],
    typed: ["2026-05-06T07:08", "2026-05-06 07:08:00"],
  },
  {
    name: "moment",
    type: "timestamptz",
    values: [
      "'2026-10-25 00:30:00+00'",
      "'2026-10-25 01:30:00.5+00'",
      "'2026-07-01 12:00:00.000001+00'",
      "'0044-03-15 12:00:00+00 BC'",
      "'-infinity'",
      "'20000-01-01 00:00:00+00'",
      "NULL",
    ],
    typed: ["2026-07-01T13:00", "2026-07-01 12:00:00+00"],
  },
  {
    name: "span",
    type: "interval",
    values: ["'1 year 2 mons -3 days 04:05:06.789'", "'-00:00:01'", "NULL"],
    typed: ["P1DT2H", "P1DT2H"],
  },
  {
    name: "uuid",
    type: "uuid",
    values: ["'6f0e8f5e-0d3b-4b53-9d5c-3f6d6f2d3c11'", "NULL"],
    typed: ["6F0E8F5E-0D3B-4B53-9D5C-3F6D6F2D3C12", "6f0e8f5e-0d3b-4b53-9d5c-3f6d6f2d3c12"],
  },
  {
    name: "json text",
    type: "json",
    values: ['\'{ "a" :  1.0, "a": [null] }\'', "'\"a\\nb\"'", "NULL"],
    typed: ['{"b": 2}', '{"b": 2}'],
  },
  {
    name: "json",
    type: "jsonb",
    values: ['\'{"a": 1.0, "deep": {"x": [1, "two", null]}}\'', "'null'", "NULL"],
    typed: ['{"b":2}', '{"b": 2}'],
  },
  { name: "state", type: "proof.state", values: ["'with space'", "'quo\"te'", "NULL"], typed: ["plain", "plain"] },
  { name: "code", type: "proof.code", values: ["'MV-1'", "NULL"], typed: ["MV-2", "MV-2"] },
  { name: "rate", type: "proof.rate", values: ["5.00", "NULL"], typed: ["12.5", "12.50"] },
  { name: "percent%", type: "proof.share", values: ["99.50", "NULL"], typed: ["12.5", "12.50"] },
  {
    name: "texts",
    type: "text[]",
    values: ["ARRAY['a', NULL, '', 'NULL', 'com,ma', 'quo\"te', E'line\\nbreak']", "'{}'", "NULL"],
    typed: ['{"x y",z}', '{"x y",z}'],
  },
  {
    name: "numbers",
    type: "numeric(5,2)[]",
    values: ["ARRAY[1.5, NULL, 'NaN']", "NULL"],
    typed: ["{2,3.25}", "{2.00,3.25}"],
  },
  {
    name: "nested",
    type: "integer[]",
    values: ["'{{1,NULL},{3,4}}'", "'[2:3]={1,2}'", "NULL"],
    typed: ["{{5},{6}}", "{{5},{6}}"],
  },
  { name: "range", type: "int4range", values: ["'[1,10)'", "'empty'", "'(,)'", "NULL"], typed: ["[3,7]", "[3,8)"] },
  {
    name: "period",
    type: "tstzrange",
    values: ["'[2026-01-01 00:00+00, infinity)'", "NULL"],
    typed: ["[2026-01-01 00:00+00,)", '["2026-01-01 00:00:00+00",)'],
  },
  { name: "ranges", type: "nummultirange", values: ["'{[1,2),(3,4]}'", "'{}'", "NULL"], typed: ["{[5,6]}", "{[5,6]}"] },
  { name: "inet", type: "inet", values: ["'192.168.0.1/24'", "'::1'", "NULL"], typed: ["10.0.0.1", "10.0.0.1"] },
  { name: "cidr", type: "cidr", values: ["'10.0.0.0/8'", "NULL"], typed: ["10.1.0.0/16", "10.1.0.0/16"] },
  {
    name: "mac",
    type: "macaddr",
    values: ["'08:00:2b:01:02:03'", "NULL"],
    typed: ["08002b010204", "08:00:2b:01:02:04"],
  },
  { name: "bytes", type: "bytea", values: ["'\\x00ff41'", "''", "NULL"], typed: ["\\xbeef", "\\xbeef"] },
  { name: "money", type: "money", values: ["'1234.50'", "'-0.01'", "NULL"], typed: ["$5.00", "$5.00"] },
  { name: "xml", type: "xml", values: ["'<a b=\"1\">x &amp; y</a>'", "NULL"], typed: ["<c/>", "<c/>"] },
  { name: "bits", type: "bit(5)", values: ["B'10101'", "NULL"], typed: ["11111", "11111"] },
  { name: "many bits", type: "varbit", values: ["B'1'", "B''", "NULL"], typed: ["10", "10"] },
  { name: "dot.ted", type: "point", values: ["'(1.5,-2)'", "'(NaN,Infinity)'", "NULL"], typed: ["(3,4)", "(3,4)"] },
  { name: "box", type: "box", values: ["'((1,1),(0,0))'", "NULL"], typed: ["((2,2),(1,1))", "(2,2),(1,1)"] },
  {
    name: "polygon",
    type: "polygon",
    values: ["'((0,0),(1,1),(1,0))'", "NULL"],
    typed: ["((0,0),(2,2))", "((0,0),(2,2))"],
  },
  { name: "words", type: "tsvector", values: ["'a fat:1A cat''s'", "''", "NULL"], typed: ["'x':1", "'x':1"] },
  { name: "query", type: "tsquery", values: ["'fat & !cat'", "NULL"], typed: ["a | b", "'a' | 'b'"] },
  {
    name: 'pair "quoted"',
    type: "proof.pair",
    values: ["ROW(1, 'with, comma \"q\"')", "ROW(NULL, NULL)", "ROW(2, '')", "NULL"],
    typed: ["(3,x)", "(3,x)"],
  },
  { name: "select", type: "text", values: ["'reserved'", "NULL"], typed: ["still", "still"] },
];

const quoted = (name: string): string => `"${name.replaceAll('"', '""')}"`;

/** How many rows there are: as many as the longest list of values. */
export const everyTypeRows = Math.max(...typeSamples.map((sample) => sample.values.length));

/** What can be typed into each column's control, and what is stored for it. */
export const everyTypeTyped: readonly (readonly [column: string, text: string, stored: string])[] = typeSamples.flatMap(
  ({ name, typed }) => (typed ? [[name, typed[0], typed[1]] as const] : []),
);

const insert = (row: number): string =>
  `INSERT INTO proof."Every Type" (id, ${typeSamples.map(({ name }) => quoted(name)).join(", ")}) VALUES (${row + 1}, ${typeSamples.map(({ values }) => values[row % values.length]).join(", ")})`;

/** The statements that make schema, types, table and rows, and let the pages use them. */
export const everyTypeSql: readonly string[] = [
  "SET timezone TO 'UTC'",
  "CREATE SCHEMA proof",
  "CREATE COLLATION proof.folded (provider = icu, locale = 'und-u-ks-level2', deterministic = false)",
  `CREATE TYPE proof.state AS ENUM ('plain', 'with space', 'quo"te')`,
  "CREATE TYPE proof.pair AS (a integer, b text)",
  "CREATE DOMAIN proof.code AS text CONSTRAINT code_form CHECK (VALUE ~ '^MV-[0-9]+$' AND VALUE !~ '13')",
  "CREATE DOMAIN proof.share AS numeric(5,2) CHECK (VALUE <= 100)",
  "CREATE DOMAIN proof.rate AS proof.share CHECK (VALUE >= 1)",
  `CREATE TABLE proof."Every Type" (
    id integer PRIMARY KEY,
    number integer GENERATED ALWAYS AS IDENTITY,
    doubled integer GENERATED ALWAYS AS (id * 2) STORED,
    ${typeSamples.map(({ name, type }) => `${quoted(name)} ${type}`).join(",\n    ")}
  )`,
  ...Array.from({ length: everyTypeRows }, (_, row) => insert(row)),
  "GRANT USAGE ON SCHEMA proof TO quill_pages",
  "GRANT SELECT, UPDATE ON ALL TABLES IN SCHEMA proof TO quill_pages",
];

const yaml = (text: string): string => JSON.stringify(text);

/** A page over that table with a field for every column. */
export const everyTypePage = `format: loyal-quill/page@1
title: "Row {id}"
plural: Every type
path: /every-type/{id}
record: { table: proof.Every Type, key: id }
time-zone: Europe/London
list: { columns: [id, whole] }
fields:
${["id", "number", "doubled", ...typeSamples.map(({ name }) => name)].map((name) => `  - ${yaml(name)}`).join("\n")}
`;
