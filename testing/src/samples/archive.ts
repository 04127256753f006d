/** A sample schema: an archive of many tables, one a gauge, that refer to each other; columns and keys differ from one to the next. */
const kinds: readonly (readonly [type: string, value: string])[] = [
  ["text NOT NULL", "'words'"],
  ["varchar(30)", "'short'"],
  ["integer", "42"],
  ["numeric(8,3)", "1.25"],
  ["boolean NOT NULL", "true"],
  ["date", "'2026-02-28'"],
  ["timestamptz", "'2026-02-28 10:00:00+00'"],
  ["jsonb", `'{"a": 1}'`],
  ["text[]", "'{a,b}'"],
  ["double precision", "0.1"],
  ["uuid", "'6f0e8f5e-0d3b-4b53-9d5c-3f6d6f2d3c11'"],
  ["interval", "'1 day'"],
];

const keys: readonly (readonly [definition: string, columns: string, values: string])[] = [
  ["id integer PRIMARY KEY", "id", "1"],
  ["code text PRIMARY KEY", "code", "'A 1'"],
  ["id uuid PRIMARY KEY DEFAULT gen_random_uuid()", "id", "gen_random_uuid()"],
  ["year integer, part smallint, PRIMARY KEY (year, part)", "year, part", "2026, 1"],
];

function gauge(index: number): string[] {
  const name = `archive.gauge_${String(index).padStart(3, "0")}`;
  const [definition = "", columns = "", values = ""] = keys[index % keys.length] ?? [];
  const own = Array.from(
    { length: 4 + (index % 9) },
    (_, place) => kinds[(index * 5 + place) % kinds.length] ?? ["text", "''"],
  );
  const fields = own.map(([type], place) => `value_${place + 1} ${type}`);
  // Every fourth table has an integer key; the others may refer to the one before them of that kind.
  const before = index - (index % keys.length) - (index % keys.length === 0 ? keys.length : 0);
  const reference =
    before >= 0 && index > 0 ? [`before_id integer REFERENCES archive.gauge_${String(before).padStart(3, "0")}`] : [];
  return [
    `CREATE TABLE ${name} (${[definition, ...fields, ...reference].join(", ")})`,
    `INSERT INTO ${name} (${columns}, ${own.map((_, place) => `value_${place + 1}`).join(", ")}) VALUES (${values}, ${own.map(([, value]) => value).join(", ")})`,
  ];
}

/** @param size how many tables it has */
export const archive = (size: number): readonly string[] => [
  "CREATE SCHEMA archive",
  ...Array.from({ length: size }, (_, index) => gauge(index)).flat(),
  "GRANT USAGE ON SCHEMA archive TO quill_pages",
  "GRANT SELECT, INSERT, UPDATE, DELETE ON ALL TABLES IN SCHEMA archive TO quill_pages",
];
