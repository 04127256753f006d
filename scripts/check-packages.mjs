// Packs each package as npm would publish it and imports it from an empty directory, beside nothing but what it says that it depends
// on: a file that is not packed, or a dependency that is not named, is found here and not by whoever mounts the pages.
import { execFileSync } from "node:child_process";
import { existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, symlinkSync } from "node:fs";
import os from "node:os";
import path from "node:path";
import process from "node:process";

const root = path.dirname(import.meta.dirname);
const directories = ["core", "authoring", "runtime", "server", "workbench", "cli"]
  .map((name) => `packages/${name}`)
  .concat("demo");
const empty = mkdtempSync(path.join(os.tmpdir(), "loyal-quill-packed-"));
const modules = path.join(empty, "node_modules");
const run = (program, args, directory) =>
  execFileSync(program, args, { cwd: directory, encoding: "utf8", stdio: ["ignore", "pipe", "pipe"] });

/** Puts a dependency of a package where it is found from the empty directory. */
function link(directory, dependency) {
  const from = [`${directory}/node_modules`, "node_modules"]
    .map((each) => path.join(root, each, dependency))
    .find((each) => existsSync(each));
  const to = path.join(modules, dependency);
  if (!from) throw new Error(`${dependency}, which ${directory} depends on, is not installed.`);
  mkdirSync(path.dirname(to), { recursive: true });
  if (!existsSync(to)) symlinkSync(from, to);
}

try {
  const manifests = directories.map((directory) => [
    directory,
    JSON.parse(readFileSync(path.join(root, directory, "package.json"), "utf8")),
  ]);
  for (const [directory, manifest] of manifests) {
    const [{ filename, files }] = JSON.parse(
      run("npm", ["pack", "--json", "--pack-destination", empty], path.join(root, directory)),
    );
    const tests = files.filter(({ path: file }) => /\.test\.|(^|\/)src\//.test(file));
    if (tests.length > 0) throw new Error(`${directory} packs what nobody imports: ${tests[0].path}`);
    const to = path.join(modules, manifest.name);
    mkdirSync(to, { recursive: true });
    run("tar", ["-xzf", path.join(empty, filename), "--strip-components=1", "-C", to], empty);
  }
  for (const [directory, manifest] of manifests) {
    for (const dependency of Object.keys({ ...manifest.dependencies, ...manifest.peerDependencies }))
      if (!dependency.startsWith("@loyal-quill/")) link(directory, dependency);
  }
  for (const [, manifest] of manifests) {
    const entries = Object.keys(manifest.exports ?? {}).filter((entry) => !entry.includes("*"));
    for (const entry of entries) {
      const what = path.posix.join(manifest.name, entry);
      const code = `const all = await import(${JSON.stringify(what)}); console.log(Object.keys(all).length)`;
      const count = run(process.execPath, ["--input-type=module", "-e", code], empty).trim();
      process.stdout.write(`${what}: ${count} exports\n`);
    }
    for (const program of Object.values(manifest.bin ?? {})) {
      run(process.execPath, [path.join(modules, manifest.name, program), "--help"], empty);
      process.stdout.write(`${manifest.name} ${program}: runs\n`);
    }
  }
  if (!existsSync(path.join(modules, "@loyal-quill/workbench/dist/index.html")))
    throw new Error("The workbench is packed without its index.html.");
} catch (error) {
  process.stderr.write(`${error.stderr || error.message}\n`);
  process.exitCode = 1;
} finally {
  rmSync(empty, { recursive: true, force: true });
}
