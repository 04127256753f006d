/**
 * Opens and saves a second: our page beside the page written by hand, side by side in one run, alternating; and beside our own
 * statement sent by pgbench and by an application that does nothing else, which are the limits. Ratios are of one round each; their
 * median counts. Then the same, one at once, with the database at a distance.
 */
import process from "node:process";
import { setTimeout } from "node:timers/promises";
import { fileURLToPath } from "node:url";
import { demoPages } from "@loyal-quill/demo";
import type { Model } from "./bare.js";
import { type Child, type Kind, start } from "./child.js";
import { atDistance } from "./distance.js";
import { median, percentile, table } from "./figures.js";
import { makeGround } from "./ground.js";
import { pgbench, scriptOf } from "./limit.js";
import { type Answer, Load, valuesIn } from "./load.js";
import { between, look, type Used } from "./processor.js";

/** Two processes of one program differ by a tenth, by how they were compiled and lie in memory: so all are started anew so often. */
const isQuick = process.env.BENCH_QUICK === "1";
const generations = isQuick ? 2 : 3;
/** Rounds of each generation. */
const rounds = isQuick ? 2 : Number(process.env.BENCH_ROUNDS ?? 4);
/** Rounds that do not count, until both sides run on optimised code. */
const warmUps = 6;

interface Measured {
  readonly perSecond: number;
  readonly times: readonly number[];
  /** Milliseconds of processor time a request. */
  readonly used: Used;
}

const address = (code: string): string => `/stations/${code}/edit`;

async function measured<Task>(
  side: Side,
  tasks: readonly Task[],
  status: number,
  run: (task: Task) => Promise<Answer>,
): Promise<Measured> {
  const pid = side.child.process.pid;
  const before = look(pid);
  const { results, seconds } = await side.load.all(tasks, run);
  const after = look(pid);
  const wrong = results.find((answer) => answer.status !== status);
  if (wrong) throw new Error(`a request was answered ${wrong.status}: ${wrong.body.slice(0, 500)}`);
  return {
    perSecond: tasks.length / seconds,
    times: results.map(({ ms }) => ms),
    used: between(before, after, tasks.length),
  };
}

const measureOpens = (side: Side, codes: readonly string[]): Promise<Measured> =>
  measured(side, codes, 200, (code) => side.load.send("GET", address(code)));

/** Opens all forms first; only the saves are measured. One field is changed: the notes, or a level that a check asks for. */
async function measureSaves(side: Side, codes: readonly string[], round: number): Promise<Measured> {
  const { load } = side;
  const { results: forms } = await load.all(codes, async (code) =>
    valuesIn((await load.send("GET", address(code))).body),
  );
  const sent = codes.map((code, index) => {
    const form = forms[index] ?? new URLSearchParams();
    if (index % 2 === 0) form.set("notes", `round ${round} ${Math.random()}`);
    else form.set("warning_m", (3 + Math.random() * 5).toFixed(2));
    return { code, body: form.toString() };
  });
  return measured(side, sent, 303, ({ code, body }) => load.send("POST", address(code), body));
}

interface Named {
  readonly name: string;
  readonly child: Child;
}

interface Side extends Named {
  readonly load: Load;
}

/** What was measured of a side, in all generations. */
interface Found {
  readonly name: string;
  readonly opens: Measured[];
  readonly saves: Measured[];
}

const rates = (of: readonly Measured[]): number[] => of.map((each) => each.perSecond);
/** Processor time without that of the load, which all have alike. */
const work = (of: readonly Measured[]): number[] => of.map(({ used }) => used.page + used.postgres);
const ratios = (ours: readonly number[], others: readonly number[]): number[] =>
  ours.map((value, index) => value / (others[index] ?? 1));
const shown = (values: readonly number[]): string =>
  `${median(values).toFixed(2)} (${Math.min(...values).toFixed(2)} to ${Math.max(...values).toFixed(2)})`;

/**
 * Measures all sides with as many requests at once, round by round, and tells what came of it.
 *
 * @param url of the database
 * @param isLimited whether it is held against pgbench as well
 */
