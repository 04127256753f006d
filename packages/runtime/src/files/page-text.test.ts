import { mkdtemp, rm, writeFile } from "node:fs/promises";
import os from "node:os";
import path from "node:path";
import { afterAll, beforeAll, expect, test } from "@jest/globals";
import { readPageText } from "./page-files.js";

let directory: string;
beforeAll(async () => {
  directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-text-"));
});
afterAll(() => rm(directory, { recursive: true }));

test("a page file that an editor has emptied and not yet written is read again; one that stays empty is empty", async () => {
  const file = path.join(directory, "visit.page.yaml");
  await writeFile(file, "");
  expect(await readPageText(file)).toBe("");
  const reading = readPageText(file);
  await writeFile(file, "title: Visit\n");
  expect(await reading).toBe("title: Visit\n");
});
