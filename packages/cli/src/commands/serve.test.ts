import { type ChildProcess, spawn } from "node:child_process";
import { cp, mkdtemp, readFile, rm, writeFile } from "node:fs/promises";
import { createServer } from "node:net";
import os from "node:os";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { afterAll, afterEach, beforeAll, describe, expect, test } from "@jest/globals";
import {
  bodyOf,
  Client,
  formOf,
  freshDatabase,
  startProxy,
  type TestDatabase,
  testCluster,
  throughProxy,
  until,
  waitingForLocks,
} from "@loyal-quill/testing";
import pg from "pg";
import { freePort } from "../cluster/cluster.js";

const program = fileURLToPath(new URL("../../bin/quill.js", import.meta.url));
const demoPages = fileURLToPath(new URL("../../../../demo/pages", import.meta.url));

interface Served {
  readonly child: ChildProcess;
  readonly output: () => string;
  /** Waits until something stands in the output. */
  readonly said: (wanted: RegExp) => Promise<RegExpExecArray>;
  readonly ended: Promise<number | null>;
}

let made: TestDatabase;
let directory: string;
const children: Served[] = [];
beforeAll(async () => {
  made = await freshDatabase();
});
afterAll(() => made.drop());
afterEach(async () => {
  for (const { child, ended } of children.splice(0)) {
    child.kill("SIGKILL");
    await ended;
  }
  await rm(directory, { recursive: true, force: true });
});

async function serve(...flags: string[]): Promise<Served> {
  directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-serve-"));
  await cp(demoPages, directory, { recursive: true });
  return run("serve", "--pages", directory, ...flags);
}

const run = (...told: string[]): Served => runBy([], ...told);

/** The same with options of Node's. */
function runBy(options: readonly string[], ...told: string[]): Served {
  const child = spawn(process.execPath, [...options, program, ...told], { stdio: "pipe" });
  let output = "";
  for (const stream of [child.stdout, child.stderr])
    stream.on("data", (part: Buffer) => {
      output += part.toString();
    });
  const ended = new Promise<number | null>((resolve) => child.on("close", resolve));
  const said = async (wanted: RegExp): Promise<RegExpExecArray> => {
    for (let turn = 0; turn < 1200; turn++) {
      const found = wanted.exec(output);
      if (found) return found;
      await new Promise((resolve) => setTimeout(resolve, 50));
    }
    throw new Error(`${wanted} was not said:\n${output}`);
  };
  const served = { child, output: () => output, said, ended };
  children.push(served);
  return served;
}

