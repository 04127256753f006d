// `npm run test:long`: all that takes long on purpose, one after the other: faults, several servers, the tests through a pooler, a backup that is
// restored. Ends with 1 where any of them did.
import { spawnSync } from "node:child_process";
import process from "node:process";
import { root } from "./setup.mjs";

const failed = ["test:backup", "test:faults", "test:fleet", "test:pooler"].filter((name) => {
  process.stdout.write(`\n== npm run ${name}\n`);
  return spawnSync("npm", ["run", name], { cwd: root, stdio: "inherit" }).status !== 0;
});
process.stdout.write(failed.length === 0 ? "\nAll of it passed.\n" : `\nFailed: ${failed.join(", ")}\n`);
process.exitCode = failed.length === 0 ? 0 : 1;
