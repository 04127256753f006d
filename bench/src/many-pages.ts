/**
 * 1,000 page files against 10: how long the start takes, what they take in memory, how many opens a second are served, and how long the longest of
 * them takes while a changed file is read.
 */
import { appendFile, mkdtemp, rm } from "node:fs/promises";
import os from "node:os";
import path from "node:path";
import { performance } from "node:perf_hooks";
import process from "node:process";
import { type Child, memoryOf, start } from "./child.js";
import { median, table } from "./figures.js";
import { makeGround } from "./ground.js";
import { Load } from "./load.js";
import { stationPages } from "./station-pages.js";

const rounds = 7;
/** How often a file is changed. */
const changes = 5;

interface Side {
  readonly count: number;
  readonly child: Child;
  readonly load: Load;
  readonly startMs: number;
  readonly memory: number;
  readonly rates: number[];
  readonly directory: string;
}

/** The longest open in milliseconds, of all that are sent one after the other by ten at once. */
async function longest({ count, load }: Side): Promise<number> {
  const { results } = await load.all([...ground.codes, ...ground.codes], (code) =>
    load.send("GET", `/stations-${(Number(code.slice(3)) * 7) % count}/${code}/edit`),
  );
  if (results.some(({ status }) => status !== 200)) throw new Error("an open was not answered 200");
  return Math.max(...results.map(({ ms }) => ms));
}

/** The same while a changed page file is read. */
async function longestAtChange(side: Side): Promise<number> {
  const times: number[] = [];
  for (let turn = 0; turn < changes; turn++) {
    await appendFile(path.join(side.directory, "page-0.page.yaml"), `# changed ${turn}\n`);
    times.push(await longest(side));
  }
  return median(times);
}

const ground = await makeGround();
const directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-bench-pages-"));
const sides: Side[] = [];
try {
  for (const count of [10, 1000]) {
    const pages = await stationPages(path.join(directory, String(count)), count);
    const starts: number[] = [];
    let child: Child | undefined;
    for (let turn = 0; turn < 3; turn++) {
      child?.process.disconnect();
      const started = performance.now();
      child = await start("ours", ground.pages, pages);
      starts.push(performance.now() - started);
    }
    if (!child) continue;
    const load = new Load(child.port, 10);
    await load.begin(`/stations-0/${ground.codes[0]}/edit`);
    sides.push({
      count,
      child,
      load,
      startMs: median(starts),
      memory: await memoryOf(child),
      rates: [],
      directory: pages,
    });
  }
  for (let round = -3; round < rounds; round++) {
    for (const { count, load, rates } of round % 2 === 0 ? sides : sides.toReversed()) {
      // Every page is asked in turn, so that none stays nearer than another.
      const { results, seconds } = await load.all(ground.codes, (code) =>
        load.send("GET", `/stations-${(Number(code.slice(3)) * 7) % count}/${code}/edit`),
      );
      if (results.some(({ status }) => status !== 200)) throw new Error("an open was not answered 200");
      if (round >= 0) rates.push(ground.codes.length / seconds);
    }
  }
  const held: number[][] = [];
  for (const side of sides) {
    const usual: number[] = [];
    for (let turn = 0; turn < changes; turn++) usual.push(await longest(side));
    held.push([median(usual), await longestAtChange(side)]);
  }
  const [few, many] = sides;
  process.stdout.write(
    `${table([
      ["page files", "start ms", "memory MiB", "opens a second", "longest ms", "while a file is read"],
      ...sides.map(({ count, startMs, memory, rates }, index) => [
        String(count),
        startMs.toFixed(0),
        (memory / 1_048_576).toFixed(0),
        median(rates).toFixed(0),
        ...(held[index] ?? []).map((ms) => ms.toFixed(0)),
      ]),
    ])}\n\n`,
  );
  const ratios = (many?.rates ?? []).map((rate, index) => rate / (few?.rates[index] ?? 1));
  process.stdout.write(
    `opens a second, 1,000 files to 10: ${median(ratios).toFixed(2)} (median of ${rounds} rounds)\n`,
  );
} finally {
  for (const { child, load } of sides) {
    await load.close();
    child.process.disconnect();
  }
  await rm(directory, { recursive: true });
  await ground.drop();
}
