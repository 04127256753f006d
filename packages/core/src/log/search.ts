import { keyPredicate } from "../postgres/key-predicate.js";
import { Parameters, quoted, quotedTable, type Statement } from "../postgres/statement.js";
import { textForm } from "../postgres/text-form.js";
import { columnOf, type Table } from "../table/model.js";

/** What entries are looked for; what is left out is anything. */
export interface EntryQuery {
  /** Beyond this number, downwards. */
  readonly before?: string;
  readonly page?: string;
  /** The actor's id. */
  readonly person?: string;
  readonly table?: string;
  /** The record's key, with `table`: as it was named then. */
  readonly key?: Readonly<Record<string, string>>;
  readonly field?: string;
  /** The number of the request that saved them: all that was saved at once. */
  readonly request?: string;
  /** What a field became, or was, to the letter. */
  readonly value?: string;
  /** ISO 8601: from then on, and until before then. */
  readonly from?: string;
  readonly to?: string;
  /** Text in the key, among the changed fields, or in the reason. */
  readonly containing?: string;
  readonly way?: string;
}

/** An entry as people read it. */
const told = `c.id::text AS "id", c.at::text AS "at", c.actor_id AS "actor_id", c.actor_name AS "actor_name", c.page AS "page", c.table_name AS "table_name",
  c.record_key::text AS "record_key", c.new_key::text AS "new_key", c.operation AS "operation", c.fields::text AS "fields", c.request_id::text AS "request_id",
  c.reason AS "reason", c.way AS "way", c.origin::text AS "origin", array_to_string(c.undoes, ',') AS "undoes"`;

/** So many entries are gone through for one part of an answer; what is searched for beyond them is asked for again. */
export const entriesSearched = 50_000;

/** Whether entries are found with an index, however far back: by their record, or by the request that saved them. */
export const isByIndex = ({ table, key, request }: EntryQuery): boolean =>
  request !== undefined || (table !== undefined && key !== undefined);

/**
 * Entries that match, the newest first, among the next {@link entriesSearched} downwards: rows of entries.
 *
 * @param begin the greatest number that is looked at
 */
export function searchEntriesStatement(query: EntryQuery, begin: string, most: number): Statement {
  const parameters = new Parameters();
  const upto = parameters.add(begin, "bigint");
  const where = [`c.id <= ${upto}`];
  if (!isByIndex(query)) where.push(`c.id > ${upto} - ${entriesSearched}`);
  const same = (column: string, value: string | undefined): void => {
    if (value !== undefined) where.push(`c.${column} = ${parameters.add(value, "text")}`);
  };
  same("page", query.page);
  same("actor_id", query.person);
  same("table_name", query.table);
  same("way", query.way);
  if (query.request !== undefined) where.push(`c.request_id = ${parameters.add(query.request, "uuid")}`);
  if (query.key) {
    const key = parameters.add(JSON.stringify(query.key), "jsonb");
    where.push(`(c.record_key = ${key} OR c.new_key = ${key})`);
  }
  if (query.from !== undefined) where.push(`c.at >= ${parameters.add(query.from, "timestamptz")}`);
  if (query.to !== undefined) where.push(`c.at < ${parameters.add(query.to, "timestamptz")}`);
  if (query.field !== undefined)
    where.push(`c.fields @> jsonb_build_array(jsonb_build_object('field', ${parameters.add(query.field, "text")}))`);
  if (query.value !== undefined) {
    const value = parameters.add(query.value, "text");
    const field = query.field === undefined ? "" : ` AND f->>'field' = ${parameters.add(query.field, "text")}`;
    where.push(
      `EXISTS (SELECT FROM jsonb_array_elements(c.fields) AS f WHERE (f->>'old' = ${value} OR f->>'new' = ${value})${field})`,
    );
  }
  if (query.containing !== undefined) {
    const pattern = parameters.add(
      `%${query.containing.replaceAll(/[\\%_]/g, (character) => `\\${character}`)}%`,
      "text",
    );
    // A number with a point is looked for as that number: 33.7 is 33.70, and no part of a moment's seconds.
    const isNumber = /^-?\d+\.\d+$/.test(query.containing);
    const number = `(^|[^0-9.:])${query.containing.replace(".", "\\.").replace(/0+$/, "")}0*($|[^0-9.])`;
    const found = isNumber ? `~ ${parameters.add(number, "text")}` : `ILIKE ${pattern}`;
    where.push(
      `(c.record_key::text ILIKE ${pattern} OR c.reason ILIKE ${pattern} OR EXISTS (SELECT FROM jsonb_array_elements(c.fields) AS f WHERE concat_ws(' ', f->>'field', f->>'old', f->>'new') ${found}))`,
    );
  }
  return {
    purpose: "search the log",
    plannedAnew: true,
    text: `SELECT ${told}\nFROM "quill_log"."change" AS c\nWHERE ${where.join("\n  AND ")}\nORDER BY c.id DESC\nLIMIT ${parameters.add(String(most), "int")}`,
    values: parameters.values,
  };
}

