/**
 * Much at once, beside a tenth of it: a thousand page files, ten thousand sessions, two hundred windows at the live feed, a hundred thousand recorded
 * requests and a thousand drafts. What it takes in memory, and how fast pages, the workbench and the feed are.
 */
import { mkdtemp, readFile, rm } from "node:fs/promises";
import os from "node:os";
import path from "node:path";
import process from "node:process";
import type { Client } from "@loyal-quill/testing";
import pg from "pg";
import { median, table } from "./figures.js";
import { makeGround } from "./ground.js";
import { Load } from "./load.js";
import { type Apart, serveApart, signedIn } from "./quill.js";
import { stationPages } from "./station-pages.js";

/** Windows of one person at most. */
const windowsOfOne = 8;
const rounds = 5;

interface Size {
  readonly pages: number;
  readonly sessions: number;
  readonly windows: number;
  readonly requests: number;
  readonly drafts: number;
}
const all: Size = { pages: 1000, sessions: 10_000, windows: 200, requests: 100_000, drafts: 1000 };
const tenth = Object.fromEntries(Object.entries(all).map(([name, count]) => [name, count / 10])) as unknown as Size;

/** What a process holds in memory, in MiB. */
async function memoryOf(pid: number): Promise<number> {
  const status = await readFile(`/proc/${pid}/status`, "utf8");
  return Number(/VmRSS:\s+(\d+) kB/.exec(status)?.[1] ?? 0) / 1024;
}

/** Copies of what one person has left in the store, as many as there are to be. */
async function fill(url: string, size: Size): Promise<void> {
  const store = new pg.Client(url);
  await store.connect();
  try {
    await copyIn(store, size);
  } finally {
    await store.end();
  }
}

async function copyIn(store: pg.Client, { pages, sessions, requests, drafts }: Size): Promise<void> {
  await store.query(`INSERT INTO session (sid, sess, expire) SELECT md5(n::text), s.sess, s.expire
    FROM (SELECT * FROM session LIMIT 1) AS s, generate_series(1, ${sessions}) AS n`);
  const { rows } = await store.query<{ names: string }>(
    "SELECT string_agg(quote_ident(column_name), ', ') AS names FROM information_schema.columns WHERE table_name = 'request' AND column_name NOT IN ('id', 'number', 'page')",
  );
  const names = rows[0]?.names ?? "";
  await store.query(`INSERT INTO request (id, page, ${names}) SELECT gen_random_uuid(), 'page-' || n % ${pages}, ${names}
    FROM (SELECT * FROM request WHERE page IS NOT NULL LIMIT 1) AS r, generate_series(1, ${requests}) AS n`);
  await store.query(`INSERT INTO draft (database, page, text, base, revision, at, by_name, format)
    SELECT '', 'page-' || n, v.text, v.text, 1, now(), 'Tamsin Okoro', v.format FROM (SELECT text, format FROM version LIMIT 1) AS v, generate_series(0, ${drafts - 1}) AS n
    ON CONFLICT DO NOTHING`);
  // Else PostgreSQL would do it by itself in the middle of what is measured.
  await store.query("VACUUM ANALYZE");
}

interface Windows {
  readonly heard: () => number;
  readonly close: () => void;
}

async function openWindows(people: readonly Client[], count: number): Promise<Windows> {
  const gone = new AbortController();
  let heard = 0;
  for (let index = 0; index < count; index++) {
    const response = await people[Math.floor(index / windowsOfOne)]?.open("/workbench/api/feed", gone.signal);
    if (response?.status !== 200) throw new Error(`a window was answered ${response?.status}`);
    void (async () => {
      // What says that it is a request may come in two parts.
      let rest = "";
      for await (const part of response.body?.pipeThrough(new TextDecoderStream()) ?? []) {
        const parts = (rest + part).split("\n\n");
        rest = parts.pop() ?? "";
        heard += parts.filter((each) => each.includes('"kind":"request"')).length;
      }
    })().catch(() => {});
  }
  return { heard: () => heard, close: () => gone.abort() };
}

async function measured(size: Size): Promise<readonly number[]> {
  const ground = await makeGround();
  let server: Apart | undefined;
  const directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-crowd-"));
  try {
    const pages = await stationPages(path.join(directory, "pages"), size.pages);
    const first = await serveApart(ground, pages);
    const [somebody] = await signedIn(ground, first.origin, 1);
    await somebody?.get(`/stations-0/${ground.codes[0]}/edit`);
    await new Promise((resolve) => setTimeout(resolve, 500));
    await first.stop();
    await fill(ground.store, size);
    server = await serveApart(ground, pages);
    const people = await signedIn(ground, server.origin, Math.ceil(size.windows / windowsOfOne) + 1);
    const windows = await openWindows(people.slice(1), size.windows);
    const load = new Load(server.port, 8);
    load.carry(people[0]?.cookieHeader ?? "");
    const once = async (count: number, address: (index: number) => string): Promise<number> => {
      const { results, seconds } = await load.all([...Array(count).keys()], (index) =>
        load.send("GET", address(index)),
      );
      const wrong = results.find(({ status }) => status !== 200);
      if (wrong) throw new Error(`a request was answered ${wrong.status}: ${wrong.body.slice(0, 200)}`);
      return count / seconds;
    };
    const rates = {
      opens: [] as number[],
      requests: [] as number[],
      pages: [] as number[],
      told: [] as number[],
      heard: [] as number[],
    };
    for (let round = -2; round < rounds; round++) {
      const before = windows.heard();
      const begun = performance.now();
      const opens = await once(240, (index) => `/stations-${(index * 7) % size.pages}/${ground.codes[index]}/edit`);
      // Every window hears of every open.
      while (windows.heard() - before < 240 * size.windows) {
        // Where the store can't say in time who may hear of it, a window is told later.
        if (performance.now() - begun > 15_000) break;
        await new Promise((resolve) => setTimeout(resolve, 5));
      }
      const told = ((windows.heard() - before) * 1000) / (performance.now() - begun);
      const share = (windows.heard() - before) / (240 * size.windows);
      const requests = await once(20, () => "/workbench/api/requests");
      const listed = await once(10, () => "/workbench/api/pages");
      if (round < 0) continue;
      rates.opens.push(opens);
      rates.told.push(told);
      rates.heard.push(100 * share);
      rates.requests.push(requests);
      rates.pages.push(listed);
    }
    const memory = await memoryOf(server.pid);
    windows.close();
    await load.close();
    return [server.startMs, memory, ...[rates.opens, rates.requests, rates.pages, rates.told, rates.heard].map(median)];
  } finally {
    await server?.stop();
    await rm(directory, { recursive: true, force: true });
    await ground.drop();
  }
}

const [few, many] = [await measured(tenth), await measured(all)];
const names = [
  "start, ms",
  "memory, MiB",
  "opens a second",
  "lists of requests a second",
  "lists of pages a second",
  "events told a second",
  "of them heard, %",
];
process.stdout.write(
  `${table([
    ["", "a tenth", "all", "all to a tenth"],
    ...names.map((name, index) => [
      name,
      (few[index] ?? 0).toFixed(0),
      (many[index] ?? 0).toFixed(0),
      ((many[index] ?? 0) / (few[index] ?? 1)).toFixed(2),
    ]),
  ])}\n`,
);
