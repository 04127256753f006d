// Which test files begin first: those that take longest, so that none of them is left for the end, when nothing else is under way. Jest knows how
// long a file took from its last run here; of a fresh clone it knows nothing, and would go by the size of the files.
import { createHash } from "node:crypto";
import { existsSync } from "node:fs";
import path from "node:path";
import process from "node:process";
import { fileURLToPath } from "node:url";
import TestSequencer from "@jest/test-sequencer";

const packages = fileURLToPath(new URL("../../packages/", import.meta.url));

/** The longest in their order, by a run of all. */
const longest = [
  "cli/src/commands/export.test.ts",
  "runtime/src/served/lists/workbook.test.ts",
  "cli/src/commands/check.test.ts",
  "runtime/src/database/lost-answers.test.ts",
  "runtime/src/long-lived.test.ts",
  "cli/src/commands/export-odd.test.ts",
  "cli/src/commands/rows.test.ts",
  "cli/src/commands/fleet.test.ts",
  "runtime/src/proof/rehearsal-faults.test.ts",
  "cli/src/commands/deployment.test.ts",
  "cli/src/commands/serve.test.ts",
  "cli/src/commands/odd-schemas.test.ts",
  "runtime/src/proof/rehearsal.test.ts",
  "runtime/src/served/lists/long-search.test.ts",
  "server/src/roles.test.ts",
  "cli/src/commands/adopt.test.ts",
  "cli/src/commands/log-forgeries.test.ts",
  "cli/src/commands/start.test.ts",
  "server/src/drafts/threads.test.ts",
].map((name) => path.join(packages, name));

const gone = longest.find((name) => !existsSync(name));
if (gone) throw new Error(`testing/jest/longest-first.js names ${path.relative(packages, gone)}, which is not there.`);

const placeOf = (name) => (longest.includes(name) ? longest.indexOf(name) : longest.length);

/** Where a file stands in a random order: by a seed, the same one for the same seed, wherever the project lies. */
const chanceOf = (seed, file) =>
  createHash("sha256")
    .update(`${seed} ${path.relative(packages, file)}`)
    .digest("hex");

export default class LongestFirst extends TestSequencer {
  sort(tests) {
    const { QUILL_TEST_ORDER: seed } = process.env;
    if (seed !== undefined)
      return [...tests].sort((a, b) => (chanceOf(seed, a.path) < chanceOf(seed, b.path) ? -1 : 1));
    // Array.prototype.sort keeps the order of what is equal.
    return [...super.sort(tests)].sort((a, b) => placeOf(a.path) - placeOf(b.path));
  }
}
