/**
 * A day of `quill serve` in one run: ten thousand opens, saves, refusals, lists, downloads, drafts, publications and windows at the live feed an hour
 * of an office would bring, thirty times over. What the process holds after a tenth of it, and at the end.
 */
import { mkdtemp, rm } from "node:fs/promises";
import os from "node:os";
import path from "node:path";
import process from "node:process";
import type { Client } from "@loyal-quill/testing";
import { table } from "./figures.js";
import { makeGround } from "./ground.js";
import type { HeldNow } from "./heap-told.js";
import { Load, valuesIn } from "./load.js";
import { type Apart, serveApart, signedIn } from "./quill.js";
import { stationPages } from "./station-pages.js";

const hours = Number(process.env.BENCH_HOURS ?? 30);
const pageCount = 10;
/** In one hour. */
const opens = 1000;
const saves = 250;
const refusals = 100;
const lists = 60;
const downloads = 6;
const drafts = 4;
const windows = 8;

const held = ({ told }: Apart): Promise<HeldNow> =>
  new Promise((resolve) => {
    told.once("message", (answer) => resolve(answer as HeldNow));
    told.send("held");
  });

/** Sends JSON to the workbench as its browser does. */
async function workbench(client: Client) {
  const { csrfToken } = JSON.parse((await client.get("/workbench/api/session")).text) as { csrfToken: string };
  return async (method: string, address: string, body?: unknown) => {
    const { status, text } = await client.send(`/workbench/api${address}`, {
      method,
      headers: { "x-csrf-token": csrfToken, ...(body === undefined ? {} : { "content-type": "application/json" }) },
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
    });
    if (status !== 200) throw new Error(`${method} ${address} was answered ${status}: ${text.slice(0, 200)}`);
    return JSON.parse(text) as { text: string; revision: number };
  };
}

const ground = await makeGround();
const directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-bench-long-life-"));
let server: Apart | undefined;
try {
  const pages = await stationPages(path.join(directory, "pages"), pageCount);
  server = await serveApart(ground, pages, { measured: true });
  const [person, builder] = await signedIn(ground, server.origin, 2);
  if (!person || !builder) throw new Error("nobody is signed in");
  const build = await workbench(builder);
  const load = new Load(server.port, 8);
  load.carry(person.cookieHeader);
  const address = (index: number): string =>
    `/stations-${index % pageCount}/${ground.codes[index % ground.codes.length]}`;
  let sent = 0;
  const asked = async (method: "GET" | "POST", to: string, wanted: readonly number[], body?: string) => {
    const answer = await load.send(method, to, body);
    sent += 1;
    if (!wanted.includes(answer.status))
      throw new Error(`${to} was answered ${answer.status}: ${answer.body.slice(0, 200)}`);
    return answer;
  };
  const all = (count: number, run: (index: number) => Promise<unknown>) => load.all([...Array(count).keys()], run);
  const save = async (index: number, values: Readonly<Record<string, string>>, wanted: readonly number[]) => {
    const form = valuesIn((await asked("GET", `${address(index)}/edit`, [200])).body);
    for (const [name, value] of Object.entries(values)) form.set(name, value);
    await asked("POST", `${address(index)}/edit`, wanted, form.toString());
  };
  const anHour = async (hour: number): Promise<void> => {
    const gone = new AbortController();
    for (let index = 0; index < windows; index++) {
      const response = await builder.open("/workbench/api/feed", gone.signal);
      void response.body?.pipeTo(new WritableStream()).catch(() => {});
    }
    await all(opens, (index) => asked("GET", `${address(index)}/edit`, [200]));
    await all(saves, (index) => save(index, { notes: `Hour ${hour}, ${index}.` }, [303]));
    await all(refusals, (index) => save(index, { warning_m: "-1", alert_m: "high" }, [422]));
    await all(lists, (index) => asked("GET", `/stations-${index % pageCount}?q=weir&sort=-name`, [200]));
    await all(lists, (index) => asked("GET", `${address(index)}/history`, [200]));
    await all(lists, (index) => asked("GET", `/stations-${index % pageCount}/none-${hour}-${index}/edit`, [404]));
    // One person downloads no two lists at once.
    for (let index = 0; index < downloads; index++) await asked("GET", `/stations-${index % pageCount}/~csv`, [200]);
    for (let index = 0; index < drafts; index++) {
      const name = `page-${index % pageCount}`;
      const { text } = await build("GET", `/drafts/${name}`);
      const changed = `${text.replace(/# hour .*\n/, "")}# hour ${hour}\n`;
      const { revision } = await build("PUT", `/drafts/${name}`, { was: text, text: changed });
      await build("POST", `/drafts/${name}/publish`, { revision });
      sent += 3;
    }
    for (const each of ["/requests", "/pages", "/database"]) await build("GET", each);
    sent += 3;
    gone.abort();
  };
  const lines = [["after", "requests", "heap MB", "descriptors", "resident MB"]];
  const told: HeldNow[] = [];
  for (let hour = 1; hour <= hours; hour++) {
    await anHour(hour);
    process.stderr.write(`Hour ${hour} of ${hours}\n`);
    if (hour !== Math.ceil(hours / 10) && hour !== hours) continue;
    const now = await held(server);
    told.push(now);
    lines.push([
      `${hour} hours`,
      sent.toLocaleString("en"),
      (now.heap / 1e6).toFixed(1),
      String(now.descriptors),
      (now.resident / 1e6).toFixed(0),
    ]);
  }
  const [early, late] = told;
  if (!early || !late) throw new Error("nothing was measured");
  process.stdout.write(
    `${table(lines)}\n\nheap at the end, to after a tenth: ${(late.heap / early.heap).toFixed(2)}\ndescriptors at the end, to after a tenth: ${(late.descriptors / early.descriptors).toFixed(2)}\n`,
  );
  await load.close();
} finally {
  await server?.stop();
  await rm(directory, { recursive: true, force: true });
  await ground.drop();
}
