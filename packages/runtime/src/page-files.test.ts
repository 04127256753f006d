import { mkdtemp, rm, writeFile } from "node:fs/promises";
import os from "node:os";
import path from "node:path";
import { afterAll, beforeAll, beforeEach, expect, test } from "@jest/globals";
import { freshDatabase, type TestDatabase } from "@loyal-quill/testing";
import pg from "pg";
import { connect, databaseOver, type Loaded, loadPageFiles } from "./index.js";
import { demoFile } from "./testing/trips.js";

/** Page files that are read anew: what has not changed since is taken as it was. */

let made: TestDatabase;
let pool: pg.Pool;
let directory: string;
beforeAll(async () => {
  made = await freshDatabase();
  pool = connect(made.pages, 2);
});
afterAll(async () => {
  await pool.end();
  await made.drop();
});
beforeEach(async () => {
  if (directory) await rm(directory, { recursive: true });
  directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-pages-"));
  await write("station", await demoFile("station"));
  await write("sensor", await demoFile("sensor"));
});

const write = (name: string, text: string): Promise<void> => writeFile(path.join(directory, `${name}.page.yaml`), text);
const load = (before?: Loaded): Promise<Loaded> => loadPageFiles(directory, databaseOver(pool), before);
const pageOf = (loaded: Loaded, name: string) => loaded.files.find((file) => file.name === name)?.page;
const saidOf = (loaded: Loaded, name: string) =>
  loaded.files
    .find((file) => file.name === name)
    ?.findings.filter(({ code }) => code === "address-taken" || code === "related")
    .map(({ code, line }) => ({ code, line }));

test("a page whose file has not changed stays the page that it was; another one is made where it has", async () => {
  const first = await load();
  await write("sensor", `${await demoFile("sensor")}# changed\n`);
  const second = await load(first);
  expect(pageOf(second, "station")).toBe(pageOf(first, "station"));
  expect(pageOf(second, "sensor")).not.toBe(pageOf(first, "sensor"));
  expect(pageOf(second, "sensor")?.version).not.toBe(pageOf(first, "sensor")?.version);
  expect(second.files).toEqual((await load()).files);
});

test("what pages do to each other is told anew, at its place, and no more when it is over", async () => {
  const first = await load();
  const before = saidOf(first, "station");
  await write(
    "another",
    (await demoFile("station")).replace(/^title:.*$/m, (line) => `${line} `),
  );
  const second = await load(first);
  expect(pageOf(second, "another")).not.toBeNull();
  expect(pageOf(second, "station")).toBeNull();
  const line = (await demoFile("station")).split("\n").findIndex((each) => each.startsWith("path:")) + 1;
  expect(saidOf(second, "station")).toEqual(expect.arrayContaining([{ code: "address-taken", line }]));
  expect(second.files).toEqual((await load()).files);
  await rm(path.join(directory, "another.page.yaml"));
  const third = await load(second);
  expect(pageOf(third, "station")).toBe(pageOf(first, "station"));
  expect(saidOf(third, "station")).toEqual(before);
});

test("all are made anew where the tables are no longer the same", async () => {
  const first = await load();
  const owner = new pg.Client(made.owner);
  await owner.connect();
  try {
    await owner.query("ALTER TABLE network.region ADD COLUMN hue text");
  } finally {
    await owner.end();
  }
  const second = await load(first);
  expect(pageOf(second, "station")).not.toBe(pageOf(first, "station"));
  expect(second.catalog.tables.find(({ name }) => name === "region")?.columns.at(-1)?.name).toBe("hue");
});
