// `npm run test:pooler`: the tests with a database once more, through a connection pooler in transaction mode.
import { spawn } from "node:child_process";
import process from "node:process";
import { CannotSetUp, root, setUp } from "./setup.mjs";

try {
  await setUp({ tests: true });
} catch (error) {
  process.stderr.write(`${error instanceof CannotSetUp ? error.message : error.stack}\n`);
  process.exit(1);
}
spawn(
  process.execPath,
  ["node_modules/jest/bin/jest.js", "--selectProjects", "database", "--maxWorkers=2", ...process.argv.slice(2)],
  {
    cwd: root,
    stdio: "inherit",
    env: { ...process.env, QUILL_TEST_POOLER: "1" },
  },
).on("close", (code) => process.exit(code ?? 1));
