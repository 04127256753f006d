import { chmod, mkdtemp } from "node:fs/promises";
import os from "node:os";
import path from "node:path";
import { endsWithUs } from "@loyal-quill/testing";
import { provision, secretsOf, startCluster } from "loyal-quill";
import pg from "pg";

/** A PostgreSQL of the benchmark's own with Marrow Vale in it and more stations. */
export interface Ground {
  readonly owner: string;
  readonly pages: string;
  readonly reader: string;
  readonly store: string;
  /** Of the role `postgres`: a standby copies the cluster by it. */
  readonly passwordOfPostgres: string;
  readonly codes: readonly string[];
  readonly drop: () => Promise<void>;
}

/** Stations that are opened and saved: enough that no two requests at once meet at one. */
const stations = 480;

export async function makeGround(): Promise<Ground> {
  const directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-bench-"));
  await chmod(directory, 0o711);
  const remove = endsWithUs(directory);
  const secrets = await secretsOf(directory);
  const silent = (): void => {};
  const cluster = await startCluster(path.join(directory, "postgres"), secrets.postgres, silent);
  const databases = await provision(cluster, secrets, { fresh: false, now: new Date() }, silent);
  const client = new pg.Client(databases.owner);
  await client.connect();
  await client.query(
    `INSERT INTO network.station (code, name, river_id, region_id, grid_reference, status, alert_m, warning_m, telemetry, installed_on, notes)
     SELECT 'MV-' || n, 'Bench ' || n, 1 + n % 12, 1 + n % 4, 'B ' || n, 'live', 1.20, 2.40, n % 2 = 0, '2001-02-03', 'Nothing of note.'
     FROM generate_series(100, ${99 + stations}) AS n`,
  );
  // The page by hand has a log of its own, as such pages have: one table, with what its history is read by.
  await client.query(
    `CREATE TABLE office.change_by_hand (id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY, at timestamptz NOT NULL DEFAULT clock_timestamp(),
       actor_id text NOT NULL, actor_name text NOT NULL, page text NOT NULL, table_name text NOT NULL, record_key jsonb NOT NULL, fields jsonb NOT NULL,
       request_id uuid NOT NULL);
     CREATE INDEX ON office.change_by_hand (table_name, record_key, id DESC);
     CREATE INDEX ON office.change_by_hand (actor_id, id DESC);
     GRANT INSERT ON office.change_by_hand TO quill_pages;`,
  );
  await client.query("ANALYZE");
  await client.end();
  return {
    owner: databases.owner,
    pages: databases.pages,
    reader: databases.reader,
    store: databases.store,
    passwordOfPostgres: secrets.postgres,
    codes: Array.from({ length: stations }, (_, index) => `MV-${100 + index}`),
    drop: async () => {
      await cluster.stop();
      await remove();
    },
  };
}
