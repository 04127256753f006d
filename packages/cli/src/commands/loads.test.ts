import { execFile } from "node:child_process";
import { mkdtemp, readdir, readFile, rm } from "node:fs/promises";
import os from "node:os";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { afterAll, beforeAll, expect, test } from "@jest/globals";
import { freshDatabase, type TestDatabase } from "@loyal-quill/testing";

/** What a command loads before it does anything: most of the time that a short one takes. */

const program = fileURLToPath(new URL("../../bin/quill.js", import.meta.url));
const demoPages = fileURLToPath(new URL("../../../../demo/pages", import.meta.url));

let made: TestDatabase;
beforeAll(async () => {
  made = await freshDatabase();
});
afterAll(() => made.drop());

/** The modules that a run of the command has loaded, as V8 counts them. */
async function loadedBy(...words: readonly string[]): Promise<readonly string[]> {
  const directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-loads-"));
  try {
    const env = {
      ...process.env,
      DATABASE_URL: made.owner,
      QUILL_SIGNING_KEYS: "a-key-of-thirty-two-bytes-or-more",
      NODE_V8_COVERAGE: directory,
    };
    await new Promise<void>((resolve) =>
      execFile(process.execPath, [program, ...words], { env, maxBuffer: 100_000_000 }, () => resolve()),
    );
    const files = await readdir(directory);
    const texts = await Promise.all(files.map((file) => readFile(path.join(directory, file), "utf8")));
    return texts.flatMap((text) => (JSON.parse(text) as { result: { url: string }[] }).result.map(({ url }) => url));
  } finally {
    await rm(directory, { recursive: true });
  }
}

const server =
  /\/node_modules\/(@mikro-orm|express|piscina|openid-client)\/|\/packages\/server\/dist\/(?!typescript\.js)/;

test.each([
  ["help", () => ["--help"]],
  ["check", () => ["check", demoPages, "--database", made.pages]],
  ["draft", () => ["draft", "network.river", "--database", made.pages]],
  ["log verify", () => ["log", "verify", "--database", made.reader]],
  ["log export", () => ["log", "export", "--database", made.reader]],
])("%s loads neither the server nor what the store is kept with", async (_name, words) => {
  const loaded = await loadedBy(...words());
  expect(loaded.some((url) => url.endsWith("/packages/cli/dist/run.js"))).toBe(true);
  expect(loaded.filter((url) => server.test(url))).toEqual([]);
});

test.each([
  [
    "rows",
    () => ["rows", "get", "station", "--pages", demoPages, "--as", "x", "--role", "technician", "--to", os.devNull],
  ],
  ["doctor", () => ["doctor", "--pages", demoPages]],
  [
    "serve without a store",
    () => ["serve", "--pages", demoPages, "--as", "x", "--database", "postgresql://127.0.0.1:1/none"],
  ],
])("%s loads nothing of what the store is kept with, and no sign-in", async (_name, words) => {
  const loaded = await loadedBy(...words());
  expect(loaded.some((url) => url.endsWith("/packages/server/dist/pages.js"))).toBe(true);
  expect(
    loaded.filter((url) =>
      /\/node_modules\/(@mikro-orm|knex|piscina|openid-client|express-session)\/|\/server\/dist\/(application|sign-in|store\/store\.js)/.test(
        url,
      ),
    ),
  ).toEqual([]);
});

test("help loads no other package of ours", async () => {
  const loaded = await loadedBy("--help");
  expect(loaded.filter((url) => /\/packages\/(authoring|runtime|server)\//.test(url))).toEqual([]);
});
