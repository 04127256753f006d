import type pg from "pg";

/** Notes of readings in the large set. */
export const largeSet = 5_000_000;

/** So many are made at a time. */
export const notesAtATime = 100_000;

/** How many notes there are. */
export async function countNotes(client: pg.Client): Promise<number> {
  const { rows } = await client.query<{ count: string }>("SELECT count(*) FROM field.reading_note");
  return Number(rows[0]?.count);
}

/**
 * Adds notes of readings, of which every one is the same each time by its number.
 *
 * @param from the number of the first one, counted from one
 * @param to the number of the last one
 */
export const addNotes = (client: pg.Client, from: number, to: number): Promise<unknown> =>
  client.query(
    `INSERT INTO field.reading_note (station_code, noted_at, level_m, note)
     SELECT s.code, timestamptz '1998-01-01' + n * interval '3 minutes', (n % 4000)::numeric / 1000,
       (ARRAY['Float stuck', 'Weed at the gauge', 'Ice on the staff', 'Clock put right'])[1 + n % 4]
         || CASE WHEN n % 500 = 7 THEN ', heron on the weir' ELSE '' END || ', entry ' || n
     FROM generate_series($1::integer, $2::integer) AS n
     JOIN (SELECT code, row_number() OVER (ORDER BY code) - 1 AS number, count(*) OVER () AS all FROM network.station) AS s
       ON s.number = n % s.all`,
    [from, to],
  );