/** The entries of these numbers, the newest first. */
export const entriesStatement = (ids: readonly string[]): Statement => ({
  purpose: "read entries",
  text: `SELECT ${told}\nFROM "quill_log"."change" AS c\nWHERE c.id = ANY ($1::bigint[])\nORDER BY c.id DESC`,
  values: [`{${ids.join(",")}}`],
});

/**
 * All entries of a record under the keys that it had, as far as `most`, the newest first; the last column is the key that it has now.
 *
 * @param since an entry of the record that names it by this key: another record may have the key by now. Where it is null, the one is meant that
 *   had it last
 */
export const recordEntriesStatement = (
  table: string,
  key: Readonly<Record<string, string>>,
  most: number,
  since: string | null = null,
): Statement => ({
  purpose: "read a record's entries",
  text: `WITH RECURSIVE "on" ("record_key", "since") AS (
  SELECT $2::jsonb, coalesce($4::bigint, (SELECT h."id" FROM "quill_log"."head" AS h WHERE h."table_name" = $1::text AND h."record_key" = $2::jsonb), 0)
  UNION ALL
  SELECT c."new_key", c."id" + 1 FROM "on" AS n
  JOIN LATERAL (
    SELECT c."new_key", c."id" FROM "quill_log"."change" AS c
    WHERE c."table_name" = $1::text AND c."record_key" = n."record_key" AND c."id" >= n."since" AND (c."new_key" IS NOT NULL OR c."operation" = 'delete')
    ORDER BY c."id" LIMIT 1
  ) AS c ON c."new_key" IS NOT NULL
), "now" AS (
  SELECT n."record_key" FROM "on" AS n ORDER BY n."since" DESC LIMIT 1
), "names" ("record_key", "until") AS (
  SELECT "record_key", 9223372036854775807 FROM "now"
  UNION ALL
  SELECT c."record_key", c."id" FROM "names" AS n
  JOIN "quill_log"."change" AS c ON c."table_name" = $1::text AND c."new_key" = n."record_key" AND c."id" < n."until"
)
SELECT ${told}, (SELECT "record_key"::text FROM "now") AS "now_key"
FROM "names" AS n
JOIN "quill_log"."change" AS c ON c."table_name" = $1::text AND c."record_key" = n."record_key" AND c."id" <= n."until"
ORDER BY c."id" DESC
LIMIT $3::int`,
  values: [table, JSON.stringify(key), String(most), since],
});

/** Where a search begins: the greatest number of an entry, and the greatest before a moment where one is named: `begin`. */
export const beginStatement = (to: string | undefined): Statement => ({
  purpose: "where a search begins",
  text: `SELECT coalesce(max(c.id), 0)::text AS "begin" FROM "quill_log"."change" AS c${to === undefined ? "" : " WHERE c.at < $1::timestamptz"}`,
  values: to === undefined ? [] : [to],
});

/** The least number since a moment: `end`; null where there is none. */
export const endStatement = (from: string): Statement => ({
  purpose: "where a search ends",
  text: `SELECT min(c.id)::text AS "end" FROM "quill_log"."change" AS c WHERE c.at >= $1::timestamptz`,
  values: [from],
});

/** Who stands in the last so many entries: `id` and `name`, by name. */
export const actorsStatement = (among: number): Statement => ({
  purpose: "who changed something lately",
  text: `SELECT DISTINCT ON (a."actor_name", a."actor_id") a."actor_id" AS "id", a."actor_name" AS "name"
FROM (SELECT c."actor_id", c."actor_name" FROM "quill_log"."change" AS c ORDER BY c."id" DESC LIMIT $1::int) AS a ORDER BY a."actor_name", a."actor_id"`,
  values: [String(among)],
});

/** One row by its key, by column; those that are told to nobody are left out. */
export function rowNowStatement(table: Table, key: readonly (readonly [name: string, value: string])[]): Statement {
  const parameters = new Parameters();
  const columns = key.flatMap(([name]) => columnOf(table, name) ?? []);
  const where = keyPredicate(
    columns,
    key.map(([, value]) => value),
    parameters,
    "t",
  );
  const shown = table.columns.filter(({ sensitive }) => !sensitive);
  return {
    purpose: "the record as it is now",
    text: `SELECT ${shown.map((column) => `${textForm("t", column)} AS ${quoted(column.name)}`).join(", ")}\nFROM ${quotedTable(table)} AS t\nWHERE ${where}`,
    values: parameters.values,
  };
}
