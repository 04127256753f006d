import { type ChildProcess, execFile, spawn } from "node:child_process";
import { cp, mkdtemp, rm } from "node:fs/promises";
import os from "node:os";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { freshDatabase, startProxy, type TestDatabase, testCluster, throughProxy } from "@loyal-quill/testing";
import pg from "pg";
import { freePort } from "../cluster/cluster.js";
import { diagnose } from "./doctor.js";

/** `quill serve` with several processes, and `quill doctor`. */

const program = fileURLToPath(new URL("../../bin/quill.js", import.meta.url));
const demoPages = fileURLToPath(new URL("../../../../demo/pages", import.meta.url));

let made: TestDatabase;
let directory: string;
const begun: ChildProcess[] = [];
beforeAll(async () => {
  made = await freshDatabase();
  directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-fleet-"));
  await cp(demoPages, directory, { recursive: true });
});
afterAll(async () => {
  for (const each of begun) each.kill("SIGKILL");
  await rm(directory, { recursive: true });
  await made.drop();
});

const wait = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));
async function until<Found>(
  look: () => Promise<Found | undefined | false> | Found | undefined | false,
): Promise<Found> {
  for (let turn = 0; turn < 1200; turn++) {
    const found = await look();
    if (found) return found;
    await wait(100);
  }
  throw new Error("it never came");
}

/** A server of some processes. */
async function served(...flags: readonly string[]) {
  const [port, measured] = [await freePort(), await freePort()];
  const told = ["--pages", directory, "--port", String(port), "--metrics-port", String(measured), ...flags];
  const child = spawn(process.execPath, [program, "serve", ...told], {
    stdio: "pipe",
    env: { ...process.env, DATABASE_URL: made.pages, QUILL_STORE: made.store },
  });
  begun.push(child);
  let output = "";
  for (const stream of [child.stdout, child.stderr]) stream?.on("data", (part: Buffer) => (output += part.toString()));
  const exited = new Promise<number | null>((resolve) => child.once("exit", resolve));
  await until(() => output.includes("Ready: ") || child.exitCode !== null);
  const status = (at: string): Promise<number> =>
    fetch(`http://127.0.0.1:${port}${at}`, { redirect: "manual" }).then(
      (answer) => answer.status,
      () => 0,
    );
  const metrics = (): Promise<string> =>
    fetch(`http://127.0.0.1:${measured}/metrics`).then(
      (answer) => answer.text(),
      () => "",
    );
  return { child, exited, status, metrics, output: () => output };
}

