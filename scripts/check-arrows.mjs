// Arrows go one way: core ← runtime ← server ← cli; the workbench takes types and pure functions from core, and the API's types.
// A file that imports against the arrows fails the lint step.
import { readdirSync, readFileSync } from "node:fs";
import path from "node:path";
import process from "node:process";

const root = path.dirname(import.meta.dirname);

/** For each place: the packages of ours that it may import, and the modules of Node that it may. */
const allowed = {
  "packages/core": { ours: [], node: false, not: ["express", "react", "pg"] },
  "packages/runtime": { ours: ["@loyal-quill/core"], node: true, not: ["react"] },
  "packages/server": { ours: ["@loyal-quill/core", "@loyal-quill/runtime"], node: true, not: ["react"] },
  "packages/cli": {
    ours: ["@loyal-quill/core", "@loyal-quill/runtime", "@loyal-quill/server", "@loyal-quill/demo"],
    node: true,
    not: ["react"],
  },
  "packages/workbench": { ours: ["@loyal-quill/core", "@loyal-quill/server/api"], node: false, not: ["express", "pg"] },
  demo: { ours: ["@loyal-quill/core"], node: true, not: ["express", "react"] },
};

const sources = (directory) =>
  readdirSync(path.join(root, directory), { recursive: true, withFileTypes: true })
    .filter((entry) => entry.isFile() && /\.tsx?$/.test(entry.name) && !entry.parentPath.includes("node_modules"))
    .map((entry) => path.join(entry.parentPath, entry.name));

const imported =
  /^\s*(?:import|export)\b(?<typeOnly>\s+type\b)?[^"']*?from\s+["'](?<module>[^"']+)["']|^\s*import\s+["'](?<bare>[^"']+)["']|\bimport\(["'](?<late>[^"']+)["']\)/gm;

/** Why an import goes against the arrows, or undefined. */
function against(rules, module, typeOnly, isTest) {
  if (module === "@loyal-quill/testing" && isTest) return undefined;
  if (module.startsWith("@loyal-quill/")) {
    if (!rules.ours.includes(module)) return "this package does not stand before it";
    return module === "@loyal-quill/server/api" && !typeOnly ? "only types are taken from the API" : undefined;
  }
  if (module.startsWith("node:")) return rules.node || isTest ? undefined : "no input or output here";
  const name = module.startsWith("@") ? module.split("/").slice(0, 2).join("/") : module.split("/")[0];
  return rules.not.includes(name) ? "this package knows nothing of it" : undefined;
}

const problems = [];
let files = 0;
for (const [directory, rules] of Object.entries(allowed)) {
  for (const file of sources(`${directory}/src`)) {
    files++;
    const text = readFileSync(file, "utf8");
    for (const match of text.matchAll(imported)) {
      const { typeOnly, module, bare, late } = match.groups;
      const name = module ?? bare ?? late;
      const isTest = file.endsWith(".test.ts") || file.includes("/testing/");
      const why = against(rules, name, typeOnly !== undefined, isTest);
      if (why) {
        const line = text.slice(0, match.index + match[0].search(/\S/)).split("\n").length;
        problems.push(`${path.relative(root, file)}:${line}: imports ${name}: ${why}`);
      }
    }
  }
}
for (const problem of problems) console.error(problem);
console.log(
  problems.length > 0 ? `${problems.length} imports go against the arrows.` : `The arrows hold in ${files} files.`,
);
process.exitCode = problems.length > 0 ? 1 : 0;
