import { afterAll, beforeAll, expect, test } from "@jest/globals";
import { freshDatabase, type TestDatabase } from "@loyal-quill/testing";
import pg from "pg";
import { migrationsList } from "./migrations.js";
import { Store } from "./store.js";

/** A store of an earlier version is brought up to date with all that is in it. */

let made: TestDatabase;
let client: pg.Client;
beforeAll(async () => {
  made = await freshDatabase();
  client = new pg.Client(made.store);
  await client.connect();
});
afterAll(async () => {
  await client.end();
  await made.drop();
});

/** Makes the store as it was after a migration, as its migrator would have. */
async function as(last: string): Promise<void> {
  await client.query(
    "CREATE TABLE migration (id serial PRIMARY KEY, name varchar(255), executed_at timestamptz DEFAULT now())",
  );
  for (const { name, class: Migration } of migrationsList) {
    const migration = new Migration(undefined as never, undefined as never);
    migration.up();
    for (const query of migration.getQueries()) await client.query(String(query));
    await client.query("INSERT INTO migration (name) VALUES ($1)", [name]);
    if (name === last) return;
  }
}

test("before roles were apart: builders lose nothing that nobody else may do, and sign in anew", async () => {
  await as("2026-11-tokens");
  const [ines, tamsin] = ["5e0c7a10-4b1d-4c55-9d0e-000000000001", "5e0c7a10-4b1d-4c55-9d0e-000000000003"];
  const account =
    "INSERT INTO account (id, email, name, password_hash, roles, attributes, active) VALUES ($1, $2, $2, 'hash', $3, '{}', true)";
  await client.query(account, [ines, "ines@marrow-vale.example", '["builder", "technician"]']);
  await client.query(account, [tamsin, "tamsin@marrow-vale.example", '["technician"]']);
  await client.query(
    "INSERT INTO session VALUES ('x', '{\"accountId\": \"5e0c7a10-4b1d-4c55-9d0e-000000000001\"}', now() + interval '1 day')",
  );
  await client.query(
    "INSERT INTO draft (database, page, text, revision, at, by_name) VALUES ('', 'station', 'text', 1, now(), 'Ines')",
  );
  const store = await Store.open(made.store, made.reader);
  try {
    expect((await store.accounts.one(ines))?.roles).toEqual([
      "builder",
      "technician",
      "administrator",
      "auditor",
      "steward",
    ]);
    expect(await store.accounts.one(tamsin)).toMatchObject({
      roles: ["technician"],
      passwordHash: "hash",
      sessionEpoch: 0,
      mustChangePassword: false,
      totpSecret: null,
    });
    expect(await store.drafts.one("station")).toMatchObject({ byName: "Ines", byId: null });
    expect((await client.query("SELECT FROM session")).rowCount).toBe(0);
  } finally {
    await store.close();
  }
});