test("each database has its own standbys", async () => {
  const { metrics, child, exited } = await served(
    ...["--also", "archive", made.pages, directory],
    ...["--replica", `archive=${made.pages}`],
  );
  const told = await until(async () => (await metrics()).match(/^quill_replica_up\{.*$/gm) ?? undefined);
  const { host } = new URL(made.pages);
  // What is given here is no standby, so it is not read from.
  expect(told).toEqual([`quill_replica_up{database="archive",place="${host}"} 0`]);
  child.kill("SIGTERM");
  expect(await exited).toBe(0);
});

describe("quill serve --workers", () => {
  test("serves with several processes at one port, begins another where one ends, measures them together, and ends in order", async () => {
    const { child, exited, status, metrics, output } = await served("--workers", "2", "--drain-delay", "2");
    expect([output(), await status("/sign-in")]).toEqual([
      expect.stringContaining("2 processes serve at one port."),
      200,
    ]);
    // What there is to say is said once.
    expect(output().match(/page files are served/g)).toHaveLength(1);
    await until(async () => /quill_processes 2/.test(await metrics()));
    const plain = new pg.Client(made.store);
    await plain.connect();
    const pids = async (): Promise<number[]> =>
      (await plain.query<{ pid: number }>("SELECT pid FROM process ORDER BY pid")).rows.map(({ pid }) => pid);
    const before = await until(async () => ((await pids()).length === 2 ? pids() : false));
    process.kill(before[0] ?? 0, "SIGKILL");
    await until(() => output().includes("ended (SIGKILL): another one takes its place."));
    await until(async () => (await pids()).filter((pid) => !before.includes(pid)).length === 1);
    expect(await status("/sign-in")).toBe(200);
    child.kill("SIGTERM");
    await until(async () => (await status("/readyz")) === 503);
    // It says so before it ends: a proxy has time to hear it.
    expect(await status("/sign-in")).toBe(200);
    expect(await exited).toBe(0);
    await plain.end();
  }, 60_000);

  test("says why it does not begin", async () => {
    const { exited, output } = await served("--workers", "2", "--no-passwords");
    expect([await exited, output()]).toEqual([1, expect.stringContaining("Without passwords nobody could sign in")]);
  }, 60_000);
});

describe("quill doctor", () => {
  const asked = { now: new Date(), store: undefined, pages: undefined, replicas: [], poolSize: 10 };

  test("says that all is well, or what to do", async () => {
    const sound = await diagnose({ ...asked, database: made.pages, store: made.store, pages: directory });
    expect(sound.filter(({ state }) => state === "bad")).toEqual([]);
    expect(sound.map(({ what }) => what)).toEqual(
      expect.arrayContaining([
        "connection",
        "version",
        "rights",
        "log",
        "partitions",
        "seals",
        "pages",
        "clock",
        "keys",
        "store",
      ]),
    );
    for (const { state, advice } of sound) expect(advice === null).toBe(state === "good");
  });

  test.each<readonly [string, () => Partial<Parameters<typeof diagnose>[0]> & { database: string }, object]>([
    ["an owner who serves", () => ({ database: made.owner }), { what: "rights", state: "bad" }],
    ["a log that may not be added to", () => ({ database: made.reader }), { what: "log", state: "bad" }],
    [
      "months that are not there",
      () => ({ database: made.pages, now: new Date("2040-01-01") }),
      { what: "partitions", state: "doubtful" },
    ],
    [
      "more connections than there are",
      () => ({ database: made.pages, poolSize: 500 }),
      { what: "connections", state: "bad" },
    ],
    [
      "no server",
      () => ({ database: "postgresql://nobody@127.0.0.1:1/nothing" }),
      { what: "connection", state: "bad" },
    ],
    [
      "a standby that is none",
      () => ({ database: made.pages, replicas: [made.pages] }),
      { what: "replica", state: "bad" },
    ],
    [
      "the edited database where the store should be",
      () => ({ database: made.pages, store: made.pages }),
      { what: "store", state: "bad", said: expect.stringContaining("this is the edited database") },
    ],
    [
      "a store that is not there",
      () => ({ database: made.pages, store: "postgresql://nobody@127.0.0.1:1/nothing" }),
      { what: "store", state: "bad" },
    ],
  ])("%s is told", async (_what, given, expected) => {
    const found = await diagnose({ ...asked, ...given() });
    expect(found).toContainEqual(expect.objectContaining({ ...expected, advice: expect.any(String) }));
  });

  test("looks at a store, and changes nothing in it", async () => {
    const empty = await freshDatabase("template0");
    try {
      const found = await diagnose({ ...asked, database: made.pages, store: empty.owner });
      expect(found).toContainEqual(
        expect.objectContaining({ what: "store", state: "good", said: expect.stringContaining("empty") }),
      );
      const client = new pg.Client(empty.owner);
      await client.connect();
      const { rows } = await client.query(
        "SELECT count(*)::integer AS count FROM pg_tables WHERE schemaname = 'public'",
      );
      await client.end();
      expect(rows).toEqual([{ count: 0 }]);
    } finally {
      await empty.drop();
    }
  });

  test("tells all the others where something hangs, and ends", async () => {
    const proxy = await startProxy(testCluster().port);
    proxy.set("silent");
    try {
      const store = throughProxy(made.store, proxy);
      const found = await diagnose({
        ...asked,
        database: made.pages,
        store,
        replicas: [throughProxy(made.pages, proxy)],
      });
      expect(found).toContainEqual(expect.objectContaining({ what: "connection", state: "good" }));
      expect(
        found
          .filter(({ state }) => state === "bad")
          .map(({ what }) => what)
          .toSorted(),
      ).toEqual(["replica", "store"]);
      const written = await new Promise<string>((resolve) =>
        execFile(
          process.execPath,
          [program, "doctor", "--database", throughProxy(made.pages, proxy), "--store", store],
          (_error, stdout) => resolve(stdout),
        ),
      );
      expect(written).toMatch(/bad +connection/);
      expect(written).toMatch(/bad +store/);
    } finally {
      await proxy.close();
    }
  }, 30_000);

  test("ends with 1 where something is bad, and tells no password", async () => {
    const { code, out } = await new Promise<{ code: unknown; out: string }>((resolve) =>
      execFile(process.execPath, [program, "doctor", "--database", made.owner, "--json"], (error, stdout, stderr) =>
        resolve({ code: error ? error.code : 0, out: `${stdout}${stderr}` }),
      ),
    );
    expect([code, JSON.parse(out)]).toEqual([1, expect.arrayContaining([expect.objectContaining({ what: "rights" })])]);
    expect(out).not.toContain(new URL(made.owner).password);
  });
});
