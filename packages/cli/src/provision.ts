import { logVersion, readLogState } from "@loyal-quill/core";
import { demoVersion, keepers, people, seedVale } from "@loyal-quill/demo";
import { hashPassword, type Store } from "@loyal-quill/server";
import pg from "pg";
import type { Cluster, Say } from "./cluster/cluster.js";
import { installLog } from "./commands/log.js";
import { seal } from "./commands/log-verify.js";
import { watch } from "./commands/log-watch.js";
import { shownUrl } from "./from-environment.js";
import { withDatabase } from "./open-database.js";
import { demoPassword, type Secrets } from "./secrets.js";

/** The databases of the demo and what is needed to reach them. */
export interface Databases {
  readonly pages: string;
  readonly reader: string;
  readonly store: string;
  readonly owner: string;
  /** The archive's, in the same order. */
  readonly archive: { readonly pages: string; readonly reader: string };
}

export const demoDatabase = "marrow_vale";
const unfinished = "marrow_vale_unfinished";
const storeDatabase = "quill_store";
/** The network as it was when the demo was made, without a page: a second database to look at and to begin with. */
export const archiveDatabase = "vale_archive";

async function withClient<T>(url: string, run: (client: pg.Client) => Promise<T>): Promise<T> {
  const client = new pg.Client(url);
  await client.connect();
  try {
    return await run(client);
  } finally {
    await client.end();
  }
}

async function keepRole(client: pg.Client, name: string, password: string): Promise<void> {
  const { rowCount } = await client.query("SELECT FROM pg_roles WHERE rolname = $1", [name]);
  const statement = `${rowCount ? "ALTER" : "CREATE"} ROLE ${name} LOGIN NOSUPERUSER NOCREATEDB NOCREATEROLE PASSWORD ${pg.escapeLiteral(password)}`;
  await client.query(statement);
}

const databaseExists = async (client: pg.Client, name: string): Promise<boolean> =>
  ((await client.query("SELECT FROM pg_database WHERE datname = $1", [name])).rowCount ?? 0) > 0;

/** The version of the demo that a database was made with, from its comment. */
async function versionOf(client: pg.Client, name: string): Promise<string | null> {
  const { rows } = await client.query<{ version: string | null }>(
    "SELECT shobj_description(oid, 'pg_database') AS version FROM pg_database WHERE datname = $1",
    [name],
  );
  return rows[0]?.version ?? null;
}

async function makeDemo(
  client: pg.Client,
  { cluster, secrets }: { readonly cluster: Cluster; readonly secrets: Secrets },
  now: Date,
  say: Say,
): Promise<void> {
  if (await databaseExists(client, unfinished)) {
    say("An earlier start was interrupted while it made the demo: the half-made database is removed.");
    await client.query(`DROP DATABASE ${unfinished} WITH (FORCE)`);
  }
  if (await databaseExists(client, demoDatabase)) {
    const version = await versionOf(client, demoDatabase);
    if (version === demoVersion) return;
    const aside = `marrow_vale_before_${Date.now()}`;
    say(
      `The demo data are of an earlier version (${version ?? "the first"}): they are put aside as database ${aside}.`,
    );
    await client.query(`ALTER DATABASE ${demoDatabase} RENAME TO ${aside}`);
  }
  say("Making the demo data of Marrow Vale …");
  await client.query(`CREATE DATABASE ${unfinished} OWNER vale_owner`);
  await openTo(client, unfinished);
  const made = await withClient(cluster.url("vale_owner", secrets.owner, unfinished), (owner) => seedVale(owner, now));
  await keepTrue(cluster.url("vale_owner", secrets.owner, unfinished));
  await client.query(`COMMENT ON DATABASE ${unfinished} IS ${pg.escapeLiteral(demoVersion)}`);
  await client.query(`ALTER DATABASE ${unfinished} RENAME TO ${demoDatabase}`);
  say(`  ${made.rows} rows and ${made.changes} changes of the last six months.`);
}

/** The demo's log is sealed, and two of its tables are watched: one of them was changed by a job since. */
async function keepTrue(database: string): Promise<void> {
  const silent = (): void => {};
  for (const table of ["network.region", "office.person"])
    await watch({ database, table, key: [], hidden: [], baseline: true }, silent);
  await withClient(`${database}?application_name=number-plan`, (owner) =>
    owner.query(
      "UPDATE network.region SET duty_telephone = replace(duty_telephone, '01632 960', '01632 961') WHERE id = 4",
    ),
  );
  await seal({ database, privateKey: undefined, to: [], secret: undefined }, silent);
}