const asHydrologist = ["--as", "Hollis Brandt", "--role", "hydrologist", "--attribute", "region_id=2"];
const addressOf = async ({ said }: Served): Promise<string> => (await said(/Ready: (http:\S+)\//))[1] ?? "";

describe("quill serve --as", () => {
  test("is that person with roles and attributes, and tells a broken page file with its place", async () => {
    const served = await serve("--database", made.pages, ...asHydrologist);
    const client = new Client(await addressOf(served));
    expect((await client.get("/stations/MV-014/edit")).status).toBe(200);
    expect((await client.get("/stations/MV-001/edit")).status).toBe(404);
    const file = path.join(directory, "station.page.yaml");
    const text = await readFile(file, "utf8");
    await writeFile(file, text.replace("  - name:", "  - nome:"));
    await served.said(/station\.page\.yaml:\d+:5 {2}error {2}The table network\.station has no column "nome"\./);
    await writeFile(file, text);
    await served.said(/The page files were read again: 9 of 9 are served\./);
  });

  test("tells the steps of each request, a line each", async () => {
    const served = await serve("--database", made.pages, ...asHydrologist, "--steps");
    await new Client(await addressOf(served)).get("/stations/MV-014/edit");
    await served.said(
      /GET \/stations\/MV-014\/edit {2}200 shown, [\d.]+ ms\n.*route.*\n.*key.*\n.*access.*\n.*load {6}load: 1 row\n.*prefill/,
    );
    expect(served.output()).not.toContain("Otter Weir");
  });

  test("and with every value and statement by --trace", async () => {
    const served = await serve("--database", made.pages, ...asHydrologist, "--trace");
    await new Client(await addressOf(served)).get("/stations/MV-014/edit");
    await served.said(/name = "Otter Weir"/);
    expect(served.output()).toMatch(/\| WHERE t\."code" = \$1::text/);
  });

  test("a broken file at the start is told as well", async () => {
    directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-serve-"));
    await writeFile(path.join(directory, "odd.page.yaml"), "format: loyal-quill/page@1\npath: /odd\n");
    const served = run("serve", "--pages", directory, "--database", made.pages, "--as", "Lotte Haas");
    await served.said(/odd\.page\.yaml:1:1 {2}error {2}"title" is missing\./);
    await served.said(/Out of service until they are put right: odd\./);
  });
});

describe("an end", () => {
  test("is orderly: what has come is answered, nothing new is taken, and then the process ends", async () => {
    const served = await serve("--database", made.pages, ...asHydrologist);
    const base = await addressOf(served);
    const client = new Client(base);
    const form = formOf((await client.get("/stations/MV-014/edit")).text);
    // As the role of the pages, which sees what its own statements wait for.
    const holder = new pg.Client(made.pages);
    await holder.connect();
    await holder.query("BEGIN; SELECT FROM network.station WHERE code = 'MV-014' FOR UPDATE");
    const saving = client.post("/stations/MV-014/edit", bodyOf(form, { notes: "in flight" }));
    await until(async () => (await waitingForLocks(holder)) > 0);
    served.child.kill("SIGTERM");
    await served.said(/Stopping/);
    await until(() =>
      fetch(`${base}/stations`).then(
        () => false,
        () => true,
      ),
    );
    await holder.query("COMMIT");
    await holder.end();
    expect((await saving).status).toBe(303);
    expect(await served.ended).toBe(0);
    expect(served.output()).toContain("Stopped.");
  });

  test("comes within its limit, whatever is under way and however silent the database is", async () => {
    const proxy = await startProxy(testCluster().port);
    const served = await serve("--database", throughProxy(made.pages, proxy), ...asHydrologist, "--stop-within", "1");
    const client = new Client(await addressOf(served));
    await client.get("/stations/MV-014/edit");
    proxy.set("silent");
    const lost = client.get("/stations/MV-014/edit").catch(() => null);
    await new Promise((resolve) => setTimeout(resolve, 200));
    const begun = performance.now();
    served.child.kill("SIGTERM");
    expect(await served.ended).toBe(0);
    // Sooner than the statement that nobody answers would be given up by itself (15 s, and 2 s for its answer).
    expect(performance.now() - begun).toBeLessThan(15_000);
    await lost;
    await proxy.close();
  });

  test("with exit code 1 where it can't go on, the store there and all", async () => {
    const port = await freePort();
    const other = createServer();
    await new Promise<void>((resolve) => other.listen(port, "127.0.0.1", resolve));
    const served = await serve("--database", made.pages, "--store", made.store, "--port", String(port));
    expect(await served.ended).toBe(1);
    expect(served.output()).toContain(`Port ${port} is taken by another program.`);
    await new Promise((resolve) => other.close(resolve));
  });

  test("two servers that begin at once on an empty store both come up", async () => {
    const empty = await freshDatabase();
    const first = await serve("--database", empty.pages, "--store", empty.store);
    const second = run("serve", "--pages", directory, "--database", empty.pages, "--store", empty.store);
    await Promise.all([addressOf(first), addressOf(second)]);
    for (const each of [first, second]) {
      each.child.kill("SIGTERM");
      expect(await each.ended).toBe(0);
    }
    await empty.drop();
  });
});

/** Says so whenever something is kept for what comes after it. */
const tellStorage = `data:text/javascript,${encodeURIComponent(`import { AsyncLocalStorage } from "node:async_hooks";
for (const name of ["run", "enterWith"]) {
  const own = AsyncLocalStorage.prototype[name];
  AsyncLocalStorage.prototype[name] = function (...given) {
    console.error("promises are followed: " + new Error().stack);
    return own.apply(this, given);
  };
}`)}`;

test("with a store no promise is followed: from the first AsyncLocalStorage on, every await of the process takes several times as long", async () => {
  directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-serve-"));
  await cp(demoPages, directory, { recursive: true });
  const flags = ["--pages", directory, "--database", made.pages, "--store", made.store];
  const served = runBy(["--import", tellStorage], "serve", ...flags);
  const client = new Client(await addressOf(served));
  const signIn = await client.get("/sign-in");
  const body = bodyOf(formOf(signIn.text), {
    email: "nobody@marrow-vale.example",
    password: "a wrong one of some length",
  });
  expect((await client.send("/sign-in", { method: "POST", body })).status).toBe(422);
  expect((await client.get("/stations/MV-014/edit")).status).toBe(303);
  expect(served.output()).not.toContain("promises are followed");
  served.child.kill("SIGTERM");
  expect(await served.ended).toBe(0);
  expect(served.output()).not.toContain("promises are followed");
});
