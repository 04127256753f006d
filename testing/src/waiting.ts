import type { Client } from "pg";

/** How many statements of a client's database wait for a lock that somebody holds. */
export async function waitingForLocks(client: Pick<Client, "query">): Promise<number> {
  const { rows } = await client.query<{ count: string }>(
    "SELECT count(*) FROM pg_stat_activity WHERE wait_event_type = 'Lock' AND datname = current_database()",
  );
  return Number(rows[0]?.count);
}