/** Who may connect to a database of the demo. */
async function openTo(client: pg.Client, database: string): Promise<void> {
  await client.query(`REVOKE ALL ON DATABASE ${database} FROM PUBLIC`);
  await client.query(`GRANT CONNECT ON DATABASE ${database} TO quill_pages, quill_reader`);
}

async function makeArchive(client: pg.Client): Promise<void> {
  if (await databaseExists(client, archiveDatabase)) return;
  await client.query(`CREATE DATABASE ${archiveDatabase} OWNER vale_owner TEMPLATE ${demoDatabase}`);
  await openTo(client, archiveDatabase);
}

/** Brings the change log of data of an earlier run up to date. */
export async function upgradeLog(database: string, now: Date, say: Say): Promise<void> {
  const { version } = await withDatabase(database, readLogState);
  if (version === logVersion) return;
  await installLog({ database, roles: [], now }, () => {});
  say(`The change log of ${shownUrl(database)} was upgraded from version ${version} to version ${logVersion}.`);
}

/**
 * Makes roles, databases and demo data where they are missing.
 *
 * @param fresh drop what is there first
 */
export async function provision(
  cluster: Cluster,
  secrets: Secrets,
  options: { fresh: boolean; now: Date },
  say: Say,
): Promise<Databases> {
  await withClient(cluster.url("postgres", secrets.postgres, "postgres"), async (client) => {
    if (options.fresh) {
      say("Removing the demo data and the store of earlier runs …");
      for (const name of [demoDatabase, archiveDatabase, unfinished, storeDatabase])
        await client.query(`DROP DATABASE IF EXISTS ${name} WITH (FORCE)`);
    }
    await keepRole(client, "vale_owner", secrets.owner);
    await keepRole(client, "quill_pages", secrets.pages);
    await keepRole(client, "quill_reader", secrets.reader);
    await keepRole(client, "quill_store", secrets.store);
    if (!(await databaseExists(client, storeDatabase))) {
      await client.query(`CREATE DATABASE ${storeDatabase} OWNER quill_store`);
      await client.query(`REVOKE ALL ON DATABASE ${storeDatabase} FROM PUBLIC`);
    }
    await makeDemo(client, { cluster, secrets }, options.now, say);
    await makeArchive(client);
  });
  for (const name of [demoDatabase, archiveDatabase])
    await upgradeLog(cluster.url("vale_owner", secrets.owner, name), options.now, say);
  return {
    pages: cluster.url("quill_pages", secrets.pages, demoDatabase),
    reader: cluster.url("quill_reader", secrets.reader, demoDatabase),
    store: cluster.url("quill_store", secrets.store, storeDatabase),
    owner: cluster.url("vale_owner", secrets.owner, demoDatabase),
    archive: {
      pages: cluster.url("quill_pages", secrets.pages, archiveDatabase),
      reader: cluster.url("quill_reader", secrets.reader, archiveDatabase),
    },
  };
}

/** One line of the list of demo accounts. */
export interface DemoAccount {
  readonly email: string;
  readonly password: string;
  readonly what: string;
}

const told: Readonly<Record<string, string>> = {
  builder: "makes pages, in the workbench, of tables that have none yet, too; an auditor as well",
  administrator: "looks after accounts, in the workbench",
  auditor: "reads changes and the trail, in the workbench",
  hydrologist: "edits the stations of the Middle Vale",
  technician: "edits all stations and sensors; an auditor as well, so changes can be put back",
  "duty-officer": "reads everything, edits bulletins only",
};

/** Whoever makes pages, and whoever may edit most of them, sees the log as well. */
const further: Readonly<Record<string, readonly string[]>> = {
  builder: ["steward", "auditor"],
  technician: ["auditor"],
};

/** Makes the demo's accounts where they are missing, and answers all of them with their passwords. */
export async function provisionAccounts(store: Store, secrets: Secrets): Promise<DemoAccount[]> {
  const wanted = [...people, ...keepers].filter((person) => person.account);
  await Promise.all(
    wanted.map(async (person) => {
      if (await store.accounts.one(person.id)) return;
      await store.accounts.keep({
        id: person.id,
        email: person.email,
        name: person.name,
        passwordHash: await hashPassword(demoPassword(secrets, person.email)),
        // One person may have several of the roles of the application itself.
        roles: [person.role, ...(further[person.role] ?? [])],
        attributes: { region_id: person.regionId, team: person.team },
        active: person.active,
      });
    }),
  );
  return wanted.map((person) => ({
    email: person.email,
    password: demoPassword(secrets, person.email),
    what: person.active ? `${person.role}: ${told[person.role] ?? ""}` : `${person.role}, switched off`,
  }));
}
