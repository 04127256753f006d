import { logGrants, logSchema, monthPartition } from "@loyal-quill/core";
import pg from "pg";
import type { Say } from "../cluster/cluster.js";
import { CannotStart } from "../listen.js";
import { shownUrl } from "../open-database.js";

/** Partitions are made for this many months ahead; later entries go to the default partition. */
const monthsAhead = 24;

export interface LogInstallOptions {
  /** As an owner: somebody who may create a schema. */
  readonly database: string;
  /** The roles that serve pages. */
  readonly roles: readonly string[];
  readonly now: Date;
}

/**
 * `quill log install`: makes the change log in a database, or what is missing of it. One transaction; what is there is left as it is.
 */
export async function installLog({ database, roles, now }: LogInstallOptions, say: Say): Promise<void> {
  const client = new pg.Client(database);
  try {
    await client.connect();
  } catch (error) {
    throw new CannotStart(
      `${shownUrl(database)} can't be reached: ${error instanceof Error ? error.message : String(error)}`,
    );
  }
  try {
    await client.query("BEGIN");
    await client.query("SET LOCAL timezone TO 'UTC'; SET LOCAL client_min_messages TO warning");
    await client.query(logSchema);
    for (let month = 0; month < monthsAhead; month++) {
      const date = new Date(Date.UTC(now.getUTCFullYear(), now.getUTCMonth() + month, 1));
      await client.query(monthPartition(date.getUTCFullYear(), date.getUTCMonth() + 1).text);
    }
    for (const grant of roles.flatMap(logGrants)) await client.query(grant);
    await client.query("COMMIT");
  } catch (error) {
    await client.query("ROLLBACK");
    if (error instanceof pg.DatabaseError)
      throw new CannotStart(
        `Nothing was made: ${error.message}. Install the log as the database's owner, for a role that exists.`,
      );
    throw error;
  } finally {
    await client.end();
  }
  say(`The change log is in schema quill_log of ${shownUrl(database)}.`);
  for (const role of roles) say(`${role} may add to it and read it.`);
}
