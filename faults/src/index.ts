// `npm run test:faults -- [rounds] [part of a fault's name]`: kills, cut and silent connections under load, with fsync on. After
// each round every save that was answered as saved must be in table and log once, and nothing else may be there.
import process from "node:process";
import { type Fault, faults } from "./faults.js";
import { type Ground, makeGround } from "./ground.js";
import { type Record, underLoad } from "./load.js";
import { disagreements } from "./verify.js";

const [rounds = "3", wanted = ""] = process.argv.slice(2);
const say = (line: string): void => void process.stdout.write(`${line}\n`);

interface Outcome {
  readonly fault: string;
  readonly saved: number;
  readonly notSaved: number;
  readonly unanswered: number;
  readonly doubts: number;
  readonly toldLater: number;
  readonly kept: number;
  readonly lost: number;
  /** The longest time without a save, in seconds. */
  readonly gap: number;
  readonly wrong: readonly string[];
}

function outcomeOf(fault: Fault, record: Record, wrong: readonly string[]): Outcome {
  const fates = [...record.fates.values()];
  const times = [...record.savedAt].sort((a, b) => a - b);
  const gaps = times.slice(1).map((time, index) => time - (times[index] ?? time));
  return {
    fault: fault.name,
    saved: fates.filter((fate) => fate === "saved").length,
    notSaved: fates.filter((fate) => fate === "not saved").length,
    unanswered: fates.filter((fate) => fate === "unknown").length,
    doubts: record.doubts,
    toldLater: record.toldLater,
    kept: record.kept,
    lost: record.lost,
    gap: Math.max(0, ...gaps) / 1000,
    wrong,
  };
}

async function round(ground: Ground, fault: Fault, number: number): Promise<Outcome> {
  const name = `${faults.indexOf(fault)}.${number}`;
  const record = await underLoad(ground, name, () => fault.run(ground));
  const wrong = [...(await disagreements(ground, record, fault.orderly))];
  if (record.lost > 0) wrong.push(`${record.lost} answers 5xx did not keep what was typed`);
  return outcomeOf(fault, record, wrong);
}

const ground = await makeGround();
const outcomes: Outcome[] = [];
try {
  for (let number = 1; number <= Number(rounds); number++) {
    for (const fault of faults.filter(({ name }) => name.includes(wanted))) {
      const outcome = await round(ground, fault, number);
      outcomes.push(outcome);
      const { saved, unanswered, doubts, toldLater, gap, wrong } = outcome;
      say(
        `round ${number}, ${fault.name}: ${saved} saved, ${unanswered} without an answer, ${doubts} in doubt, ${toldLater} told later, longest gap ${gap.toFixed(1)} s${wrong.length > 0 ? `\n  WRONG: ${wrong.slice(0, 10).join("\n  WRONG: ")}` : ""}`,
      );
    }
  }
} finally {
  await ground.drop();
}

say(
  "\n| fault | saved | told as not saved | no answer | in doubt at first | told later | 5xx that kept the form | that lost it | longest gap |",
);
say("|---|---|---|---|---|---|---|---|---|");
for (const fault of faults) {
  const of = outcomes.filter((each) => each.fault === fault.name);
  if (of.length === 0) continue;
  const sum = (name: "saved" | "notSaved" | "unanswered" | "doubts" | "toldLater" | "kept" | "lost"): number =>
    of.reduce((total, each) => total + each[name], 0);
  const cells = [
    sum("saved"),
    sum("notSaved"),
    sum("unanswered"),
    sum("doubts"),
    sum("toldLater"),
    sum("kept"),
    sum("lost"),
    `${Math.max(...of.map((each) => each.gap)).toFixed(1)} s`,
  ];
  say(`| ${fault.name} | ${cells.join(" | ")} |`);
}
const wrong = outcomes.flatMap((each) => each.wrong);
const saved = outcomes.reduce((total, each) => total + each.saved, 0);
say(
  `\n${saved} saves were answered as saved in ${outcomes.length} rounds; ${wrong.length} things are not as they were told.`,
);
process.exitCode = wrong.length > 0 ? 1 : 0;
