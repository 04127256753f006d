import { connect, setLocally } from "@loyal-quill/runtime";
import pg from "pg";
import { shownUrl } from "./from-environment.js";
import { CannotStart } from "./listen.js";

/** Runs something on a connection of its own. @throws CannotStart where it can't be reached */
export async function onConnection<Result>(
  url: string,
  run: (client: pg.PoolClient) => Promise<Result>,
): Promise<Result> {
  const pool = connect(url, 1);
  try {
    const client = await pool.connect().catch((error: unknown) => {
      throw new CannotStart(
        `${shownUrl(url)} can't be reached: ${error instanceof Error ? error.message : String(error)}`,
      );
    });
    try {
      return await run(client);
    } finally {
      client.release(true);
    }
  } finally {
    await pool.end();
  }
}

/**
 * Runs something as one transaction, with the pages' text forms and as long as it takes: all of it, or nothing.
 *
 * @param refused what is told where PostgreSQL refuses something
 */
export const inTransaction = <Result>(
  url: string,
  run: (client: pg.PoolClient) => Promise<Result>,
  refused: (said: string) => string,
): Promise<Result> =>
  onConnection(url, async (client) => {
    try {
      await client.query(`BEGIN; ${setLocally}`);
      const result = await run(client);
      await client.query("COMMIT");
      return result;
    } catch (error) {
      await client.query("ROLLBACK");
      if (error instanceof pg.DatabaseError) throw new CannotStart(refused(error.message));
      throw error;
    }
  });
