// Before the database tests: one PostgreSQL cluster on loopback, with Marrow Vale in it as a template for every test file. With
// QUILL_TEST_POOLER=1 there is a pooler in transaction mode before it, through which pages, reader and store come in.
import { chmod, mkdtemp } from "node:fs/promises";
import os from "node:os";
import path from "node:path";
import { endsWithUs, startPooler } from "@loyal-quill/testing";
import { provision, secretsOf, startCluster } from "../dist/index.js";

export default async function setUp() {
  const directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-test-"));
  await chmod(directory, 0o711);
  const remove = endsWithUs(directory);
  const secrets = await secretsOf(directory);
  const silent = () => {};
  const cluster = await startCluster(path.join(directory, "postgres"), secrets.postgres, silent, { durable: false });
  await provision(cluster, secrets, { fresh: false, now: new Date("2026-09-01T12:00:00Z") }, silent);
  const roles = {
    postgres: secrets.postgres,
    vale_owner: secrets.owner,
    quill_pages: secrets.pages,
    quill_reader: secrets.reader,
    quill_store: secrets.store,
  };
  const pooler = process.env.QUILL_TEST_POOLER === "1" ? await startPooler(cluster.port, roles) : undefined;
  globalThis.quillTestCluster = { cluster, pooler, remove };
  const entrance = pooler?.port ?? cluster.port;
  process.env.QUILL_TEST_CLUSTER = JSON.stringify({ port: cluster.port, entrance, passwords: secrets });
}
