// `npm run test:faults` and `npm run test:fleet`: sets up and runs the faults, or several servers that take each other's place (see
// docs/reliability.md). Not part of `npm test`: it takes minutes on purpose.
import { spawn } from "node:child_process";
import path from "node:path";
import process from "node:process";
import { CannotSetUp, root, setUp } from "./setup.mjs";

const isFleet = process.argv[2] === "fleet";
const [name, words] = isFleet ? ["fleet", process.argv.slice(3)] : ["index", process.argv.slice(2)];
try {
  await setUp({ tests: isFleet });
} catch (error) {
  process.stderr.write(`${error instanceof CannotSetUp ? error.message : error.stack}\n`);
  process.exit(1);
}
spawn(process.execPath, [path.join(root, `faults/dist/${name}.js`), ...words], { stdio: "inherit" }).on(
  "close",
  (code) => process.exit(code ?? 1),
);
