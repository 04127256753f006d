// What a module exports is used by another one: otherwise it is a detail of its own, or nobody's any more. Looked at by name: one that stands in no other file.
import { readdirSync, readFileSync } from "node:fs";
import path from "node:path";
import process from "node:process";

const root = path.dirname(import.meta.dirname);
/** Files whose types TypeScript must be able to name in another one's declarations, though nobody writes their names there. */
const named = ["packages/core/src/settings/list/spreadsheet.ts", "packages/cli/src/testing/seen.ts"];

const places = ["packages", "demo", "testing", "e2e", "bench", "faults", "scripts"];
const files = places
  .flatMap((place) => readdirSync(path.join(root, place), { recursive: true }).map((file) => `${place}/${file}`))
  .filter((file) => /\.(tsx?|mjs)$/.test(file) && !/\/(node_modules|dist)\//.test(file));
const texts = new Map(files.map((file) => [file, readFileSync(path.join(root, file), "utf8")]));
/** How many files have a word. */
const spread = new Map();
for (const text of texts.values())
  for (const word of new Set(text.match(/[\w$]+/g))) spread.set(word, (spread.get(word) ?? 0) + 1);
/** Files that are handed on as a whole: what they export is a package's own. */
const whole = new Set(
  [...texts].flatMap(([file, text]) =>
    [...text.matchAll(/^export \* from "(\.[^"]+)\.js"/gm)].map(
      ([, module]) => `${path.posix.join(path.posix.dirname(file), module)}.ts`,
    ),
  ),
);
const problems = [...texts].flatMap(([file, text]) => {
  if (!/^packages\/[^/]+\/src\/.*(?<!\.test)\.tsx?$/.test(file) || whole.has(file) || named.includes(file)) return [];
  const exported = text.matchAll(/^export (?:async )?(?:const|function|(?:abstract )?class|interface|type) ([\w$]+)/gm);
  return [...exported].filter(([, name]) => spread.get(name) === 1).map(([, name]) => `${file}: ${name}`);
});
for (const problem of problems) console.error(`${problem} is exported, and used nowhere else`);
process.exitCode = problems.length > 0 ? 1 : 0;
