import { randomUUID } from "node:crypto";
import type { Pool } from "pg";
import { isRefusal, type Place, parameters } from "../shared/database.js";
import type { Option } from "../shared/form-html.js";
import type { Actor } from "./actor.js";
import { type Changes, type Field, type FileField, type Problem, type Visit, type Values } from "./form.js";

/** The columns of a record in PostgreSQL's text form, by the alias of its row. */
const selected = (
  t: string,
): string => `${t}.id::text AS id, ${t}.station_code, ${t}.visitor_id::text AS visitor_id, ${t}.visited_at::text AS visited_at,
  ${t}.level_read_m::text AS level_read_m, ${t}.findings, ${t}.follow_up_on::text AS follow_up_on, ${t}.recorded_by,
  ${t}.recorded_at::text AS recorded_at,
  ('sha256:' || encode(sha256(${t}.photo), 'hex') || ':' || octet_length(${t}.photo)) AS photo,
  ${t}.xmin::text AS version`;

/** The record with this key, if the actor may see it. */
export async function load(pool: Pool, id: string): Promise<Visit | null> {
  const { $, values } = parameters();
  const { rows } = await pool.query<Visit>(
    `SELECT ${selected("t")} FROM field.visit AS t
     WHERE t.id = ${$(id)}::uuid`,
    values,
  );
  return rows[0] ?? null;
}

/** The file in this column of the record with this key, if the actor may see it. */
export async function loadFile(pool: Pool, column: FileField, id: string): Promise<Buffer | null> {
  const { $, values } = parameters();
  const { rows } = await pool.query<{ readonly content: Buffer | null }>(
    `SELECT t."${column}" AS content FROM field.visit AS t
     WHERE t.id = ${$(id)}::uuid`,
    values,
  );
  return rows[0]?.content ?? null;
}

export type Choices = Readonly<Record<"station_code" | "visitor_id", readonly Option[]>>;

/** At most so many are shown of what is found. */
export const mostFound = 20;

/** What is to be found among the choices of a field. */
export type Find = Partial<Record<Field, string>>;

const pattern = (text: string): string => `%${text.replaceAll("\0", "").replaceAll(/[\\%_]/g, "\\$&")}%`;

/** That every word of a text occurs in an expression, without regard to case. */
function containing($: Place, expression: string, text: string): string {
  const words = text
    .split(/\s+/)
    .filter((word) => word !== "")
    .slice(0, 20);
  return words.map((word) => `${expression} ILIKE ${$(pattern(word))}`).join(" AND ") || "true";
}

/** What may be chosen where the form comes to these values, and what is stored though it is not offered any more. */
export async function loadChoices(pool: Pool, visit: Visit, form: Values, find: Find = {}): Promise<Choices> {
  const list = async (statement: (place: Place) => string): Promise<readonly Option[]> => {
    const { $, values } = parameters();
    return (await pool.query<Option>(statement($), values)).rows;
  };
  const searched = async (
    kept: (place: Place) => string,
    text: string | undefined,
    found: (place: Place, text: string) => string,
  ): Promise<readonly Option[]> => {
    const [first, rest] = await Promise.all([list(kept), text === undefined ? [] : list(($) => found($, text))]);
    return [
      ...first.filter(({ value }) => rest.every((each) => each.value !== value)),
      ...rest.map((each) => ({ ...each, isFound: true })),
    ];
  };
  const [stationCode, visitorId] = await Promise.all([
    searched(
      ($) =>
        `SELECT c.code AS value, c.code || ', ' || c.name AS label FROM network.station AS c WHERE c.code IN (${$(visit.station_code)}::text, ${$(form.station_code)}::text)`,
      find.station_code,
      ($, text) => `SELECT c.code AS value, c.code || ', ' || c.name AS label FROM network.station AS c
        WHERE ${containing($, `c.code || ', ' || c.name`, text)}
        ORDER BY c.code || ', ' || c.name NOT ILIKE ${$(pattern(text))}, c.code LIMIT ${mostFound + 1}`,
    ),
    list(
      ($) =>
        `SELECT c.id::text AS value, c.name AS label, (c.active) IS NOT TRUE AS gone FROM office.person AS c WHERE c.active OR c.id IN (${$(visit.visitor_id)}::uuid) ORDER BY gone DESC, c.name, c.id`,
    ),
  ]);
  return { station_code: stationCode, visitor_id: visitorId };
}

