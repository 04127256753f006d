/** `quill serve` in a process of its own, and people who are signed in there. */
import { type ChildProcess, spawn } from "node:child_process";
import { randomUUID } from "node:crypto";
import process from "node:process";
import { fileURLToPath } from "node:url";
import { hashPassword, newPassword, Store } from "@loyal-quill/server";
import { bodyOf, Client, formOf } from "@loyal-quill/testing";
import { freePort } from "loyal-quill";
import type { Ground } from "./ground.js";

const program = fileURLToPath(new URL("../../packages/cli/bin/quill.js", import.meta.url));

export interface Apart {
  readonly port: number;
  readonly origin: string;
  readonly pid: number;
  /** The process: one that is measured tells by it what it holds (`heap-told.ts`). */
  readonly told: ChildProcess;
  /** Milliseconds from its beginning until it was ready. */
  readonly startMs: number;
  readonly stop: () => Promise<void>;
}

interface ServeOptions {
  /** Further words of its command line. */
  readonly flags?: readonly string[];
  /** Whether it can be asked what it holds. */
  readonly measured?: boolean;
  /** Whether it has a store. */
  readonly store?: boolean;
}

export async function serveApart(
  ground: Ground,
  pages: string,
  { flags = [], measured = false, store = true }: ServeOptions = {},
): Promise<Apart> {
  const port = await freePort();
  const begun = performance.now();
  const own = measured ? ["--expose-gc", "--import", new URL("./heap-told.js", import.meta.url).href] : [];
  const child = spawn(
    process.execPath,
    [...own, program, "serve", "--pages", pages, "--port", String(port), ...flags],
    {
      stdio: measured ? ["ignore", "pipe", "inherit", "ipc"] : ["ignore", "pipe", "inherit"],
      env: {
        ...process.env,
        NODE_ENV: "production",
        DATABASE_URL: ground.pages,
        ...(store ? { QUILL_STORE: ground.store } : {}),
        QUILL_SIGNING_KEY: "a-key-for-benchmarks-of-forty-bytes-or-so",
        LOG_LEVEL: process.env.LOG_LEVEL ?? "silent",
      },
    },
  );
  await new Promise<void>((resolve, reject) => {
    child.stdout?.on("data", (part: Buffer) => part.includes("Ready:") && resolve());
    child.once("exit", (code) => reject(new Error(`the server ended with ${code}`)));
  });
  return {
    port,
    origin: `http://127.0.0.1:${port}`,
    pid: child.pid ?? 0,
    told: child,
    startMs: performance.now() - begun,
    stop: async () => {
      const ended = new Promise((resolve) => child.once("exit", resolve));
      child.kill("SIGTERM");
      await ended;
    },
  };
}

/** So many people, each with an account and a session of their own, who may open the pages and make them. */
export async function signedIn(ground: Ground, origin: string, count: number): Promise<readonly Client[]> {
  const store = await Store.open(ground.store, ground.store);
  const password = newPassword();
  const passwordHash = await hashPassword(password);
  const emails = Array.from({ length: count }, () => `bench-${randomUUID()}@marrow-vale.example`);
  for (const email of emails)
    await store.accounts.keep({
      id: randomUUID(),
      email,
      name: "Tamsin Okoro",
      passwordHash,
      roles: ["technician", "builder"],
      attributes: { region_id: 3 },
      active: true,
    });
  await store.close();
  const people: Client[] = [];
  for (const email of emails) {
    const client = new Client(origin);
    const form = formOf((await client.get("/sign-in")).text);
    const { status } = await client.post("/sign-in", bodyOf(form, { email, password }));
    if (status !== 303) throw new Error(`signing in was answered ${status}`);
    people.push(client);
  }
  return people;
}
