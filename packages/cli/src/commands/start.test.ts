import { spawn } from "node:child_process";
import { chmod, mkdir, mkdtemp, readFile, rm, writeFile } from "node:fs/promises";
import { createServer } from "node:net";
import os from "node:os";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { afterEach, beforeEach, describe, expect, test } from "@jest/globals";
import { Client } from "@loyal-quill/testing";
import pg from "pg";
import { freePort } from "../cluster/cluster.js";
import { demoUrl } from "./demo-url.js";

/** The command in a process of its own, as a person starts it. */
interface Run {
  readonly output: () => string;
  readonly ready: Promise<string>;
  readonly ended: Promise<number | null>;
  readonly signal: (name: NodeJS.Signals) => void;
}

const program = fileURLToPath(new URL("../../bin/quill.js", import.meta.url));
const limit = 90_000;

let directory: string;
const runs: Run[] = [];

beforeEach(async () => {
  directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-start-"));
  await chmod(directory, 0o711);
});

afterEach(async () => {
  for (const run of runs.splice(0)) {
    run.signal("SIGTERM");
    await run.ended;
  }
  await rm(directory, { recursive: true, force: true });
});

function start(...flags: string[]): Run {
  const child = spawn(process.execPath, [program, "start", "--data", directory, ...flags], { stdio: "pipe" });
  let output = "";
  const ended = new Promise<number | null>((resolve) => child.on("close", resolve));
  const ready = new Promise<string>((resolve) => {
    for (const stream of [child.stdout, child.stderr]) {
      stream.on("data", (part: Buffer) => {
        output += part.toString();
        const address = /Pages\s+(http:\S+)\//.exec(output)?.[1];
        if (address && output.includes("Ready.")) resolve(address);
      });
    }
    void ended.then(() => resolve(""));
  });
  const run = { output: () => output, ready, ended, signal: (name: NodeJS.Signals) => void child.kill(name) };
  runs.push(run);
  return run;
}

describe("quill start", () => {
  test(
    "makes everything, is killed, comes back with its data, and stops all that it started",
    async () => {
      await mkdir(path.join(directory, "postgres", "cluster.partial"), { recursive: true });
      await writeFile(path.join(directory, "postgres", "cluster.partial", "PG_VERSION"), "15\n");
      const first = start();
      const address = await first.ready;
      expect(first.output()).toContain("the half-made one is removed");
      expect(first.output()).toMatch(/hollis@marrow-vale\.example +\S+ +hydrologist/);
      expect((await new Client(address).get("/stations")).status).toBe(303);

      const second = start();
      expect(await second.ended).toBe(1);
      expect(second.output()).toContain(`already running on these data, at ${address}`);

      first.signal("SIGKILL");
      await first.ended;
      const third = start();
      expect(await third.ready).not.toBe("");
      expect(third.output()).toContain("ended without stopping properly");
      expect(third.output()).toContain("was still running");
      expect(third.output()).not.toContain("Making the demo data");
      expect(/hollis@\S+ +(\S+)/.exec(third.output())?.[1]).toBe(/hollis@\S+ +(\S+)/.exec(first.output())?.[1]);

      // What commands need to be typed as the README has them.
      for (const [owner, archive, user, database] of [
        [false, false, "quill_pages", "marrow_vale"],
        [true, true, "vale_owner", "vale_archive"],
      ] as const) {
        const client = new pg.Client(await demoUrl({ directory, owner, archive }));
        await client.connect();
        const { rows } = await client.query("SELECT current_user AS user, current_database() AS database");
        await client.end();
        expect(rows).toEqual([{ user, database }]);
      }

      third.signal("SIGINT");
      expect(await third.ended).toBe(0);
      expect(third.output()).toContain("Stopped: the server and its database cluster.");
      await expect(demoUrl({ directory, owner: false, archive: false })).rejects.toThrow("No demo runs on");

      // As of an earlier version: a page file that nobody has changed follows, one that somebody has stays and is named.
      const [pages, copied] = [path.join(directory, "pages"), path.join(directory, "pages-as-copied")];
      const river = await readFile(path.join(pages, "river.page.yaml"), "utf8");
      for (const place of [pages, copied]) await writeFile(path.join(place, "river.page.yaml"), `# Old.\n${river}`);
      await writeFile(path.join(copied, "region.page.yaml"), "# Old.\n");
      await writeFile(path.join(pages, "region.page.yaml"), "# Mine.\n");
      const fourth = start();
      await fourth.ready;
      fourth.signal("SIGINT");
      await fourth.ended;
      expect(fourth.output()).toContain("new in this version: river.page.yaml.");
      expect(fourth.output()).toContain("page files that you have changed: region.page.yaml. Yours stay");
      expect(await readFile(path.join(pages, "river.page.yaml"), "utf8")).toBe(river);
      expect(await readFile(path.join(pages, "region.page.yaml"), "utf8")).toBe("# Mine.\n");
    },
    limit,
  );

  test(
    "a taken port that was asked for is refused with what to do, and leaves no cluster behind",
    async () => {
      const port = await freePort();
      const other = createServer();
      await new Promise<void>((resolve) => other.listen(port, "127.0.0.1", resolve));
      const run = start("--port", String(port));
      expect(await run.ended).toBe(1);
      expect(run.output()).toContain(`Port ${port} is taken by another program. Choose another one with --port`);
      await new Promise((resolve) => other.close(resolve));
      const again = start("--port", String(port));
      expect(await again.ready).toBe(`http://127.0.0.1:${port}`);
      expect(again.output()).not.toContain("was still running");
    },
    limit,
  );

  test("a port that is none is refused", async () => {
    const run = start("--port", "seventy");
    expect(await run.ended).toBe(1);
    expect(run.output()).toContain("A port is a whole number from 1 to 65535.");
  });
});
