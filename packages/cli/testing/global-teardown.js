// After the database tests: the cluster is stopped and removed.
export default async function tearDown() {
  const { cluster, pooler, remove } = globalThis.quillTestCluster;
  await pooler?.stop();
  await cluster.stop();
  await remove();
}