async function compare(url: string, concurrency: number, heading: string, isLimited: boolean): Promise<string> {
  // One after the other takes longer, so it takes fewer.
  const codes = concurrency === 1 ? ground.codes.slice(0, 160) : ground.codes;
  const limits: number[] = [];
  const sides: Found[] = [];
  for (let generation = 0; generation < generations; generation++) {
    const started = await startAll(url);
    const running = started.map((named): Side => ({ ...named, load: new Load(named.child.port, concurrency) }));
    for (const { load } of running) await load.begin(address(codes[0] ?? ""));
    for (const { name } of generation === 0 ? running : []) sides.push({ name, opens: [], saves: [] });
    for (let round = -warmUps; round < rounds; round++) {
      // The side that goes first changes with every round.
      for (const side of round % 2 === 0 ? running : running.toReversed()) {
        const [open, save] = [await measureOpens(side, codes), await measureSaves(side, codes, round)];
        const found = sides.find(({ name }) => name === side.name);
        if (round < 0) continue;
        found?.opens.push(open);
        found?.saves.push(save);
      }
      if (round >= 0 && isLimited) limits.push(await limitBy(started, concurrency));
    }
    for (const { load } of running) await load.close();
    for (const { child } of started) child.process.disconnect();
  }
  const line = (what: "opens" | "saves", side: Found): string[] => {
    const times = side[what].flatMap((each) => each.times);
    return [
      what,
      side.name,
      median(rates(side[what])).toFixed(0),
      median(times).toFixed(2),
      percentile(times, 0.99).toFixed(2),
      ...(["page", "postgres", "load"] as const).map((who) =>
        median(side[what].map((each) => each.used[who])).toFixed(2),
      ),
    ];
  };
  const ours = sides.find(({ name }) => name === "ours");
  if (!ours) throw new Error("our own side is missing");
  const held = sides
    .filter((side) => side !== ours)
    .flatMap((other) =>
      (["opens", "saves"] as const).map((what) => {
        const rate = shown(ratios(rates(ours[what]), rates(other[what])));
        return `${what}, ours to ${other.name}: ${rate}; processor time, ${other.name} to ours: ${shown(ratios(work(other[what]), work(ours[what])))}`;
      }),
    );
  const rows = [
    [heading, "page", "a second", "median ms", "99 % ms", "page's ms", "PostgreSQL's", "load's"],
    ...(["opens", "saves"] as const).flatMap((what) => sides.map((side) => line(what, side))),
  ];
  if (isLimited) rows.push(["saves", "pgbench", median(limits).toFixed(0), "", "", "", "", ""]);
  const against = isLimited
    ? [ours, ...sides.filter(({ name }) => name === "bare")].map(
        ({ name, saves }) => `saves, ${name} to pgbench: ${shown(ratios(rates(saves), limits))}`,
      )
    : [];
  return `${table(rows)}\n\n${[...held, ...against].join("\n")}\n`;
}

const ground = await makeGround();
/** Statements in one save of ours. */
let trips = 0;

/** What pgbench reaches with the statement of our saves. */
async function limitBy(started: readonly Named[], concurrency: number): Promise<number> {
  const told = started.find(({ name }) => name === "ours")?.child.told;
  if (!told?.save) throw new Error("no save has told its statement");
  trips = told.trips ?? 0;
  return pgbench(ground.pages, scriptOf(told.save.text, told.save.values, ground.codes), 2, concurrency);
}

/** Opens and saves one record, so that the page tells its statements. */
async function modelOf(child: Child): Promise<Model> {
  const load = new Load(child.port, 1);
  const [code = ""] = ground.codes;
  await load.begin(address(code));
  const { body: html } = await load.send("GET", address(code));
  const form = valuesIn(html);
  form.set("notes", "round 0");
  await load.send("POST", address(code), form.toString());
  await load.close();
  // What it tells arrives by another way than its answers.
  for (let turn = 0; turn < 100 && !(child.told.open && child.told.save); turn++) await setTimeout(20);
  const { open, save } = child.told;
  if (!open || !save) throw new Error("the page has not told its statements");
  return { code, open, save, html };
}

async function startAll(url: string): Promise<readonly Named[]> {
  const started = async (name: string, kind: Kind, model?: Model): Promise<Named> => ({
    name,
    child: await start(kind, url, fileURLToPath(demoPages), model),
  });
  const ours = await started("ours", "ours");
  return [
    await started("by hand", "by-hand"),
    await started("by hand, prepared", "by-hand-prepared"),
    ours,
    await started("bare", "bare", await modelOf(ours.child)),
  ];
}

try {
  for (const concurrency of isQuick ? [10] : [10, 1])
    process.stdout.write(`${await compare(ground.pages, concurrency, `${concurrency} at once`, true)}\n`);
  if (!isQuick) {
    const distance = await atDistance(ground.pages, 1);
    process.stdout.write(`${await compare(distance.url, 1, "1 at once, 1 ms further", false)}\n`);
    distance.close();
  }
  process.stdout.write(
    `Statements in one save of ours: ${trips}; rounds: ${rounds} of each of ${generations} generations of processes, after ${warmUps} that don't count.\n`,
  );
} finally {
  await ground.drop();
}
