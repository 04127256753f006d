import { execFile, spawn } from "node:child_process";
import { mkdtemp, readFile, rm, writeFile } from "node:fs/promises";
import os from "node:os";
import path from "node:path";
import process from "node:process";
import { fileURLToPath } from "node:url";
import { promisify } from "node:util";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { bodyOf, Client, formOf, freshDatabase, type TestDatabase, until } from "@loyal-quill/testing";
import pg from "pg";

const program = fileURLToPath(new URL("../../bin/quill.js", import.meta.url));

let made: TestDatabase;
let owner: pg.Client;
let directory: string;

/** Page files with TypeScript beside them, as a developer has them. */
beforeAll(async () => {
  made = await freshDatabase();
  owner = new pg.Client(made.owner);
  await owner.connect();
  directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-own-"));
  const file = (name: string, text: string) => writeFile(path.join(directory, name), text);
  await file(
    "region.page.yaml",
    `format: loyal-quill/page@1
title: "{name}"
path: /regions/{id}
record: { table: network.region, key: id }
access: { open: "true" }
fields:
  - name: { rules: [in-capitals] }
`,
  );
  await file("words.ts", "export const refused: string = 'No region is called so.';");
  await file(
    "region.page.ts",
    `import { refused } from "./words.js";
interface Region { id: number; name: string }
export default {
  check({ form, problem }: { form: Partial<Region>; problem(field: keyof Region, message: string): void }) {
    if (form.name === "Nowhere") problem("name", refused);
  },
};
`,
  );
  await file(
    "quill.config.ts",
    `const said: string = "Begin with a capital letter.";
export default { rules: [{ name: "in-capitals", label: "In capitals", words: "a capital letter first", broken: (value: string) => (/^[A-Z]/.test(value) ? null : said) }] };
`,
  );
});
afterAll(async () => {
  await owner.end();
  await made.drop();
  await rm(directory, { recursive: true });
});

const quill = (...args: string[]) =>
  promisify(execFile)(process.execPath, [program, ...args, "--database", made.pages]);

describe("code beside page files, in TypeScript", () => {
  test("is known to the review: without it the page names what there is not", async () => {
    expect((await quill("check", "--no-rows", directory)).stdout).toContain("0 errors");
    const alone = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-alone-"));
    const text = await readFile(path.join(directory, "region.page.yaml"), "utf8");
    await writeFile(path.join(alone, "region.page.yaml"), text);
    const failed = await quill("check", "--no-rows", alone).catch((error: { stdout: string; code: number }) => error);
    expect(failed).toMatchObject({ code: 1, stdout: expect.stringContaining("in-capitals") });
    await rm(alone, { recursive: true });
  });

  test("runs in the pages that quill serve serves", async () => {
    const child = spawn(process.execPath, [
      program,
      "serve",
      "--pages",
      directory,
      "--as",
      "me",
      "--steps",
      "--database",
      made.pages,
    ]);
    let said = "";
    try {
      const address = await new Promise<string>((resolve, reject) => {
        for (const stream of [child.stdout, child.stderr])
          stream.on("data", (part) => {
            said += part;
            const found = /(http:\/\/127\.0\.0\.1:\d+)/.exec(said)?.[1];
            if (found) resolve(found);
          });
        child.on("exit", (code) => reject(new Error(`ended with ${code}: ${said}`)));
      });
      const client = new Client(address);
      const save = async (name: string): Promise<string> =>
        (await client.post("/regions/1/edit", bodyOf(formOf((await client.get("/regions/1/edit")).text), { name })))
          .text;
      expect(await save("Nowhere")).toContain("No region is called so.");
      expect(await save("nowhere")).toContain("Begin with a capital letter.");
      await until(() => said.includes("check:"));
      expect(said).toMatch(/check: \d+\.\d ms, name: No region is called so\./);
      // What the database fails is said to whoever runs it, too.
      await owner.query("BEGIN");
      await owner.query("LOCK TABLE network.region IN ACCESS EXCLUSIVE MODE");
      expect((await client.get("/regions/1/edit")).status).toBe(503);
      await until(() => said.includes("RequestFailed"));
      expect(said).toMatch(/The page region answered 503 \(open\): \w+ canceling statement/);
      await owner.query("ROLLBACK");
    } finally {
      child.kill("SIGTERM");
    }
  });
});

describe("quill types", () => {
  test("writes the types of tables, or says which it does not find", async () => {
    const file = path.join(directory, "tables.ts");
    expect((await quill("types", "network.region", "network.river", "--to", file)).stdout).toContain(
      `2 tables: ${file}`,
    );
    expect(await readFile(file, "utf8")).toMatch(
      /export interface Region \{\n {2}id: number;[\s\S]*export interface River \{/,
    );
    const missing = await quill("types", "network.nothing").catch((error: { stderr: string; code: number }) => error);
    expect(missing).toMatchObject({ code: 1, stderr: expect.stringContaining("There is no table network.nothing") });
  });
});

describe("quill outbox", () => {
  test("tells what waits and what was given up, and has it tried again", async () => {
    expect((await quill("outbox")).stdout).toBe("Nothing waits.\n");
    await owner.query(
      `INSERT INTO quill_log.outbox (page, event, tries, said, given_up) VALUES ('region', '{"entry":"12"}', 60, 'no line', now()), ('region', '{"entry":"13"}', 1, NULL, NULL)`,
    );
    const lines = (await quill("outbox")).stdout.trim().split("\n");
    expect(lines).toEqual([
      expect.stringMatching(/^\d+ {2}region {2}entry 12 {2}since .* {2}60 tries {2}given up at .* {2}no line$/),
      expect.stringMatching(/^\d+ {2}region {2}entry 13 {2}since .* {2}1 try {2}again at [^ ]+ [^ ]+$/),
    ]);
    expect((await quill("outbox", "--again")).stdout).toMatch(
      /^Tried again, by the processes that serve the pages: 1\.\n.*0 tries {2}again at/,
    );
    await owner.query("DELETE FROM quill_log.outbox; REVOKE ALL ON quill_log.outbox FROM quill_pages");
    const refused = await quill("outbox").catch((error: { stderr: string; code: number }) => error);
    expect(refused).toMatchObject({ code: 1, stderr: expect.stringContaining("There is no outbox") });
  });
});
