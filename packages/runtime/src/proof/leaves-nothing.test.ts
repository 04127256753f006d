import { afterAll, beforeAll, expect, test } from "@jest/globals";
import { type Pooler, startPooler, testCluster } from "@loyal-quill/testing";
import { connect, databaseOver } from "../index.js";
import { rehearsed } from "../testing/rehearsed.js";
import { makeTrips, type Trips, tamsin } from "../testing/trips.js";

/** What a rehearsal leaves on the connections that others get after it. */

const page = `format: loyal-quill/page@1
title: "Lock {id}"
path: /locks/{id}
record: { table: proof.lock, key: id }
access: { new: true, delete: true }
fields: [name]
`;

let trips: Trips;
let pooler: Pooler;
beforeAll(async () => {
  trips = await makeTrips({
    sql: [
      "CREATE SCHEMA proof",
      "CREATE TABLE proof.lock (id integer PRIMARY KEY, name text NOT NULL)",
      "INSERT INTO proof.lock VALUES (1, 'one'), (2, 'two'), (3, 'three')",
      "CREATE FUNCTION proof.take() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN PERFORM pg_advisory_lock(4711), pg_advisory_lock_shared(4712); RETURN coalesce(NEW, OLD); END $$",
      "CREATE TRIGGER take BEFORE INSERT OR UPDATE OR DELETE ON proof.lock FOR EACH ROW EXECUTE FUNCTION proof.take()",
      "GRANT USAGE ON SCHEMA proof TO quill_pages",
      "GRANT SELECT, INSERT, UPDATE, DELETE ON proof.lock TO quill_pages",
    ],
    files: { lock: page },
  });
  const { port, passwords } = testCluster();
  pooler = await startPooler(port, { quill_pages: passwords.pages }, 3);
});
afterAll(async () => {
  await pooler.stop();
  await trips.close();
});

test.each(["directly", "through a pooler"])(
  "locks of the session that a trigger takes are given back: %s",
  async (how) => {
    const url = new URL(trips.pool.options.connectionString ?? "");
    if (how !== "directly") url.port = String(pooler.port);
    const pool = connect(url.href, 3);
    const found = await rehearsed(trips, "lock", { people: [tamsin], database: databaseOver(pool) });
    expect(found.cases.filter(({ verdict }) => verdict === "as expected").length).toBeGreaterThan(50);
    expect(
      await trips.one(
        "SELECT count(*)::integer AS held FROM pg_locks WHERE locktype = 'advisory' AND objid IN (4711, 4712) AND database = (SELECT oid FROM pg_database WHERE datname = current_database())",
      ),
    ).toEqual({ held: 0 });
    await pool.end();
  },
);
