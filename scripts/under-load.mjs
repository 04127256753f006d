// `npm run test:load -- 10`: the database tests so many times in a row on a machine that is busy with something else, at a load of eight and more.
// Ends at the first run in which a test fails. `npm run test:load -- 3 connections replicas`: only the files whose paths have one of these.
import { fork, spawnSync } from "node:child_process";
import os from "node:os";
import process from "node:process";
import { root } from "./setup.mjs";

/** So many processes do nothing but compute. */
const busy = 8;

const [, script, told = "10", ...patterns] = process.argv;
if (told === "busy") {
  // No longer than whoever has begun it: one that is killed ends nothing of its own.
  const begunBy = process.ppid;
  while (process.ppid === begunBy);
  process.exit();
}

const runs = Number(told);
if (!Number.isInteger(runs) || runs < 1) {
  process.stderr.write(`How many runs? "${told}" is no number. For one: npm run test:load -- 10\n`);
  process.exit(1);
}
const others = Array.from({ length: busy }, () => fork(script, ["busy"]));
const only = patterns.length > 0 ? ["--testPathPatterns", `(${patterns.join("|")})`] : [];
let failed = 0;
for (let run = 1; run <= runs && failed === 0; run++) {
  const started = Date.now();
  const { status } = spawnSync("npm", ["run", "-s", "test:database", "--", "--maxWorkers=3", "--silent", ...only], {
    cwd: root,
    stdio: "inherit",
  });
  failed = Number(status !== 0);
  const seconds = Math.round((Date.now() - started) / 1000);
  const [load = 0] = os.loadavg();
  process.stdout.write(
    `Run ${run} of ${runs}: ${failed ? "failed" : "passed"}, ${seconds} s, at a load of ${load.toFixed(1)}.\n`,
  );
}
for (const each of others) each.kill();
process.exitCode = failed;
