/** Saves of two applications, in turns. */
import type { Child } from "./child.js";
import { median } from "./figures.js";
import { Load, valuesIn } from "./load.js";
import { between, look } from "./processor.js";

export const rounds = 9;
const warmUps = 4;

/** The middle of some ratios, and how far they reach. */
export const shown = (values: readonly number[]): string =>
  `${median(values).toFixed(2)} (${Math.min(...values).toFixed(2)} to ${Math.max(...values).toFixed(2)})`;

/** What a save takes in milliseconds, with the forms opened before: by the clock, and of the processors for the page and PostgreSQL. */
interface Taken {
  readonly ms: number;
  readonly processor: number;
}

async function saves({ load, child }: Side, codes: readonly string[], round: number): Promise<Taken> {
  const { results: forms } = await load.all(codes, async (code) =>
    valuesIn((await load.send("GET", `/stations/${code}/edit`)).body),
  );
  const before = look(child.process.pid);
  const { results, seconds } = await load.all([...codes.keys()], (index) => {
    const form = forms[index] ?? new URLSearchParams();
    form.set("notes", `round ${round} ${Math.random()}`);
    return load.send("POST", `/stations/${codes[index]}/edit`, form.toString());
  });
  if (results.some(({ status }) => status !== 303)) throw new Error("a save was not answered 303");
  const { page, postgres } = between(before, look(child.process.pid), codes.length);
  return { ms: (seconds * 1000) / codes.length, processor: page + postgres };
}

interface Side {
  readonly child: Child;
  readonly load: Load;
  readonly taken: Taken[];
}

/**
 * The time of a save in one application to that in another, in turns.
 *
 * @param codes of the stations that are saved
 */
export async function savesBeside(
  what: string,
  plain: Child,
  other: Child,
  concurrency: number,
  codes: readonly string[],
  turns: number = rounds,
): Promise<string> {
  const own = codes.slice(0, concurrency === 1 ? 120 : 240);
  const sides = [plain, other].map((child): Side => ({ child, load: new Load(child.port, concurrency), taken: [] }));
  for (const { load } of sides) await load.begin(`/stations/${own[0]}/edit`);
  for (let round = -warmUps; round < turns; round++)
    for (const side of round % 2 === 0 ? sides : sides.toReversed()) {
      const taken = await saves(side, own, round);
      if (round >= 0) side.taken.push(taken);
    }
  for (const { load } of sides) await load.close();
  const [without, along] = sides.map(({ taken }) => taken);
  const ratios = (of: (taken: Taken) => number): string =>
    shown((along ?? []).map((taken, index) => of(taken) / of(without?.[index] ?? taken)));
  const middle = (taken: readonly Taken[] | undefined): string => median((taken ?? []).map(({ ms }) => ms)).toFixed(2);
  return `${what}, ${concurrency} at once: ${ratios(({ ms }) => ms)}; ${middle(along)} ms and ${middle(without)} ms; processor time ${ratios(({ processor }) => processor)}`;
}
