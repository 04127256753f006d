/**
 * What a person costs who is signed in: `quill serve` with its store (a session and an account with each request, every request recorded) beside
 * the same server without one, where everybody is the same person. In turns, ten at once.
 */
import { copyFile, mkdtemp, rm } from "node:fs/promises";
import os from "node:os";
import path from "node:path";
import process from "node:process";
import { demoPages } from "@loyal-quill/demo";
import { median } from "./figures.js";
import { makeGround } from "./ground.js";
import { Load, valuesIn } from "./load.js";
import { between, look } from "./processor.js";
import { type Apart, serveApart, signedIn } from "./quill.js";
import { shown } from "./saves-beside.js";

const [warmUps, rounds] = [4, process.env.BENCH_QUICK === "1" ? 7 : 15];

interface Taken {
  readonly ms: number;
  readonly processor: number;
}

interface Side {
  readonly load: Load;
  readonly server: Apart;
  readonly opens: Taken[];
  readonly saves: Taken[];
}

async function taken(
  { load, server }: Side,
  codes: readonly string[],
  send: (load: Load, code: string) => Promise<number>,
): Promise<Taken> {
  const before = look(server.pid);
  const { results, seconds } = await load.all(codes, (code) => send(load, code));
  const wrong = results.find((status) => status !== 200 && status !== 303);
  if (wrong !== undefined) throw new Error(`a request was answered ${wrong}`);
  const { page, postgres } = between(before, look(server.pid), codes.length);
  return { ms: (seconds * 1000) / codes.length, processor: page + postgres };
}

const open = async (load: Load, code: string): Promise<number> =>
  (await load.send("GET", `/stations/${code}/edit`)).status;

/** A save with the form that it needs. */
async function save(load: Load, code: string): Promise<number> {
  const form = valuesIn((await load.send("GET", `/stations/${code}/edit`)).body);
  form.set("notes", `said ${Math.random()}`);
  return (await load.send("POST", `/stations/${code}/edit`, form.toString())).status;
}

const ground = await makeGround();
const directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-bench-"));
try {
  for (const name of ["station", "sensor", "visit", "river", "region"])
    await copyFile(new URL(`${name}.page.yaml`, demoPages), path.join(directory, `${name}.page.yaml`));
  const alone = await serveApart(ground, directory, {
    flags: ["--as", "Tamsin Okoro", "--role", "technician", "--attribute", "region_id=3"],
    store: false,
  });
  const stored = await serveApart(ground, directory);
  const [person] = await signedIn(ground, stored.origin, 1);
  const side = (server: Apart): Side => ({ load: new Load(server.port, 10), server, opens: [], saves: [] });
  const [without, withStore] = [side(alone), side(stored)];
  withStore.load.carry(person?.cookieHeader ?? "");
  const codes = [...ground.codes, ...ground.codes];
  for (let round = 0; round < warmUps + rounds; round++)
    for (const each of round % 2 === 0 ? [without, withStore] : [withStore, without]) {
      const [opens, saves] = [await taken(each, codes, open), await taken(each, ground.codes, save)];
      if (round < warmUps) continue;
      each.opens.push(opens);
      each.saves.push(saves);
    }
  for (const what of ["opens", "saves"] as const) {
    const [theirs, plain] = [withStore[what], without[what]];
    const ratio = (of: (each: Taken) => number): string =>
      shown(theirs.map((each, index) => of(each) / of(plain[index] ?? each)));
    const middle = (all: readonly Taken[]): string => median(all.map(({ ms }) => ms)).toFixed(2);
    console.log(
      `${what} signed in, to without a store, 10 at once: ${ratio(({ ms }) => ms)}; ${middle(theirs)} ms and ${middle(plain)} ms; processor time ${ratio(({ processor }) => processor)}`,
    );
  }
  for (const { load, server } of [without, withStore]) {
    await load.close();
    await server.stop();
  }
} finally {
  await rm(directory, { recursive: true });
  await ground.drop();
}
