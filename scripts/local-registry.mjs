// A registry on loopback that has just what is installed here, and packed packages of ours: `npm install` resolves ranges, peers
// and programs against it as it would anywhere, without a network.
import { spawn } from "node:child_process";
import { createReadStream, existsSync, readFileSync } from "node:fs";
import { createServer } from "node:http";
import path from "node:path";

const readJson = (file) => JSON.parse(readFileSync(file, "utf8"));

/** What the lock file says is installed below `node_modules`: name, version and place of each. */
function installed(root) {
  const { packages } = readJson(path.join(root, "package-lock.json"));
  return Object.entries(packages).flatMap(([place, each]) =>
    place.includes("node_modules/") && !each.link
      ? [
          {
            ...each,
            name: each.name ?? place.slice(place.lastIndexOf("node_modules/") + 13),
            directory: path.join(root, place),
          },
        ]
      : [],
  );
}

/** A directory as npm packs one: all of it below `package/`, without what is installed in it. */
const packedDirectory = (directory) =>
  spawn("tar", [
    "-cf",
    "-",
    "--use-compress-program=gzip -1",
    "--exclude=./node_modules",
    "--transform=s,^\\.,package,",
    "-C",
    directory,
    ".",
  ]).stdout;

/**
 * Starts it.
 *
 * @param {string} root where `package-lock.json` and `node_modules` are
 * @param {readonly { manifest: object, file: string }[]} packed packages of ours, each with its tarball
 * @returns {Promise<{ address: string, close: () => void }>}
 */
export async function startRegistry(root, packed) {
  /** By name and version: the manifest, and what streams the tarball; null for what another platform would have. */
  const versions = new Map();
  const add = (manifest, tarball) => {
    if (!versions.has(manifest.name)) versions.set(manifest.name, new Map());
    versions.get(manifest.name).set(manifest.version, { manifest, tarball });
  };
  for (const { name, version, directory, os, cpu, libc } of installed(root)) {
    const file = path.join(directory, "package.json");
    if (existsSync(file)) add({ ...readJson(file), name }, () => packedDirectory(directory));
    else add({ name, version, os, cpu, libc }, null);
  }
  for (const { manifest, file } of packed) add(manifest, () => createReadStream(file));
  const server = createServer((request, response) => {
    const address = `http://127.0.0.1:${server.address().port}`;
    const [, name = "", version] =
      /^\/(@[^/]+\/[^/]+|[^/]+)(?:\/-\/(.+)\.tgz)?$/.exec(decodeURIComponent(request.url)) ?? [];
    const found = versions.get(name);
    const tarball = version === undefined ? null : found?.get(version)?.tarball;
    if (!found || (version !== undefined && !tarball)) return void response.writeHead(404).end("{}");
    if (tarball) return void tarball().pipe(response);
    const known = [...found].map(([each, { manifest }]) => [
      each,
      { ...manifest, dist: { tarball: `${address}/${name}/-/${each}.tgz` } },
    ]);
    const latest = known
      .map(([each]) => each)
      .sort((one, other) => one.localeCompare(other, "en", { numeric: true }))
      .at(-1);
    response.setHeader("content-type", "application/json");
    response.end(JSON.stringify({ name, "dist-tags": { latest }, versions: Object.fromEntries(known) }));
  });
  await new Promise((resolve) => server.listen(0, "127.0.0.1", resolve));
  return {
    address: `http://127.0.0.1:${server.address().port}`,
    close: () => {
      server.closeAllConnections();
      server.close();
    },
  };
}