/**
 * Changes these columns of the record as it was loaded, and writes the log's entry, in one statement: both or neither. Triggers are told who does so:
 * one that watches the table knows by it that the change is logged already.
 *
 * @returns the record as it is stored now, and whether that is another; null where somebody else has changed it meanwhile
 */
export async function update(
  pool: Pool,
  actor: Actor,
  visit: Visit,
  changes: Changes,
  now: Date,
): Promise<{ readonly visit: Visit; readonly isChanged: boolean } | null> {
  const { $, values } = parameters();
  const request = randomUUID();
  const set = [
    ...Object.entries(changes).map(([field, value]) => `"${field}" = ${$(value)}`),
    `recorded_by = ${$(actor.name)}::text`,
    `recorded_at = ${$(now.toISOString())}::timestamp with time zone`,
  ];
  const { rows } = await pool.query<Visit & { readonly entry: string | null }>(
    `WITH told AS (
       SELECT set_config('quill.actor', ${$(actor.id)}, true), set_config('quill.page', 'visit', true), set_config('quill.request', ${$(request)}, true)
     ), b AS (
       SELECT t.* FROM told, field.visit AS t
       WHERE t.id = ${$(visit.id)}::uuid AND t.xmin::text = ${$(visit.version)}
       FOR NO KEY UPDATE OF t
     ), a AS (
       UPDATE field.visit AS t SET ${set.join(", ")}
       FROM b WHERE t.id = b.id
       RETURNING t.*, t.xmin
     ), changed AS (
       SELECT jsonb_build_object('id', b.id::text) AS record_key, NULL::jsonb AS new_key, (SELECT jsonb_agg(jsonb_build_object('field', f.field, 'old', f.old, 'new', f.new)) FROM (VALUES
         ('id', b.id::text, a.id::text),
         ('station_code', b.station_code, a.station_code),
         ('visitor_id', b.visitor_id::text, a.visitor_id::text),
         ('visited_at', b.visited_at::text, a.visited_at::text),
         ('level_read_m', b.level_read_m::text, a.level_read_m::text),
         ('findings', b.findings, a.findings),
         ('follow_up_on', b.follow_up_on::text, a.follow_up_on::text),
         ('recorded_by', b.recorded_by, a.recorded_by),
         ('recorded_at', b.recorded_at::text, a.recorded_at::text),
         ('photo', ('sha256:' || encode(sha256(b.photo), 'hex') || ':' || octet_length(b.photo)), ('sha256:' || encode(sha256(a.photo), 'hex') || ':' || octet_length(a.photo)))
       ) AS f(field, old, new) WHERE f.old IS DISTINCT FROM f.new) AS fields
       FROM b, a
     ), entry AS (
       SELECT quill_log.add_change(${$(actor.id)}, ${$(actor.name)}, 'visit', '97604359775b', 'field.visit',
         record_key, 'update', fields, ${$(request)}::uuid, NULL, new_key, NULL)::text AS id
       FROM changed WHERE fields IS NOT NULL
     )
     SELECT ${selected("a")}, (SELECT id FROM entry) AS entry
     FROM a`,
    values,
  );
  const [row] = rows;
  return row ? { visit: row, isChanged: row.entry !== null } : null;
}

/** What the table's constraints are about, and what is said where one of them does not hold. */
const constraints: Readonly<Record<string, { readonly fields: readonly Field[]; readonly message: string }>> = {};

/** A refusal of the database as something wrong with the form; null for what is no fault of it. */
export function refusal(error: unknown, changes: Changes): Problem | null {
  if (!isRefusal(error)) return null;
  const known = constraints[error.constraint ?? ""];
  if (known)
    return { field: known.fields.find((field) => field in changes) ?? known.fields[0] ?? null, message: known.message };
  // Class 22 is about a value, 23 about a constraint, P0 what a trigger raised (PostgreSQL documentation, appendix A).
  if (error.code?.startsWith("22"))
    return { field: null, message: `The database can't store one of the values: ${error.message}` };
  return /^(23|P0)/.test(error.code ?? "")
    ? { field: null, message: `The database refuses this: ${error.message}` }
    : null;
}
