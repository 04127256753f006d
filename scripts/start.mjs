// `npm start`: sets everything up and runs the demo. Flags after `--` go to `quill start`.
import { spawn } from "node:child_process";
import path from "node:path";
import process from "node:process";
import { CannotSetUp, root, setUp } from "./setup.mjs";

try {
  await setUp({ tests: false });
} catch (error) {
  process.stderr.write(`${error instanceof CannotSetUp ? error.message : error.stack}\n`);
  process.exit(1);
}

const child = spawn(
  process.execPath,
  [path.join(root, "packages/cli/bin/quill.js"), "start", ...process.argv.slice(2)],
  { stdio: "inherit" },
);
// Ctrl+C reaches both of us from the terminal; a signal sent to this process alone is passed on.
for (const signal of ["SIGINT", "SIGTERM", "SIGHUP"]) process.on(signal, () => child.kill(signal));
child.on("close", (code) => process.exit(code ?? 1));
