import { randomUUID } from "node:crypto";
import type { Pool } from "pg";
import { isRefusal, type Place, parameters } from "../shared/database.js";
import type { Option } from "../shared/form-html.js";
import type { Actor } from "./actor.js";
import { type Changes, type Field, labels, type Problem, type Station } from "./form.js";

// "technician" in actor.roles || row.region_id == actor.region_id
const ownRows = (actor: Actor, $: Place, t: string): string =>
  `(${$(actor.roles.includes("technician"))}::boolean OR ${t}.region_id = ${$(actor.region_id)}::bigint)`;

/** The columns of a record in PostgreSQL's text form, by the alias of its row. */
const selected = (
  t: string,
): string => `${t}.code, ${t}.name, ${t}.river_id::text AS river_id, ${t}.region_id::text AS region_id, ${t}.grid_reference,
  ${t}.status::text AS status, ${t}.alert_m::text AS alert_m, ${t}.warning_m::text AS warning_m,
  ${t}.telemetry::text AS telemetry, ${t}.installed_on::text AS installed_on, ${t}.notes,
  ${t}.xmin::text AS version`;

/** The record with this key, if the actor may see it. */
export async function load(pool: Pool, actor: Actor, code: string): Promise<Station | null> {
  const { $, values } = parameters();
  const { rows } = await pool.query<Station>(
    `SELECT ${selected("t")} FROM network.station AS t
     WHERE t.code = ${$(code)}::text AND ${ownRows(actor, $, "t")}`,
    values,
  );
  return rows[0] ?? null;
}

export type Choices = Readonly<Record<"river_id" | "region_id", readonly Option[]>>;

export async function loadChoices(pool: Pool): Promise<Choices> {
  const list = async (text: string): Promise<readonly Option[]> => (await pool.query<Option>(text)).rows;
  const [riverId, regionId] = await Promise.all([
    list(`SELECT c.id::text AS value, c.name AS label FROM network.river AS c ORDER BY c.name, c.id`),
    list(`SELECT c.id::text AS value, c.name AS label FROM network.region AS c ORDER BY c.name, c.id`),
  ]);
  return { river_id: riverId, region_id: regionId };
}

/**
 * Changes these columns of the record as it was loaded, and writes the log's entry, in one statement: both or neither. Triggers are told who does so:
 * one that watches the table knows by it that the change is logged already.
 * A row that the actor could not see any more must not stay: then the statement refuses itself, since only an error takes all of it back.
 *
 * @returns the record as it is stored now, and whether that is another; null where somebody else has changed it meanwhile
 */
export async function update(
  pool: Pool,
  actor: Actor,
  station: Station,
  changes: Changes,
): Promise<{ readonly station: Station; readonly isChanged: boolean } | null> {
  const { $, values } = parameters();
  const request = randomUUID();
  const set = Object.entries(changes).map(([field, value]) => `"${field}" = ${$(value)}`);
  const { rows } = await pool.query<Station & { readonly entry: string | null }>(
    `WITH told AS (
       SELECT set_config('quill.actor', ${$(actor.id)}, true), set_config('quill.page', 'station', true), set_config('quill.request', ${$(request)}, true)
     ), b AS (
       SELECT t.* FROM told, network.station AS t
       WHERE t.code = ${$(station.code)}::text AND t.xmin::text = ${$(station.version)}
       FOR NO KEY UPDATE OF t
     ), a AS (
       UPDATE network.station AS t SET ${set.join(", ")}
       FROM b WHERE t.code = b.code
       RETURNING t.*, t.xmin
     ), changed AS (
       SELECT jsonb_build_object('code', b.code) AS record_key, NULL::jsonb AS new_key, (SELECT jsonb_agg(jsonb_build_object('field', f.field, 'old', f.old, 'new', f.new)) FROM (VALUES
         ('code', b.code, a.code),
         ('name', b.name, a.name),
         ('river_id', b.river_id::text, a.river_id::text),
         ('region_id', b.region_id::text, a.region_id::text),
         ('grid_reference', b.grid_reference, a.grid_reference),
         ('status', b.status::text, a.status::text),
         ('alert_m', b.alert_m::text, a.alert_m::text),
         ('warning_m', b.warning_m::text, a.warning_m::text),
         ('telemetry', b.telemetry::text, a.telemetry::text),
         ('installed_on', b.installed_on::text, a.installed_on::text),
         ('notes', b.notes, a.notes)
       ) AS f(field, old, new) WHERE f.old IS DISTINCT FROM f.new) AS fields
       FROM b, a
     ), entry AS (
       SELECT quill_log.add_change(${$(actor.id)}, ${$(actor.name)}, 'station', 'e54cf4120b16', 'network.station',
         record_key, 'update', fields, ${$(request)}::uuid, NULL, new_key, NULL)::text AS id
       FROM changed WHERE fields IS NOT NULL
     )
     SELECT ${selected("a")}, (SELECT id FROM entry) AS entry,
       CASE WHEN (${ownRows(actor, $, "a")}) IS NOT TRUE THEN concat('leaves its rows: ', a)::integer END AS refused
     FROM a`,
    values,
  );
  const [row] = rows;
  return row ? { station: row, isChanged: row.entry !== null } : null;
}

/** What another record has already: asked where a form comes back anyway, so that all messages come at once. The table itself refuses it. */
export async function takenByOthers(pool: Pool, station: Station, changes: Changes): Promise<readonly Problem[]> {
  const { $, values } = parameters();
  const { rows } = await pool.query<Readonly<Record<string, boolean>>>(
    `SELECT EXISTS (SELECT FROM network.station AS o WHERE o.grid_reference = ${$(changes.grid_reference)}::text AND NOT (o.code = ${$(station.code)}::text)) AS "grid_reference"`,
    values,
  );
  return (["grid_reference"] as const)
    .filter((field) => changes[field] != null && rows[0]?.[field])
    .map((field) => ({ field, message: `${labels[field]} is already used by another record: enter a different one.` }));
}

/** What the table's constraints are about, and what is said where one of them does not hold. */
const constraints: Readonly<Record<string, { readonly fields: readonly Field[]; readonly message: string }>> = {
  station_grid_reference_key: {
    fields: ["grid_reference"],
    message: "Grid reference is already used by another record: enter a different one.",
  },
  station_levels: {
    fields: ["alert_m", "warning_m"],
    message: "The table refuses this (station_levels): CHECK (((warning_m > alert_m) AND (alert_m > (0)::numeric))).",
  },
};

/** A refusal of the database as something wrong with the form; null for what is no fault of it. */
export function refusal(error: unknown, changes: Changes): Problem | null {
  if (!isRefusal(error)) return null;
  if (error.message.includes("leaves its rows:"))
    return {
      field: "region_id",
      message: "With this Region you would lose access to the record, so it was not saved: choose a different value.",
    };
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
