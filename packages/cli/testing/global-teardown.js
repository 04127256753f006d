// After the database tests: the cluster is stopped and removed.
import { rm } from "node:fs/promises";

export default async function tearDown() {
  const { cluster, pooler, directory, release } = globalThis.quillTestCluster;
  await pooler?.stop();
  await cluster.stop();
  release();
  await rm(directory, { recursive: true, force: true });
}
