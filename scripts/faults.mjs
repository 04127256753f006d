// `npm run test:faults`, `npm run test:fleet` and `npm run test:backup`: sets up and runs the faults, several servers that take each other's place, or a
// backup that is restored (see docs/reliability.md and docs/deploying.md). Not part of `npm test`: it takes minutes on purpose.
import { spawn } from "node:child_process";
import path from "node:path";
import process from "node:process";
import { CannotSetUp, root, setUp } from "./setup.mjs";

const isNamed = ["fleet", "backup"].includes(process.argv[2] ?? "");
const [name, words] = isNamed ? [process.argv[2], process.argv.slice(3)] : ["index", process.argv.slice(2)];
try {
  await setUp({ tests: isNamed });
} catch (error) {
  process.stderr.write(`${error instanceof CannotSetUp ? error.message : error.stack}\n`);
  process.exit(1);
}
spawn(process.execPath, [path.join(root, `faults/dist/${name}.js`), ...words], { stdio: "inherit" }).on(
  "close",
  (code) => process.exit(code ?? 1),
);
