import type { DatabaseError, Pool } from "pg";

/** Takes a value as a parameter of a statement, and answers its place: $1, $2, … */
export type Place = (value: unknown) => string;

export function parameters(): { readonly $: Place; readonly values: unknown[] } {
  const values: unknown[] = [];
  return { values, $: (value) => `$${values.push(value)}` };
}

/** @throws where the pool's sessions may print values in another way than the page and the log go by */
export function needSettings(pool: Pool, ...settings: readonly string[]): void {
  const given = (pool.options.options ?? "").toLowerCase();
  const missing = settings
    .filter((setting) => !given.includes(setting.toLowerCase()))
    .map((setting) => `-c ${setting}`);
  if (missing.length > 0)
    throw new Error(
      `The page and the log compare values as text, so every session must print them alike: add "${missing.join(" ")}" to the options of the pool.`,
    );
}

/** Whether an error is the database's state, not something about what was sent (PostgreSQL documentation, appendix A; Node's own codes). */
export const isAway = (error: unknown): boolean =>
  error instanceof Error &&
  (/^(08|25|40|53|55|57|58|XX|E[A-Z]+$)/.test("code" in error ? String(error.code) : "") ||
    /^Connection terminated|timeout exceeded/.test(error.message));

/** Whether PostgreSQL has refused a statement, whichever copy of pg says so. */
export const isRefusal = (error: unknown): error is DatabaseError =>
  error instanceof Error && "severity" in error && "code" in error;

/** Whether the key in the address is no value of its column. What a form says is held against its fields before. */
export const isNoKey = (error: unknown): boolean =>
  error instanceof Error && /^22(021|P02|P05)$/.test("code" in error ? String(error.code) : "");

/** Who changed a field of a record last, and when, by the log. */
export async function lastChange(
  pool: Pool,
  record: { table: string; key: Readonly<Record<string, string>>; field: string; timeZone: string },
): Promise<{ readonly by: string; readonly at: string } | null> {
  const { rows } = await pool.query<{ by: string; at: string }>(
    `SELECT actor_name AS by, to_char(at AT TIME ZONE $4, 'YYYY-MM-DD HH24:MI:SS') || CASE $4 WHEN 'UTC' THEN ' UTC' ELSE ' (' || $4 || ')' END AS at
     FROM quill_log.change
     WHERE table_name = $1 AND record_key = $2::jsonb AND fields @> jsonb_build_array(jsonb_build_object('field', $3::text))
     ORDER BY id DESC LIMIT 1`,
    [record.table, record.key, record.field, record.timeZone],
  );
  return rows[0] ?? null;
}
