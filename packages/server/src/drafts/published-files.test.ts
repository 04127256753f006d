import { mkdir, mkdtemp, readdir, readFile, rm } from "node:fs/promises";
import os from "node:os";
import path from "node:path";
import { afterEach, beforeEach, describe, expect, test } from "@jest/globals";
import { PublishedFiles, writePublished } from "./published-files.js";

let directory: string;
beforeEach(async () => {
  directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-files-"));
});
afterEach(() => rm(directory, { recursive: true }));

/** A store of so many pages, all of the same text. */
const storeOf = (count: number, text: () => string) => ({
  versions: {
    last: async () =>
      Array.from({ length: count }, (_, index) => ({ page: `page-${index}`, number: "1", text: text(), model: null })),
  },
});

test("several at once write the same files, and none is half there, missing or left over", async () => {
  let turn = 0;
  const text = (): string => `${"x".repeat(100_000)} ${turn}`;
  for (turn = 0; turn < 5; turn++)
    await Promise.all(Array.from({ length: 8 }, () => writePublished(storeOf(10, text), directory)));
  turn = 4;
  const names = (await readdir(directory)).toSorted();
  expect(names).toEqual(Array.from({ length: 10 }, (_, index) => `page-${index}.page.yaml`).toSorted());
  for (const name of names) expect(await readFile(path.join(directory, name), "utf8")).toBe(text());
});

test("what was never published goes, be it a directory of such a name", async () => {
  await mkdir(path.join(directory, "zz.page.yaml", "inside"), { recursive: true });
  await writePublished(
    storeOf(1, () => "text"),
    directory,
  );
  expect(await readdir(directory)).toEqual(["page-0.page.yaml"]);
});

describe("bringing what was published", () => {
  test("is one run at a time; what comes meanwhile is brought by the next one, and only by one", async () => {
    let [running, most, runs] = [0, 0, 0];
    const files = new PublishedFiles(
      async () => {
        runs++;
        running++;
        most = Math.max(most, running);
        await new Promise((resolve) => setImmediate(resolve));
        running--;
      },
      () => {},
    );
    await Promise.all(Array.from({ length: 50 }, () => files.bring()));
    expect([most, runs]).toEqual([1, 2]);
  });

  test("a run that fails is run again until it works", async () => {
    const errors: unknown[] = [];
    let runs = 0;
    const files = new PublishedFiles(
      async () => {
        runs++;
        if (runs < 4) throw new Error(`run ${runs}`);
      },
      (error) => errors.push(error),
      1,
    );
    await files.bring();
    expect([runs, errors.map(String)]).toEqual([4, ["Error: run 1", "Error: run 2", "Error: run 3"]]);
  });

  test("ends with whoever closes it, also in the middle of failing", async () => {
    const files = new PublishedFiles(
      async () => {
        throw new Error("never");
      },
      () => {},
      600_000,
    );
    const brought = files.bring();
    await new Promise((resolve) => setImmediate(resolve));
    await files.close();
    await brought;
  });
});
