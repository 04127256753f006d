// `npm run bench`: sets up and runs the benchmarks, one after the other. `npm run bench -- beside-by-hand` runs one of them.
import { spawnSync } from "node:child_process";
import path from "node:path";
import process from "node:process";
import { CannotSetUp, root, setUp } from "./setup.mjs";

const all = [
  "beside-by-hand",
  "many-pages",
  "many-tables",
  "lists",
  "proof",
  "mounted",
  "log",
  "fleet",
  "crowd",
  "spreadsheet",
];
const wanted = process.argv.length > 2 ? process.argv.slice(2) : all;
try {
  await setUp({ tests: false });
} catch (error) {
  process.stderr.write(`${error instanceof CannotSetUp ? error.message : error.stack}\n`);
  process.exit(1);
}
for (const name of wanted) {
  if (!all.includes(name)) {
    process.stderr.write(`There is no benchmark ${name}. There are: ${all.join(", ")}.\n`);
    process.exit(1);
  }
  process.stdout.write(`\n== ${name}\n`);
  const { status } = spawnSync(process.execPath, [path.join(root, `bench/dist/${name}.js`)], {
    cwd: root,
    stdio: "inherit",
  });
  if (status !== 0) process.exit(status ?? 1);
}
