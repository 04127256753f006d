import { type ChildProcess, execFile, spawn } from "node:child_process";
import { once } from "node:events";
import { cp, mkdtemp, rm, writeFile } from "node:fs/promises";
import { request } from "node:http";
import os from "node:os";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { freshDatabase, type TestDatabase, testCluster, until } from "@loyal-quill/testing";
import pg from "pg";

/** What `quill serve` refuses to begin with, and what it takes from the environment. */

const program = fileURLToPath(new URL("../../bin/quill.js", import.meta.url));
const demoPages = fileURLToPath(new URL("../../../../demo/pages", import.meta.url));
const key = "a-secret-of-thirty-two-bytes-or-a-few-more";

let made: TestDatabase;
let directory: string;
beforeAll(async () => {
  made = await freshDatabase();
  directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-deployment-"));
  await cp(demoPages, path.join(directory, "pages"), { recursive: true });
});
afterAll(async () => {
  await rm(directory, { recursive: true });
  await made.drop();
});

const told = (...flags: string[]): string[] => ["serve", "--pages", path.join(directory, "pages"), ...flags];

/** Runs to its end. @returns its exit code and what it said, on either stream */
const quill = (
  flags: readonly string[],
  environment: Readonly<Record<string, string>> = {},
): Promise<{ code: unknown; said: string }> =>
  new Promise((resolve) => {
    const options = { env: { ...process.env, ...environment }, timeout: 30_000 };
    execFile(process.execPath, [program, ...flags], options, (error, out, said) =>
      resolve({ code: error ? error.code : 0, said: `${out}${said}` }),
    );
  });

const withUser = (url: string, user: string, password: string): string => {
  const at = new URL(url);
  [at.username, at.password] = [user, password];
  return at.href;
};

describe("quill serve begins only where it is safe to", () => {
  test.each<readonly [string, RegExp, () => readonly string[], Readonly<Record<string, string>>]>([
    [
      "the pages' user is a superuser",
      /^The user of .* is a superuser, whom no right holds back\. Serve pages as a role of their own/,
      () => ["--database", withUser(made.pages, "postgres", testCluster().passwords.postgres), "--store", made.store],
      {},
    ],
    [
      "the pages' user owns the log",
      /^The user of .* owns the change log/,
      () => ["--database", made.owner, "--store", made.store],
      {},
    ],
    [
      "the store is the edited database",
      /^The store and the database that is edited are the same/,
      () => ["--database", made.pages, "--store", made.owner],
      {},
    ],
    [
      "the store is not there",
      /^127\.0\.0\.1:\d+\/nowhere can't be reached: .*(does not exist|failed)/,
      () => ["--database", made.pages, "--store", made.store.replace(/[^/]*$/, "nowhere")],
      {},
    ],
    [
      "the store does not take the user",
      /can't be reached: .*authentication failed/,
      () => ["--database", made.pages, "--store", withUser(made.store, "quill_store", "wrong")],
      {},
    ],
    [
      "other machines would ask over plain HTTP",
      /^On 0\.0\.0\.0 passwords and sessions would go over the network as they are/,
      () => ["--database", made.pages, "--store", made.store, "--host", "0.0.0.0"],
      {},
    ],
    [
      "a proxy is before it and it does not know its own address",
      /^Behind a proxy it must know its own address/,
      () => ["--database", made.pages, "--store", made.store, "--behind-proxy"],
      {},
    ],
    [
      "its address has a path",
      /^"https:\/\/x\.example\/records" is no address of an application/,
      () => [
        "--database",
        made.pages,
        "--store",
        made.store,
        "--behind-proxy",
        "--origin",
        "https://x.example/records",
      ],
      {},
    ],
    [
      "there would be no way to sign in",
      /^Without passwords nobody could sign in/,
      () => ["--database", made.pages, "--store", made.store, "--no-passwords"],
      {},
    ],
    [
      "a key is short",
      /^Signing key 2 of QUILL_SIGNING_KEYS is shorter than 32 bytes/,
      () => ["--database", made.pages, "--store", made.store],
      { QUILL_SIGNING_KEYS: `${key},short` },
    ],
    [
      "a secret's file is not there",
      /^QUILL_SIGNING_KEYS_FILE names .*, which can't be read\.$/,
      () => ["--database", made.pages, "--store", made.store],
      { QUILL_SIGNING_KEYS_FILE: "/nowhere/keys" },
    ],
    [
      "single sign-on lacks its secret",
      /^QUILL_OIDC_ISSUER is set, so QUILL_OIDC_CLIENT_SECRET is needed as well\.$/,
      () => ["--database", made.pages, "--store", made.store, "--origin", "http://127.0.0.1:1"],
      { QUILL_OIDC_ISSUER: "https://id.example", QUILL_OIDC_CLIENT_ID: "x" },
    ],
    [
      "an attribute is called like a member of every object",
      /^QUILL_OIDC_ATTRIBUTES can't make an attribute "toString": every JavaScript object has a member of that name\.$/,
      () => ["--database", made.pages, "--store", made.store, "--origin", "http://127.0.0.1:1"],
      {
        QUILL_OIDC_ISSUER: "https://id.example",
        QUILL_OIDC_CLIENT_ID: "x",
        QUILL_OIDC_CLIENT_SECRET: "y",
        QUILL_OIDC_ATTRIBUTES: "region_id=region,toString=name",
      },
    ],
  ])("not where %s", async (_why, says, flags, environment) => {
    const { code, said } = await quill(told(...flags()), {
      ...(environment.QUILL_SIGNING_KEYS_FILE ? {} : { QUILL_SIGNING_KEYS: key }),
      ...environment,
    });
    expect([code, said.trim().split("\n").at(-1)]).toEqual([1, expect.stringMatching(says)]);
  });
});

