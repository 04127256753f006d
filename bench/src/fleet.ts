/**
 * What several processes, a pooler and a standby give and cost, all on one machine: two workers beside one, saves through a pooler beside saves straight
 * to PostgreSQL, lists from a standby beside lists from the primary while others save, and what recording and measuring cost.
 */
import process from "node:process";
import { fileURLToPath } from "node:url";
import { demoPages } from "@loyal-quill/demo";
import { startPooler, startStandby } from "@loyal-quill/testing";
import { type Child, start } from "./child.js";
import { median, percentile } from "./figures.js";
import { type Ground, makeGround } from "./ground.js";
import { Load, valuesIn } from "./load.js";
import { serveApart, signedIn } from "./quill.js";
import { savesBeside, shown } from "./saves-beside.js";

const pages = fileURLToPath(demoPages);
const say = (line: string): void => void process.stdout.write(`${line}\n`);
const rounds = Number(process.env.BENCH_ROUNDS ?? 9);
const address = (code: string): string => `/stations/${code}/edit`;

interface Served {
  readonly load: Load;
  readonly stop: () => Promise<void>;
}

/** `quill serve` with so many workers, and somebody signed in who sends so much at once. */
async function served(ground: Ground, workers: number, atOnce: number): Promise<Served> {
  const server = await serveApart(ground, pages, { flags: ["--workers", String(workers), "--no-workbench"] });
  const [person] = await signedIn(ground, server.origin, 1);
  const load = new Load(server.port, atOnce);
  load.carry(person?.cookieHeader ?? "");
  return {
    load,
    stop: async () => {
      await load.close();
      await server.stop();
    },
  };
}

interface Rate {
  readonly perSecond: number;
  readonly times: readonly number[];
}

async function rate(
  load: Load,
  codes: readonly string[],
  status: number,
  send: (code: string, index: number) => ReturnType<Load["send"]>,
): Promise<Rate> {
  const { results, seconds } = await load.all([...codes.keys()], (index) => send(codes[index] ?? "", index));
  const wrong = results.find((each) => each.status !== status);
  if (wrong) throw new Error(`a request was answered ${wrong.status}`);
  return { perSecond: codes.length / seconds, times: results.map(({ ms }) => ms) };
}

const opens = (load: Load, codes: readonly string[]): Promise<Rate> =>
  rate(load, codes, 200, (code) => load.send("GET", address(code)));

async function saves(load: Load, codes: readonly string[]): Promise<Rate> {
  const { results: forms } = await load.all(codes, async (code) =>
    valuesIn((await load.send("GET", address(code))).body),
  );
  return rate(load, codes, 303, (code, index) => {
    const form = forms[index] ?? new URLSearchParams();
    form.set("notes", `round ${Math.random()}`);
    return load.send("POST", address(code), form.toString());
  });
}

/** How one thing does beside another, in turns. */
async function beside(what: string, one: () => Promise<Rate>, other: () => Promise<Rate>): Promise<void> {
  const taken: { one: Rate; other: Rate }[] = [];
  for (let round = -3; round < rounds; round++) {
    const both =
      round % 2 === 0 ? { one: await one(), other: await other() } : { other: await other(), one: await one() };
    if (round >= 0) taken.push(both);
  }
  const of = (side: "one" | "other"): string => {
    const times = taken.flatMap((each) => each[side].times);
    return `${median(taken.map((each) => each[side].perSecond)).toFixed(0)} a second, median ${median(times).toFixed(2)} ms, 99 % ${percentile(times, 0.99).toFixed(1)} ms`;
  };
  say(
    `${what}: ${shown(taken.map((each) => each.other.perSecond / each.one.perSecond))}; ${of("other")}; without: ${of("one")}`,
  );
}

async function workers(ground: Ground): Promise<void> {
  const sides = [await served(ground, 1, 16), await served(ground, 2, 16)];
  const [one, two] = sides.map(({ load }) => load) as [Load, Load];
  await beside(
    "two workers to one, opens",
    () => opens(one, ground.codes),
    () => opens(two, ground.codes),
  );
  await beside(
    "two workers to one, saves",
    () => saves(one, ground.codes),
    () => saves(two, ground.codes),
  );
  for (const each of sides) await each.stop();
}

async function throughPooler(ground: Ground): Promise<void> {
  const direct = new URL(ground.pages);
  const pooler = await startPooler(Number(direct.port), { [direct.username]: decodeURIComponent(direct.password) }, 10);
  const through = new URL(direct);
  through.port = String(pooler.port);
  const plain = await start("ours", ground.pages, pages);
  const pooled = await start("ours", through.href, pages);
  for (const atOnce of [1, 10])
    say(
      await savesBeside("a save through a pooler, to one straight to PostgreSQL", plain, pooled, atOnce, ground.codes),
    );
  for (const each of [plain, pooled]) each.process.disconnect();
  await pooler.stop();
}

async function fromStandby(ground: Ground): Promise<void> {
  const direct = new URL(ground.pages);
  const standby = await startStandby(Number(direct.port), ground.passwordOfPostgres);
  const url = new URL(direct);
  url.port = String(standby.port);
  const alone = await start("ours", ground.pages, pages);
  const along = await start("ours", ground.pages, pages, undefined, { REPLICA_URL: url.href });
  const saver = await start("ours", ground.pages, pages);
  const readers: Load[] = [];
  const lists = async (child: Child): Promise<() => Promise<Rate>> => {
    const load = new Load(child.port, 8);
    await load.begin("/stations");
    readers.push(load);
    return () => rate(load, ground.codes, 200, () => load.send("GET", "/stations?q=bench"));
  };
  const saving = new Load(saver.port, 4);
  await saving.begin(address(ground.codes[0] ?? ""));
  let stopped = false;
  const busy = (async () => {
    while (!stopped) await saves(saving, ground.codes.slice(0, 60));
  })();
  await beside(
    "lists from a standby while others save, to lists from the primary",
    await lists(alone),
    await lists(along),
  );
  stopped = true;
  await busy;
  for (const load of [...readers, saving]) await load.close();
  for (const each of [alone, along, saver]) each.process.disconnect();
  await standby.stop();
}

/** What is done with each request besides, beside pages that do nothing of it. */
async function besides(ground: Ground): Promise<void> {
  const plain = await start("ours", ground.pages, pages);
  for (const [kind, what] of [
    ["ours-recorded", "recorded"],
    ["ours-measured", "measured"],
    ["ours-check", "with a check of one's own"],
  ] as const) {
    const other = await start(kind, ground.pages, pages, undefined, { STORE_URL: ground.store, LOG_URL: ground.store });
    say(await savesBeside(`a save ${what}, to one without`, plain, other, 10, ground.codes));
    other.process.disconnect();
  }
  plain.process.disconnect();
}

const ground = await makeGround();
try {
  const parts = process.env.BENCH_PARTS?.split(",") ?? ["workers", "pooler", "standby", "besides"];
  if (parts.includes("workers")) await workers(ground);
  if (parts.includes("pooler")) await throughPooler(ground);
  if (parts.includes("standby")) await fromStandby(ground);
  if (parts.includes("besides")) await besides(ground);
} finally {
  await ground.drop();
}
