import { mkdtemp, rm, writeFile } from "node:fs/promises";
import os from "node:os";
import path from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import type { RecordedRequest } from "@loyal-quill/core";
import { Client, freshDatabase, type TestDatabase, until } from "@loyal-quill/testing";
import pg from "pg";
import { Faults } from "./faults.js";
import { createPages, type Pages } from "./index.js";
import { serve } from "./testing/served.js";

const failed = (stopped: string): RecordedRequest =>
  ({ page: "river", operation: "edit", status: 503, steps: [{ step: "load", stopped }] }) as unknown as RecordedRequest;

test("what fails for one reason is told at once, and once a minute with how often; another reason at once", () => {
  const heard: string[] = [];
  let now = 0;
  const faults = new Faults(
    (error) => heard.push((error as Error).message),
    () => now,
  );
  for (const [at, reason] of [
    [0, "the disk is full"],
    [10, "the disk is full"],
    [59_999, "the disk is full"],
    [59_999, "it is away"],
    [60_000, "the disk is full"],
    [130_000, "the disk is full"],
  ] as const) {
    now = at;
    faults.tell(failed(reason));
  }
  expect(heard).toEqual([
    "The page river answered 503 (edit): the disk is full",
    "The page river answered 503 (edit): it is away",
    "The page river answered 503 (edit): the disk is full (and 2 more requests since this was told last)",
    "The page river answered 503 (edit): the disk is full",
  ]);
});

describe("whoever runs an application", () => {
  let made: TestDatabase;
  let owner: pg.Client;
  let directory: string;
  beforeAll(async () => {
    made = await freshDatabase();
    owner = new pg.Client(made.owner);
    await owner.connect();
    directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-faults-"));
    const page = (name: string, table: string) =>
      writeFile(
        path.join(directory, `${name}.page.yaml`),
        `format: loyal-quill/page@1\ntitle: "{id}"\npath: /${name}/{id}\nrecord: { table: ${table}, key: id }\nfields: [name]\naccess: { open: "true" }\n`,
      );
    await Promise.all([page("rivers", "network.river"), page("broken", "network.nothing")]);
  });
  afterAll(async () => {
    await rm(directory, { recursive: true });
    await owner.end();
    await made.drop();
  });

  test("hears why requests are answered 503, and not of what is told elsewhere or of who went away", async () => {
    const heard: string[] = [];
    const pool = new pg.Pool({ connectionString: made.pages, options: "-c lock_timeout=1000" });
    const pages: Pages = await createPages({
      database: pool,
      pages: directory,
      signingKey: "a key for tests, thirty-two bytes long",
      actor: () => ({ id: "1", name: "Tamsin Okoro", roles: [] }),
      session: () => "s",
      onError: (error) => heard.push((error as Error).message),
      onProblem: () => {},
    });
    const served = await serve(pages);
    const client = new Client(served.origin);
    try {
      expect((await client.get("/broken/1/edit")).status).toBe(503);
      expect(heard).toEqual([]);
      await owner.query("BEGIN");
      await owner.query("LOCK TABLE network.river IN ACCESS EXCLUSIVE MODE");
      const leaving = new AbortController();
      const left = fetch(`${served.origin}/rivers/3/edit`, { signal: leaving.signal }).catch(() => "left");
      const waits = "SELECT FROM pg_locks WHERE NOT granted AND relation = 'network.river'::regclass";
      await until(async () => (await owner.query(waits)).rowCount === 1);
      leaving.abort();
      expect(await left).toBe("left");
      await until(async () => (await owner.query(waits)).rowCount === 0);
      expect(heard).toEqual([]);
      for (let times = 0; times < 2; times++) expect((await client.get("/rivers/3/edit")).status).toBe(503);
      expect(heard).toEqual(["The page rivers answered 503 (open): 55P03 canceling statement due to lock timeout"]);
      await owner.query("ROLLBACK");
      expect((await client.get("/rivers/3/edit")).status).toBe(200);
    } finally {
      await served.stop();
      await pool.end();
    }
    expect(heard).toHaveLength(1);
  });
});
