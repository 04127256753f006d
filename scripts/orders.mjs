// `npm run test:orders -- 5`: the unit tests in so many random orders, each in a single process, where whatever one file leaves behind meets all that come after
// it. Ends at the first order in which a test fails, and says how to have that order again: `npm run test:orders -- 1 SEED`.

import { spawnSync } from "node:child_process";
import { randomInt } from "node:crypto";
import process from "node:process";
import { root } from "./setup.mjs";

const [told = "5", given, ...more] = process.argv.slice(2);
const orders = Number(told);
if (!Number.isInteger(orders) || orders < 1 || more.length > 0) {
  process.stderr.write(`How many orders? "${told}" is no number. For one: npm run test:orders -- 1\n`);
  process.exit(1);
}
for (let order = 1; order <= orders; order++) {
  const seed = given ?? String(randomInt(2 ** 32));
  const started = Date.now();
  const { status } = spawnSync("npx", ["jest", "--runInBand", "--silent"], {
    cwd: root,
    stdio: "inherit",
    env: { ...process.env, QUILL_TEST_ORDER: seed },
  });
  const seconds = Math.round((Date.now() - started) / 1000);
  process.stdout.write(
    `Order ${order} of ${orders}, seed ${seed}: ${status === 0 ? "passed" : "failed"}, ${seconds} s.\n`,
  );
  if (status !== 0) process.exit(1);
}
