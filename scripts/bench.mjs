// `npm run bench`: sets up and runs the benchmarks, one after the other. `npm run bench -- beside-by-hand` runs one of them; `npm run bench -- quick` the
// shortest that tell most, and adds their ratios to the table in docs/benchmarks.md.
import { execFileSync, spawnSync } from "node:child_process";
import { readFileSync, writeFileSync } from "node:fs";
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
  "signed-in",
  "log",
  "fleet",
  "crowd",
  "long-life",
  "spreadsheet",
];

/** What the quick run keeps: of each benchmark the ratios by their columns, each with the line that tells it. */
const kept = {
  "beside-by-hand": {
    "opens to by hand, prepared": /^opens, ours to by hand, prepared: ([\d.]+)/m,
    "saves to by hand, prepared": /^saves, ours to by hand, prepared: ([\d.]+)/m,
    "processor, bare to opens": /^opens, ours to bare: .*processor time, bare to ours: ([\d.]+)/m,
    "processor, bare to saves": /^saves, ours to bare: .*processor time, bare to ours: ([\d.]+)/m,
  },
  mounted: {
    "own pool": /^a save over their own pool, to one without, 10 at once: ([\d.]+)/m,
    "own layout": /^a save in their layout, to one without, 10 at once: ([\d.]+)/m,
    "own check": /^a save with a check of theirs, which waits for nothing, to one without, 10 at once: ([\d.]+)/m,
    outbox: /^a save with the outbox, to one without, 10 at once: ([\d.]+)/m,
  },
  "signed-in": {
    "opens signed in": /^opens signed in, to without a store, 10 at once: ([\d.]+)/m,
    "saves signed in": /^saves signed in, to without a store, 10 at once: ([\d.]+)/m,
  },
  lists: {
    "list of 5,000,000 to 10,000: first part": /^first part +[\d.]+ +[\d.]+ +([\d.]+)$/m,
    open: /^open +[\d.]+ +[\d.]+ +([\d.]+)$/m,
    save: /^save +[\d.]+ +[\d.]+ +([\d.]+)$/m,
  },
};

const place = "<!-- ratios: npm run bench -- quick adds its line above this one -->";

/** Adds a line of ratios to the table in the documentation. */
function keep(ratios) {
  const file = path.join(root, "docs/benchmarks.md");
  const commit = execFileSync("git", ["rev-parse", "--short", "HEAD"], { cwd: root, encoding: "utf8" }).trim();
  const date = new Date().toISOString().slice(0, 10);
  const text = readFileSync(file, "utf8");
  if (!text.includes(place)) throw new Error(`${file} has no place for ratios: ${place}`);
  writeFileSync(
    file,
    text.replace(place, () => `| ${date} | ${commit} | ${ratios.join(" | ")} |\n${place}`),
  );
}

const wanted = process.argv.length > 2 ? process.argv.slice(2) : all;
const isQuick = wanted[0] === "quick";
try {
  await setUp({ tests: false });
} catch (error) {
  process.stderr.write(`${error instanceof CannotSetUp ? error.message : error.stack}\n`);
  process.exit(1);
}
const ratios = [];
for (const name of isQuick ? Object.keys(kept) : wanted) {
  if (!all.includes(name)) {
    process.stderr.write(`There is no benchmark ${name}. There are: quick, ${all.join(", ")}.\n`);
    process.exit(1);
  }
  process.stdout.write(`\n== ${name}\n`);
  const { status, stdout } = spawnSync(process.execPath, [path.join(root, `bench/dist/${name}.js`)], {
    cwd: root,
    env: { ...process.env, ...(isQuick ? { BENCH_QUICK: "1" } : {}) },
    stdio: ["inherit", isQuick ? "pipe" : "inherit", "inherit"],
    encoding: "utf8",
  });
  if (status !== 0) process.exit(status ?? 1);
  if (!isQuick) continue;
  process.stdout.write(stdout);
  for (const [column, line] of Object.entries(kept[name])) {
    const ratio = line.exec(stdout)?.[1];
    if (ratio === undefined) {
      process.stderr.write(`${name} does not tell "${column}": the comparison did not run.\n`);
      process.exit(1);
    }
    ratios.push(ratio);
  }
}
if (isQuick) keep(ratios);
