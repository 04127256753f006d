import {
  logGrants,
  logReadGrants,
  logSchema,
  logVersion,
  monthPartition,
  monthsFrom,
  readLogState,
  upgradesFrom,
} from "@loyal-quill/core";
import type pg from "pg";
import type { Say } from "../cluster/cluster.js";
import { shownUrl } from "../from-environment.js";
import { CannotStart } from "../listen.js";
import { inTransaction } from "../log-client.js";

/** Partitions are made for this many months ahead; later entries go to the default partition. */
const monthsAhead = 24;

interface LogInstallOptions {
  /** As an owner: somebody who may create a schema. */
  readonly database: string;
  /** The roles that serve pages. */
  readonly roles: readonly string[];
  /** The roles that read the log and verify it. */
  readonly readers?: readonly string[];
  readonly now: Date;
}

/** Makes the log, or brings one of an earlier version up to date. @returns the version that was found; 0 for none */
async function makeOrUpgrade(client: pg.ClientBase): Promise<number> {
  await client.query("SELECT pg_advisory_xact_lock(hashtext('loyal-quill log'))");
  const state = await readLogState({ run: async ({ text }) => (await client.query(text)).rows });
  if (state.version > logVersion)
    throw new CannotStart(
      `The change log is of version ${state.version}, newer than this program knows (${logVersion}): update Loyal Quill.`,
    );
  for (const statement of state.there ? upgradesFrom(state.version) : [logSchema]) await client.query(statement);
  return state.version;
}

/**
 * `quill log install`: makes the change log in a database, or upgrades one of any earlier version. One transaction; entries stay as they
 * are, those in the default partition move to their month's.
 */
export async function installLog({ database, roles, readers = [], now }: LogInstallOptions, say: Say): Promise<void> {
  const found = await inTransaction(
    database,
    async (client) => {
      const version = await makeOrUpgrade(client);
      for (const { year, month } of monthsFrom(now, monthsAhead)) await client.query(monthPartition(year, month).text);
      for (const grant of [...roles.flatMap(logGrants), ...readers.flatMap(logReadGrants)]) await client.query(grant);
      return version;
    },
    (said) => `Nothing was made: ${said}. Install the log as the database's owner, for a role that exists.`,
  );
  say(`The change log is in schema quill_log of ${shownUrl(database)}.`);
  if (found > 0 && found < logVersion) say(`It was upgraded from version ${found} to version ${logVersion}.`);
  for (const role of roles) say(`${role} may add to it and read it.`);
  for (const role of readers) say(`${role} may read it and verify it.`);
}
