import { mkdir, mkdtemp, rm, symlink, writeFile } from "node:fs/promises";
import os from "node:os";
import path from "node:path";
import { afterAll, beforeAll, beforeEach, describe, expect, test } from "@jest/globals";
import { type Database, isError } from "@loyal-quill/core";
import { freshDatabase, type TestDatabase } from "@loyal-quill/testing";
import pg from "pg";
import { connect, databaseOver, type Loaded, loadPageFiles, problemLine } from "../index.js";
import { demoFile } from "../testing/trips.js";
import { LiveSite } from "./live-site.js";
import { PageProblems } from "./problems.js";

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

test("what pages do to each other is told anew, at its place, and no more when it is over; who had an address keeps it", async () => {
  const first = await load();
  const before = saidOf(first, "station");
  await write(
    "another",
    (await demoFile("station")).replace(/^title:.*$/m, (line) => `${line} `),
  );
  const line = (await demoFile("station")).split("\n").findIndex((each) => each.startsWith("path:")) + 1;
  const second = await load(first);
  expect(pageOf(second, "station")).toBe(pageOf(first, "station"));
  expect(pageOf(second, "another")).toBeNull();
  expect(saidOf(second, "another")).toEqual(expect.arrayContaining([{ code: "address-taken", line }]));
  const anew = await load();
  expect(pageOf(anew, "another")).not.toBeNull();
  expect(saidOf(anew, "station")).toEqual(expect.arrayContaining([{ code: "address-taken", line }]));
  await rm(path.join(directory, "another.page.yaml"));
  const third = await load(second);
  expect(pageOf(third, "station")).toBe(pageOf(first, "station"));
  expect(saidOf(third, "station")).toEqual(before);
});

describe("a file with an error", () => {
  const broken = async (): Promise<string> => (await demoFile("station")).replace("- name:", "- nome:");
  const stateOf = (loaded: Loaded) => {
    const file = loaded.files.find(({ name }) => name === "station");
    return {
      page: file?.page?.fields.length ?? null,
      errors: file?.findings.filter(isError).length,
      earlier: file?.earlier,
    };
  };

  test("leaves the page as it was, through further readings, until it is put right", async () => {
    const [sound, first] = [await demoFile("station"), await load()];
    const fields = pageOf(first, "station")?.fields.length;
    await write("station", await broken());
    const second = await load(first);
    expect(pageOf(second, "station")).toBe(pageOf(first, "station"));
    expect(stateOf(second)).toEqual({ page: fields, errors: 1, earlier: sound });
    await write("station", `${await broken()}# and still\n`);
    const third = await load(second);
    expect(stateOf(third)).toEqual({ page: fields, errors: 1, earlier: sound });
    await write("station", sound);
    expect(stateOf(await load(third))).toEqual({ page: fields, errors: 0, earlier: undefined });
  });

  test("leaves nothing where there never was a sound one, or none that fits the tables", async () => {
    await write("station", await broken());
    const first = await load();
    expect(stateOf(first)).toEqual({ page: null, errors: 1, earlier: undefined });
    expect(first.unsound).toEqual([{ name: "station", listSegments: ["stations"] }]);
  });

  test("is served as somebody else knows that it was, the newest sound text first", async () => {
    const sound = await demoFile("station");
    await write("station", await broken());
    const asked: (readonly string[])[] = [];
    const loaded = await loadPageFiles(directory, databaseOver(pool), undefined, async (names) => {
      asked.push(names);
      return new Map([["station", [await broken(), "format: nothing", `${sound}# older\n`, sound]]]);
    });
    expect(asked).toEqual([["station"]]);
    expect(stateOf(loaded)).toMatchObject({ errors: 1, earlier: `${sound}# older\n` });
    expect(pageOf(loaded, "station")?.fields.length).toBeGreaterThan(3);
  });

  test("is told once, and again when it is another one", async () => {
    const lines: string[] = [];
    const problems = new PageProblems((problem) => lines.push(problemLine(problem)));
    const first = await load();
    problems.look(first);
    await write("station", await broken());
    const second = await load(first);
    problems.look(second);
    problems.look(await load(second));
    expect(lines).toEqual([
      expect.stringMatching(
        /^station\.page\.yaml:\d+:5 {2}error {2}The table network\.station has no column "nome"\. Did you mean "name"\? The page is served as it was before\.$/,
      ),
    ]);
  });
});

test("what is called like a page file and is none stands in nobody's way", async () => {
  await mkdir(path.join(directory, "zz.page.yaml"));
  await symlink(path.join(directory, "nowhere"), path.join(directory, "gone.page.yaml"));
  const loaded = await load();
  expect(loaded.files.map(({ name, page }) => `${name} ${page !== null}`)).toEqual(["sensor true", "station true"]);
});

describe("reading anew", () => {
  /** A database whose catalogs take as long as somebody says. */
  const slowed = () => {
    const waiting: (() => void)[] = [];
    let isSlow = false;
    const plain = databaseOver(pool);
    const database: Database = {
      transaction: (run, purpose) => plain.transaction(run, purpose),
      run: async (statement) => {
        if (isSlow) await new Promise<void>((resolve) => waiting.push(resolve));
        return plain.run(statement);
      },
    };
    const slow = (): void => {
      isSlow = true;
    };
    const goOn = (): void => {
      isSlow = false;
      for (const each of waiting.splice(0)) each();
    };
    return { database, slow, goOn };
  };

  const open = async (database: Database, lookEvery = 3_600_000) => {
    const heard: number[] = [];
    const site = await LiveSite.open({
      directory,
      database,
      given: new Map(),
      lookEvery,
      onLoad: (loaded) => heard.push(loaded.pages.length),
      onError: (error) => {
        throw error;
      },
    });
    return { site, heard };
  };

  test("goes one after the other: what was written before somebody asked is there when they were answered", async () => {
    const { database, slow, goOn } = slowed();
    const { site } = await open(database);
    slow();
    const first = site.reload();
    await new Promise(setImmediate);
    await write("river", await demoFile("river"));
    const second = site.reload();
    goOn();
    await Promise.all([first, second]);
    expect(site.loaded.pages.map(({ name }) => name)).toEqual(["river", "sensor", "station"]);
    await site.close();
  });

  test("is asked for by many at once and done twice at most: now, and once for all who came meanwhile", async () => {
    const { database, slow, goOn } = slowed();
    const { site, heard } = await open(database);
    slow();
    const all = [site.reload()];
    await new Promise(setImmediate);
    for (let asked = 0; asked < 20; asked++) all.push(site.reload());
    goOn();
    await Promise.all(all);
    expect(heard).toEqual([2, 2]);
    await site.close();
  });

  test("is done where the files are others, though nobody said so", async () => {
    const { site } = await open(databaseOver(pool));
    // As where a watch has missed it: the event comes later than the look.
    await write("river", await demoFile("river"));
    await site.look();
    expect(site.loaded.pages.map(({ name }) => name)).toContain("river");
    await site.close();
  });
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
