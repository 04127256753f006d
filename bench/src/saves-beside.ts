/** Saves of two applications, in turns. */
import type { Child } from "./child.js";
import { median } from "./figures.js";
import { Load, valuesIn } from "./load.js";

export const rounds = 9;
const warmUps = 4;

/** The middle of some ratios, and how far they reach. */
export const shown = (values: readonly number[]): string =>
  `${median(values).toFixed(2)} (${Math.min(...values).toFixed(2)} to ${Math.max(...values).toFixed(2)})`;

/** Milliseconds that a save takes, with the forms opened before. */
async function saves(load: Load, codes: readonly string[], round: number): Promise<number> {
  const { results: forms } = await load.all(codes, async (code) =>
    valuesIn((await load.send("GET", `/stations/${code}/edit`)).body),
  );
  const { results, seconds } = await load.all([...codes.keys()], (index) => {
    const form = forms[index] ?? new URLSearchParams();
    form.set("notes", `round ${round} ${Math.random()}`);
    return load.send("POST", `/stations/${codes[index]}/edit`, form.toString());
  });
  if (results.some(({ status }) => status !== 303)) throw new Error("a save was not answered 303");
  return (seconds * 1000) / codes.length;
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
  const sides = [plain, other].map((child) => ({ load: new Load(child.port, concurrency), times: [] as number[] }));
  for (const { load } of sides) await load.begin(`/stations/${own[0]}/edit`);
  for (let round = -warmUps; round < turns; round++)
    for (const { load, times } of round % 2 === 0 ? sides : sides.toReversed()) {
      const ms = await saves(load, own, round);
      if (round >= 0) times.push(ms);
    }
  for (const { load } of sides) await load.close();
  const [without, along] = sides;
  const ratios = (along?.times ?? []).map((ms, index) => ms / (without?.times[index] ?? 1));
  return `${what}, ${concurrency} at once: ${shown(ratios)}; ${median(along?.times ?? []).toFixed(2)} ms and ${median(without?.times ?? []).toFixed(2)} ms`;
}
