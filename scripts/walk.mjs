// `npm run test:walk -- 5`: so many minutes through the real interface by chance, as several people, and nothing may go wrong whatever they do (e2e/walk).
// Says with which seed: `npm run test:walk -- 5 SEED` begins alike, and goes the same way as far as the machine does.
import { spawnSync } from "node:child_process";
import { randomInt } from "node:crypto";
import process from "node:process";
import { root } from "./setup.mjs";

const [told = "5", seed = String(randomInt(2 ** 20)), ...more] = process.argv.slice(2);
const minutes = Number(told);
if (!(minutes > 0) || !/^\d{1,9}$/.test(seed) || more.length > 0) {
  process.stderr.write(
    "How many minutes, and with which seed? For example: npm run test:walk -- 5, or npm run test:walk -- 5 17\n",
  );
  process.exit(1);
}
const { status } = spawnSync("npx", ["playwright", "test", "--config", "e2e/walk/playwright.config.ts"], {
  cwd: root,
  stdio: "inherit",
  env: { ...process.env, QUILL_WALK_MINUTES: String(minutes), QUILL_WALK_SEED: seed },
});
process.stdout.write(`Seed ${seed}: ${status === 0 ? "passed" : "failed"}.\n`);
process.exitCode = status === 0 ? 0 : 1;
