// `npm run test:long`: all that takes long on purpose, one after the other: the database tests at their full counts, faults, several servers, the tests through a pooler, a backup that is
// restored. Ends with 1 where any of them did.
import { spawnSync } from "node:child_process";
import process from "node:process";
import { root } from "./setup.mjs";

// What goes round by chance, and every planted fault with every case.
const long = { ...process.env, QUILL_TEST_LONG: "1", QUILL_REHEARSE_ALL: "1" };
const failed = ["test:database", "test:backup", "test:faults", "test:fleet", "test:pooler", "test:walk"].filter(
  (name) => {
    process.stdout.write(`\n== npm run ${name}\n`);
    return spawnSync("npm", ["run", name], { cwd: root, stdio: "inherit", env: long }).status !== 0;
  },
);
process.stdout.write(failed.length === 0 ? "\nAll of it passed.\n" : `\nFailed: ${failed.join(", ")}\n`);
process.exitCode = failed.length === 0 ? 0 : 1;
