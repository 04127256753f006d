/** What it costs to be in somebody's application: their pool, their layout, their code inside a save; each beside pages without it. */
import process from "node:process";
import { fileURLToPath } from "node:url";
import { demoPages } from "@loyal-quill/demo";
import { type Kind, start } from "./child.js";
import { makeGround } from "./ground.js";
import { rounds, savesBeside } from "./saves-beside.js";

const pages = fileURLToPath(demoPages);
const isQuick = process.env.BENCH_QUICK === "1";

/** Kinds of applications (`serve.ts`), and what each has that the plain one has not. */
const kinds: Partial<Record<Kind, string>> = {
  "ours-pool": "over their own pool",
  "ours-layout": "in their layout",
  "ours-check": "with a check of theirs, which waits for nothing",
  "ours-transaction": "with a statement of theirs in its transaction",
  "ours-outbox": "with the outbox",
};

const ground = await makeGround();
const plain = await start("ours", ground.pages, pages);
try {
  for (const [kind, what] of Object.entries(kinds)) {
    const other = await start(kind as Kind, ground.pages, pages);
    for (const concurrency of isQuick ? [10] : [1, 10])
      process.stdout.write(
        `${await savesBeside(`a save ${what}, to one without`, plain, other, concurrency, ground.codes, isQuick ? 5 : rounds)}\n`,
      );
    other.process.disconnect();
  }
} finally {
  plain.process.disconnect();
  await ground.drop();
}
