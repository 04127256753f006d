import { randomUUID } from "node:crypto";
import type { Pool } from "pg";
import { isRefusal, parameters } from "../shared/database.js";
import type { Actor } from "./actor.js";
import { type Changes, type Field, labels, type Problem, type River } from "./form.js";

/** The columns of a record in PostgreSQL's text form, by the alias of its row. */
const selected = (t: string): string =>
  `${t}.id::text AS id, ${t}.name, ${t}.length_km::text AS length_km, ${t}.xmin::text AS version`;

/** The record with this key, if the actor may see it. */
export async function load(pool: Pool, id: string): Promise<River | null> {
  const { $, values } = parameters();
  const { rows } = await pool.query<River>(
    `SELECT ${selected("t")} FROM network.river AS t
     WHERE t.id = ${$(id)}::integer`,
    values,
  );
  return rows[0] ?? null;
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
  river: River,
  changes: Changes,
): Promise<{ readonly river: River; readonly isChanged: boolean } | null> {
  const { $, values } = parameters();
  const request = randomUUID();
  const set = Object.entries(changes).map(([field, value]) => `"${field}" = ${$(value)}`);
  const { rows } = await pool.query<River & { readonly entry: string | null }>(
    `WITH told AS (
       SELECT set_config('quill.actor', ${$(actor.id)}, true), set_config('quill.page', 'river', true), set_config('quill.request', ${$(request)}, true)
     ), b AS (
       SELECT t.* FROM told, network.river AS t
       WHERE t.id = ${$(river.id)}::integer AND t.xmin::text = ${$(river.version)}
       FOR NO KEY UPDATE OF t
     ), a AS (
       UPDATE network.river AS t SET ${set.join(", ")}
       FROM b WHERE t.id = b.id
       RETURNING t.*, t.xmin
     ), changed AS (
       SELECT jsonb_build_object('id', b.id::text) AS record_key, NULL::jsonb AS new_key, (SELECT jsonb_agg(jsonb_build_object('field', f.field, 'old', f.old, 'new', f.new)) FROM (VALUES
         ('id', b.id::text, a.id::text),
         ('name', b.name, a.name),
         ('length_km', b.length_km::text, a.length_km::text)
       ) AS f(field, old, new) WHERE f.old IS DISTINCT FROM f.new) AS fields
       FROM b, a
     ), entry AS (
       SELECT quill_log.add_change(${$(actor.id)}, ${$(actor.name)}, 'river', '0d4b02a5f726', 'network.river',
         record_key, 'update', fields, ${$(request)}::uuid, NULL, new_key, NULL)::text AS id
       FROM changed WHERE fields IS NOT NULL
     )
     SELECT ${selected("a")}, (SELECT id FROM entry) AS entry
     FROM a`,
    values,
  );
  const [row] = rows;
  return row ? { river: row, isChanged: row.entry !== null } : null;
}

/** What another record has already: asked where a form comes back anyway, so that all messages come at once. The table itself refuses it. */
export async function takenByOthers(pool: Pool, river: River, changes: Changes): Promise<readonly Problem[]> {
  const { $, values } = parameters();
  const { rows } = await pool.query<Readonly<Record<string, boolean>>>(
    `SELECT EXISTS (SELECT FROM network.river AS o WHERE o.name = ${$(changes.name)}::text AND NOT (o.id = ${$(river.id)}::integer)) AS "name"`,
    values,
  );
  return (["name"] as const)
    .filter((field) => changes[field] != null && rows[0]?.[field])
    .map((field) => ({ field, message: `${labels[field]} is already used by another record: enter a different one.` }));
}

/** What the table's constraints are about, and what is said where one of them does not hold. */
const constraints: Readonly<Record<string, { readonly fields: readonly Field[]; readonly message: string }>> = {
  river_name_key: { fields: ["name"], message: "Name is already used by another record: enter a different one." },
  river_length_km_check: {
    fields: ["length_km"],
    message: "The table refuses this (river_length_km_check): CHECK ((length_km > (0)::numeric)).",
  },
};

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
