// Before the database tests: one PostgreSQL cluster on loopback, with Marrow Vale in it as a template for every test file.
import { chmod, mkdtemp } from "node:fs/promises";
import os from "node:os";
import path from "node:path";
import { provision, secretsOf, startCluster } from "../dist/index.js";

export default async function setUp() {
  const directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-test-"));
  await chmod(directory, 0o711);
  const secrets = await secretsOf(directory);
  const silent = () => {};
  const cluster = await startCluster(path.join(directory, "postgres"), secrets.postgres, silent);
  globalThis.quillTestCluster = { cluster, directory };
  await provision(cluster, secrets, { fresh: false, now: new Date("2026-09-01T12:00:00Z") }, silent);
  process.env.QUILL_TEST_CLUSTER = JSON.stringify({ port: cluster.port, passwords: secrets });
}
