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

interface Named {
  readonly name: string;
  readonly child: Child;
}

interface Side {
  readonly name: string;
  readonly load: Load;
  readonly opens: Measured[];
  readonly saves: Measured[];
}

const rates = (of: readonly Measured[]): number[] => of.map((each) => each.perSecond);
const ratios = (ours: readonly number[], others: readonly number[]): number[] =>
  ours.map((value, index) => value / (others[index] ?? 1));
const shown = (values: readonly number[]): string =>
  `${median(values).toFixed(2)} (${Math.min(...values).toFixed(2)} to ${Math.max(...values).toFixed(2)})`;

/** Measures both sides with as many requests at once, round by round, and tells what came of it. */
async function compare(children: readonly Named[], concurrency: number, limit: () => Promise<number>) {
  const sides = children.map(
    ({ name, child }): Side => ({ name, load: new Load(child.port, concurrency), opens: [], saves: [] }),
  );
  // One after the other takes longer, so it takes fewer.
  const codes = concurrency === 1 ? ground.codes.slice(0, 160) : ground.codes;
  for (const { load } of sides) await load.begin(address(codes[0] ?? ""));
  const limits: number[] = [];
  for (let round = -warmUps; round < rounds; round++) {
    // The side that goes first changes with every round.
    for (const { load, opens, saves } of round % 2 === 0 ? sides : sides.toReversed()) {
      const [open, save] = [await measureOpens(load, codes), await measureSaves(load, codes, round)];
      if (round < 0) continue;
      opens.push(open);
      saves.push(save);
    }
    if (round >= 0) limits.push(await limit());
  }
  for (const { load } of sides) load.close();
  const line = (what: "opens" | "saves", side: Side): string[] => {
    const times = side[what].flatMap((each) => each.times);
    return [
      what,
      side.name,
      median(rates(side[what])).toFixed(0),
      median(times).toFixed(2),
      percentile(times, 0.99).toFixed(2),
    ];
  };
  const ours = sides.find(({ name }) => name === "ours");
  if (!ours) throw new Error("our own side is missing");
  const held = sides
    .filter((side) => side !== ours)
    .flatMap((other) =>
      (["opens", "saves"] as const).map(
        (what) => `${what}, ours to ${other.name}: ${shown(ratios(rates(ours[what]), rates(other[what])))}`,
      ),
    );
  return `${table([
    [`${concurrency} at once`, "page", "a second", "median ms", "99 % ms"],
    ...(["opens", "saves"] as const).flatMap((what) => sides.map((side) => line(what, side))),
    ["saves", "pgbench", median(limits).toFixed(0), "", ""],
  ])}

${held.join("\n")}
saves, ours to pgbench: ${shown(ratios(rates(ours.saves), limits))}
`;
}

const ground = await makeGround();
const children: Child[] = [];
try {
  const kinds = ["by-hand", "by-hand-prepared", "ours"] as const;
  const names = { "by-hand": "by hand", "by-hand-prepared": "by hand, prepared", ours: "ours" };
  const named: Named[] = [];
  for (const kind of kinds) {
    const child = await start(kind, ground.pages, fileURLToPath(demoPages));
    children.push(child);
    named.push({ name: names[kind], child });
  }
  const ours = named.find(({ name }) => name === "ours")?.child as Child;
  for (const concurrency of [10, 1]) {
    const limit = async (): Promise<number> => {
      const { statement } = ours.told;
      if (!statement) throw new Error("no save has told its statement");
      return pgbench(ground.pages, scriptOf(statement.text, statement.values, ground.codes), 2, concurrency);
    };
    process.stdout.write(`${await compare(named, concurrency, limit)}\n`);
  }
  process.stdout.write(
    `Statements in one save of ours: ${ours.told.trips}; rounds: ${rounds}, after ${warmUps} that don't count.\n`,
  );
} finally {
  for (const child of children) child.process.disconnect();
  await ground.drop();
}
