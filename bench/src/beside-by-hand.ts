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

const rounds = Number(process.env.BENCH_ROUNDS ?? 9);
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
 * @param limit what pgbench reaches; null where there is nothing to hold it against
 */
async function compare(
  children: readonly Named[],
  concurrency: number,
  heading: string,
  limit: (() => Promise<number>) | null,
): Promise<string> {
  const sides = children.map(
    (named): Side => ({ ...named, load: new Load(named.child.port, concurrency), opens: [], saves: [] }),
  );
  // One after the other takes longer, so it takes fewer.
  const codes = concurrency === 1 ? ground.codes.slice(0, 160) : ground.codes;
  for (const { load } of sides) await load.begin(address(codes[0] ?? ""));
  const limits: number[] = [];
  for (let round = -warmUps; round < rounds; round++) {
    // The side that goes first changes with every round.
    for (const side of round % 2 === 0 ? sides : sides.toReversed()) {
      const [open, save] = [await measureOpens(side, codes), await measureSaves(side, codes, round)];
      if (round < 0) continue;
      side.opens.push(open);
      side.saves.push(save);
    }
    if (round >= 0 && limit) limits.push(await limit());
  }
  for (const { load } of sides) await load.close();
  const line = (what: "opens" | "saves", side: Side): string[] => {
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
  if (limit) rows.push(["saves", "pgbench", median(limits).toFixed(0), "", "", "", "", ""]);
  const against = limit
    ? [ours, ...sides.filter(({ name }) => name === "bare")].map(
        ({ name, saves }) => `saves, ${name} to pgbench: ${shown(ratios(rates(saves), limits))}`,
      )
    : [];
  return `${table(rows)}\n\n${[...held, ...against].join("\n")}\n`;
}

const ground = await makeGround();
const children: Child[] = [];

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
  const started = async (name: string, kind: Kind, model?: Model): Promise<Named> => {
    const child = await start(kind, url, fileURLToPath(demoPages), model);
    children.push(child);
    return { name, child };
  };
  const ours = await started("ours", "ours");
  return [
    await started("by hand", "by-hand"),
    await started("by hand, prepared", "by-hand-prepared"),
    ours,
    await started("bare", "bare", await modelOf(ours.child)),
  ];
}

try {
  const near = await startAll(ground.pages);
  const ours = near.find(({ name }) => name === "ours")?.child as Child;
  for (const concurrency of [10, 1]) {
    const limit = async (): Promise<number> => {
      const { save } = ours.told;
      if (!save) throw new Error("no save has told its statement");
      return pgbench(ground.pages, scriptOf(save.text, save.values, ground.codes), 2, concurrency);
    };
    process.stdout.write(`${await compare(near, concurrency, `${concurrency} at once`, limit)}\n`);
  }
  const distance = await atDistance(ground.pages, 1);
  const far = await startAll(distance.url);
  process.stdout.write(`${await compare(far, 1, "1 at once, 1 ms further", null)}\n`);
  distance.close();
  process.stdout.write(
    `Statements in one save of ours: ${ours.told.trips}; rounds: ${rounds}, after ${warmUps} that don't count.\n`,
  );
} finally {
  for (const child of children) child.process.disconnect();
  await ground.drop();
}