describe("quill serve with everything from files", () => {
  let child: ChildProcess | undefined;
  afterAll(() => void child?.kill("SIGKILL"));

  /** Asks as a proxy would. */
  const ask = (
    port: number,
    headers: Readonly<Record<string, string>>,
  ): Promise<{ status: number; cookies: readonly string[] }> =>
    new Promise((resolve, reject) => {
      request({ port, host: "127.0.0.1", path: "/sign-in", headers }, (response) => {
        response.resume();
        resolve({ status: response.statusCode ?? 0, cookies: response.headers["set-cookie"] ?? [] });
      })
        .on("error", reject)
        .end();
    });

  test("no secret stands on the command line, and behind a proxy it is known by its own name only", async () => {
    for (const [name, text] of [
      ["database", made.pages],
      ["store", made.store],
      ["keys", `${key}\n`],
    ] as const)
      await writeFile(path.join(directory, name), text, { mode: 0o600 });
    const flags = told("--behind-proxy", "--origin", "https://records.example");
    child = spawn(process.execPath, [program, ...flags], {
      stdio: "pipe",
      env: {
        ...process.env,
        DATABASE_URL_FILE: path.join(directory, "database"),
        QUILL_STORE_FILE: path.join(directory, "store"),
        QUILL_SIGNING_KEYS_FILE: path.join(directory, "keys"),
      },
    });
    let output = "";
    for (const stream of [child.stdout, child.stderr])
      stream?.on("data", (part: Buffer) => (output += part.toString()));
    await until(() => /Ready: /.test(output));
    const port = Number(/Ready: http:\/\/127\.0\.0\.1:(\d+)\//.exec(output)?.[1]);
    expect([output, port > 0]).toEqual([expect.any(String), true]);
    expect(output).not.toContain("No QUILL_SIGNING_KEYS");
    const proxied = { host: "records.example", "x-forwarded-proto": "https", "x-forwarded-for": "203.0.113.9" };
    const { status, cookies } = await ask(port, proxied);
    expect([status, cookies[0]?.startsWith("__Host-quill_before=")]).toEqual([200, true]);
    expect((await ask(port, { ...proxied, host: "other.example" })).status).toBe(421);
  });

  test("an export of the log ends when nobody reads it any more, and leaves no transaction", async () => {
    const reading = spawn(process.execPath, [program, "log", "export", "--database", made.reader], { stdio: "pipe" });
    let said = "";
    reading.stderr.on("data", (part: Buffer) => (said += part.toString()));
    // The log is more than what a pipe holds: it waits for its reader.
    await once(reading.stdout, "data");
    reading.stdout.destroy();
    const [code] = (await once(reading, "close")) as [number];
    expect([code, said]).toEqual([1, expect.stringContaining("Nobody reads what is written any more.")]);
    const client = new pg.Client(made.owner);
    await client.connect();
    const open = async (): Promise<number> =>
      (
        await client.query(
          "SELECT count(*)::integer AS count FROM pg_stat_activity WHERE usename = 'quill_reader' AND datname = current_database()",
        )
      ).rows[0].count;
    await until(async () => (await open()) === 0);
    await client.end();
  });

  test("the trail is read on the command line, as lines or JSON", async () => {
    const added = await quill([
      "account",
      "add",
      "lotte@marrow-vale.example",
      "--store",
      made.store,
      "--name",
      "Lotte Haas",
      "--role",
      "auditor",
    ]);
    expect(added.code).toBe(0);
    const lines = await quill(["trail", "--action", "account."], { QUILL_STORE: made.store });
    expect(lines.said).toMatch(
      /^\d{4}-\S+Z {2}command line {2}made the account {2}lotte@marrow-vale\.example {2}roles: auditor$/m,
    );
    const json = await quill(["trail", "--json", "--store", made.store]);
    expect(JSON.parse(json.said.split("\n")[0] ?? "")).toMatchObject({
      action: "account.made",
      actorName: "command line",
    });
  });
});
