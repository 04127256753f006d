// Arrows go one way (docs/architecture.md): between packages, between core's folders, and never in a circle of files. The rules stand in
// `.dependency-cruiser.mjs`. The workbench's components are looked at here: dependency-cruiser can't read their JSX through swc.
import { spawnSync } from "node:child_process";
import { readdirSync, readFileSync } from "node:fs";
import path from "node:path";
import process from "node:process";

const root = path.dirname(import.meta.dirname);
const places = ["core", "authoring", "runtime", "server", "cli"].map((name) => `packages/${name}/src`);

const cruised = spawnSync(
  process.execPath,
  [
    "node_modules/dependency-cruiser/bin/dependency-cruise.mjs",
    "--config",
    ".dependency-cruiser.mjs",
    ...places,
    "demo/src",
    "testing/src",
    "bench/src",
    "faults/src",
  ],
  { cwd: root, stdio: ["ignore", "inherit", "inherit"] },
);

const workbench = path.join(root, "packages/workbench/src");
const files = readdirSync(workbench, { recursive: true, withFileTypes: true })
  .filter((entry) => entry.isFile() && /(?<!\.test)\.tsx?$/.test(entry.name))
  .map((entry) => path.join(entry.parentPath, entry.name));
const imports = [
  /^\s*(?:import|export)\b(?<typeOnly>\s+type\b)?[^"';]*?from\s+["'](?<module>[^"']+)["']/gm,
  // What is loaded later, or for its effects alone, is imported all the same.
  /\bimport\(\s*["'](?<module>[^"']+)["']\s*\)/g,
  /^\s*import\s+["'](?<module>[^"']+)["']/gm,
];
const allowed = ["@loyal-quill/core", "@loyal-quill/authoring", "@loyal-quill/server/api"];

/** Why the workbench may not import something, or undefined. */
function against(module, typeOnly) {
  if (module.startsWith("node:")) return "no input or output of Node's in a browser";
  if (["express", "pg"].includes(module)) return "the workbench knows nothing of it";
  if (!module.startsWith("@loyal-quill/")) return undefined;
  if (!allowed.includes(module)) return `of ours it may import only ${allowed.join(", ")}`;
  return module === "@loyal-quill/server/api" && !typeOnly ? "only types are taken from the API" : undefined;
}

/** The Sheet's folders: each may import those before it; what puts them together stands beside them. */
const sheet = ["draft", "record", "editing", "editors", "columns", "panes"];
/** A file's place in that order, the last where it stands beside the folders; undefined elsewhere. */
function placeInSheet(file) {
  const [first, ...rest] = path.relative(path.join(workbench, "sheet"), file).split(path.sep);
  if (first === "..") return undefined;
  return rest.length === 0 ? sheet.length : sheet.indexOf(first);
}

const problems = [];
/** What each file imports of the workbench itself. */
const edges = new Map();
for (const file of files) {
  const text = readFileSync(file, "utf8");
  const own = [];
  for (const { groups, index } of imports.flatMap((each) => [...text.matchAll(each)])) {
    const { module, typeOnly } = groups;
    const why = against(module, typeOnly !== undefined);
    if (why)
      problems.push(
        `${path.relative(root, file)}:${text.slice(0, index).split("\n").length}: imports ${module}: ${why}`,
      );
    const base = path.resolve(path.dirname(file), module).replace(/\.js$/, "");
    if (module.startsWith(".")) own.push(...[`${base}.ts`, `${base}.tsx`].filter((each) => files.includes(each)));
  }
  edges.set(file, own);
}

for (const [file, own] of edges)
  for (const imported of own)
    if (placeInSheet(file) < placeInSheet(imported))
      problems.push(
        `${path.relative(root, file)}: imports ${path.relative(workbench, imported)}, which stands after it (${sheet.join(", ")})`,
      );

/** Walks along the imports; a file that is met again on the way closes a circle. */
const done = new Set();
function walk(file, way) {
  if (way.includes(file)) {
    const circle = [...way.slice(way.indexOf(file)), file].map((each) => path.relative(workbench, each));
    problems.push(`a circle in packages/workbench/src: ${circle.join(" → ")}`);
    return;
  }
  if (done.has(file)) return;
  for (const next of edges.get(file) ?? []) walk(next, [...way, file]);
  done.add(file);
}
for (const file of files) walk(file, []);

for (const problem of problems) console.error(problem);
if (problems.length === 0) console.log(`The arrows hold in the workbench's ${files.length} files.`);
process.exitCode = problems.length > 0 || cruised.status !== 0 ? 1 : 0;
