/**
 * Opens and saves a second: our page beside the page written by hand, side by side in one run, alternating; and beside our own
 * statement sent by pgbench, which is the limit. Ratios are of one round each; their median counts.
 */
import process from "node:process";
import { fileURLToPath } from "node:url";
import { demoPages } from "@loyal-quill/demo";
import { type Child, start } from "./child.js";
import { median, percentile, table } from "./figures.js";
import { makeGround } from "./ground.js";
import { pgbench, scriptOf } from "./limit.js";
import { Load, valuesIn } from "./load.js";

const rounds = Number(process.env.BENCH_ROUNDS ?? 9);
/** Rounds that do not count, until both sides run on optimised code. */
const warmUps = 6;
const concurrency = 10;

interface Measured {
  readonly perSecond: number;
  readonly times: readonly number[];
}

const address = (code: string): string => `/stations/${code}/edit`;

async function measureOpens(load: Load, codes: readonly string[]): Promise<Measured> {
  const { results, seconds } = await load.all(codes, (code) => load.send("GET", address(code)));
  const wrong = results.find(({ status }) => status !== 200);
  if (wrong) throw new Error(`an open was answered ${wrong.status}`);
  return { perSecond: codes.length / seconds, times: results.map(({ ms }) => ms) };
}

/** Opens all forms first; only the saves are measured. One field is changed: the notes, or a level that a check asks for. */
async function measureSaves(load: Load, codes: readonly string[], round: number): Promise<Measured> {
  const { results: forms } = await load.all(codes, async (code) =>
    valuesIn((await load.send("GET", address(code))).body),
  );
  const sent = codes.map((code, index) => {
    const form = forms[index] ?? new URLSearchParams();
    if (index % 2 === 0) form.set("notes", `round ${round} ${Math.random()}`);
    else form.set("warning_m", (3 + Math.random() * 5).toFixed(2));
    return { code, body: form.toString() };
  });
  const { results, seconds } = await load.all(sent, ({ code, body }) => load.send("POST", address(code), body));
  const wrong = results.find(({ status }) => status !== 303);
  if (wrong) throw new Error(`a save was answered ${wrong.status}: ${wrong.body.slice(0, 500)}`);
  return { perSecond: codes.length / seconds, times: results.map(({ ms }) => ms) };
}

const ground = await makeGround();
const children: Child[] = [];
try {
  const [ours, byHand] = await Promise.all([
    start("ours", ground.pages, fileURLToPath(demoPages)),
    start("by-hand", ground.pages, ""),
  ]);
  children.push(ours, byHand);
  const sides = [
    { name: "by hand", load: new Load(byHand.port, concurrency) },
    { name: "ours", load: new Load(ours.port, concurrency) },
  ];
  for (const { load } of sides) await load.begin(address(ground.codes[0] ?? ""));
  const opens = new Map(sides.map(({ name }) => [name, [] as Measured[]]));
  const saves = new Map(sides.map(({ name }) => [name, [] as Measured[]]));
  const limits: number[] = [];
  for (let round = -warmUps; round < rounds; round++) {
    // The side that goes first changes with every round.
    for (const { name, load } of round % 2 === 0 ? sides : sides.toReversed()) {
      const [open, save] = [await measureOpens(load, ground.codes), await measureSaves(load, ground.codes, round)];
      if (round < 0) continue;
      opens.get(name)?.push(open);
      saves.get(name)?.push(save);
    }
    const { statement } = ours.told;
    if (round < 0 || !statement) continue;
    limits.push(await pgbench(ground.pages, scriptOf(statement.text, statement.values, ground.codes), 3, concurrency));
  }
  const rate = (of: Map<string, Measured[]>, name: string): number[] =>
    (of.get(name) ?? []).map((each) => each.perSecond);
  const line = (what: string, of: Map<string, Measured[]>, name: string): string[] => {
    const times = (of.get(name) ?? []).flatMap((each) => each.times);
    return [
      what,
      name,
      median(rate(of, name)).toFixed(0),
      median(times).toFixed(2),
      percentile(times, 0.99).toFixed(2),
    ];
  };
  const ratios = (of: Map<string, Measured[]>): number[] =>
    rate(of, "ours").map((value, index) => value / (rate(of, "by hand")[index] ?? 1));
  const toLimit = rate(saves, "ours").map((value, index) => value / (limits[index] ?? 1));
  const shown = (values: readonly number[]): string =>
    `${median(values).toFixed(2)} (${Math.min(...values).toFixed(2)} to ${Math.max(...values).toFixed(2)})`;
  process.stdout.write(
    `${table([
      ["", "page", "a second", "median ms", "99 % ms"],
      line("opens", opens, "by hand"),
      line("opens", opens, "ours"),
      line("saves", saves, "by hand"),
      line("saves", saves, "ours"),
      ["saves", "pgbench", median(limits).toFixed(0), "", ""],
    ])}\n\n`,
  );
  process.stdout.write(`opens, ours to by hand:   ${shown(ratios(opens))}\n`);
  process.stdout.write(`saves, ours to by hand:   ${shown(ratios(saves))}\n`);
  process.stdout.write(`saves, ours to pgbench:   ${shown(toLimit)}\n`);
  process.stdout.write(
    `statements in one save of ours: ${ours.told.trips}; rounds: ${rounds}; requests at once: ${concurrency}\n`,
  );
  for (const { load } of sides) load.close();
} finally {
  for (const child of children) child.process.disconnect();
  await ground.drop();
}
