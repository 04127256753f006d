// `npm run test:faults`: sets up and runs the faults (see docs/reliability.md). Not part of `npm test`: it takes minutes on purpose.
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
spawn(process.execPath, [path.join(root, "faults/dist/index.js"), ...process.argv.slice(2)], { stdio: "inherit" }).on(
  "close",
  (code) => process.exit(code ?? 1),
);
