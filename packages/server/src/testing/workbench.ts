import { cp, mkdtemp, rm } from "node:fs/promises";
import { createServer } from "node:http";
import type { AddressInfo } from "node:net";
import os from "node:os";
import path from "node:path";
import { fileURLToPath } from "node:url";
import {
  bodyOf,
  Client,
  formOf,
  freshDatabase,
  type LinkProxy,
  patience,
  type TestDatabase,
  throughProxy,
} from "@loyal-quill/testing";
import type { SessionAnswer } from "../api/answers/people.js";
import { type Application, createApplication, type SignInSettings } from "../application.js";
import type { OnPublish } from "../drafts/rehearsals.js";
import type { Deployment } from "../edge.js";
import { makeLogger } from "../log.js";
import { ofTheStore } from "../of-the-store.js";
import { hashPassword } from "../sign-in/passwords.js";

/** The password of every account. */
export const password = "heron-weir-otter-19";

/** The accounts of the server's tests. */
export const people = {
  ines: {
    id: "5e0c7a10-4b1d-4c55-9d0e-000000000001",
    roles: ["builder", "steward", "administrator", "auditor"],
    active: true,
    region: null,
  },
  maud: { id: "5e0c7a10-4b1d-4c55-9d0e-000000000003", roles: ["builder"], active: true, region: 1 },
  hollis: { id: "5e0c7a10-4b1d-4c55-9d0e-000000000002", roles: ["hydrologist"], active: true, region: 2 },
  piers: { id: "5e0c7a10-4b1d-4c55-9d0e-000000000005", roles: ["technician"], active: false, region: 1 },
} as const;

/** Somebody at the workbench's API. */
export interface Builder {
  readonly client: Client;
  /** Sends JSON with the session's token. @returns the status and what the answer says */
  readonly send: <T = unknown>(method: string, path: string, body?: unknown) => Promise<{ status: number; said: T }>;
}

/** The whole application over a database of its own, on loopback. */
export interface TestWorkbench {
  readonly made: TestDatabase;
  readonly also: TestDatabase | null;
  readonly application: Application;
  readonly base: string;
  /** The directory of its page files: a copy of the demo's. */
  readonly directory: string;
  /** The lines of its log, of warnings and worse. */
  readonly logged: readonly string[];
  readonly signIn: (
    name: string,
    edits?: Readonly<Record<string, string>>,
    next?: string,
  ) => Promise<{ client: Client; status: number; text: string; location: string | null }>;
  readonly builder: (name: "ines" | "maud") => Promise<Builder>;
  readonly close: () => Promise<void>;
}

export interface WorkbenchOptions {
  /** Whether there is a second database, called archive, without page files. */
  readonly several?: boolean;
  /** Another one, whose databases, store and page files this one shares: a second process over the same. */
  readonly beside?: TestWorkbench;
  /** Whether its page files are those that the store has. */
  readonly ofStore?: boolean;
  /** A proxy before the store, or before everything. */
  readonly storeThrough?: LinkProxy;
  readonly databaseThrough?: LinkProxy;
  readonly signingKeys?: readonly string[];
  readonly onPublish?: OnPublish;
  readonly deployment?: Deployment;
  /** Where the log's seals are kept besides: files. */
  readonly sealsTo?: readonly string[];
  /** How people sign in, by the application's own address. */
  readonly signIn?: (origin: string) => SignInSettings | Promise<SignInSettings>;
}

export async function startWorkbench(how: WorkbenchOptions = {}): Promise<TestWorkbench> {
  const { several = false, beside, storeThrough, databaseThrough } = how;
  const made = beside?.made ?? (await freshDatabase());
  const also = several ? await freshDatabase() : null;
  const directory = beside?.directory ?? (await mkdtemp(path.join(os.tmpdir(), "loyal-quill-pages-")));
  if (!beside)
    await cp(fileURLToPath(new URL("../../../../demo/pages", import.meta.url)), directory, { recursive: true });
  const archive = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-archive-"));
  const server = createServer();
  server.keepAliveTimeout = 120_000;
  await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
  const base = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  const logged: string[] = [];
  const application = await createApplication({
    databaseUrl: databaseThrough ? throughProxy(made.pages, databaseThrough) : made.pages,
    storeUrl: storeThrough ? throughProxy(made.store, storeThrough) : made.store,
    logUrl: made.reader,
    pages: how.ofStore ? ofTheStore : directory,
    also: also ? [{ name: "archive", databaseUrl: also.pages, logUrl: also.reader, pages: archive }] : [],
    workbench: null,
    // What a test does to a link is found out soon; otherwise a busy machine is waited for.
    ...(databaseThrough ? {} : { poolWait: patience }),
    signingKeys: how.signingKeys ?? ["a key for tests, thirty-two bytes long"],
    ...(how.onPublish ? { onPublish: how.onPublish } : {}),
    ...(how.sealsTo ? { seals: { to: how.sealsTo } } : {}),
    ...(how.deployment ? { deployment: how.deployment } : {}),
    name: "Marrow Vale",
    logger: makeLogger("warn", { write: (line) => void logged.push(line) }),
    ...(how.signIn ? { signIn: await how.signIn(base) } : {}),
  });
  for (const [name, { id, roles, active, region }] of Object.entries(people)) {
    await application.store.accounts.keep({
      id,
      email: `${name}@marrow-vale.example`,
      name,
      passwordHash: await hashPassword(password),
      roles: [...roles],
      attributes: { region_id: region },
      active,
    });
  }
  server.on("request", application.app);
  const signIn: TestWorkbench["signIn"] = async (name, edits = {}, next = "/") => {
    const client = new Client(base);
    const form = formOf((await client.get(`/sign-in?next=${encodeURIComponent(next)}`)).text);
    const typed = bodyOf(form, { email: `${name}@marrow-vale.example`, password, ...edits });
    const { status, text, headers } = await client.post("/sign-in", typed);
    return { client, status, text, location: headers.get("location") };
  };
  const builder = async (name: "ines" | "maud"): Promise<Builder> => {
    const { client } = await signIn(name);
    const { csrfToken } = JSON.parse((await client.get("/workbench/api/session")).text) as SessionAnswer;
    const send = async <T>(method: string, address: string, body?: unknown) => {
      const answer = await client.send(`/workbench/api${address}`, {
        method,
        headers: { "x-csrf-token": csrfToken, ...(body === undefined ? {} : { "content-type": "application/json" }) },
        ...(body === undefined ? {} : { body: JSON.stringify(body) }),
      });
      return { status: answer.status, said: JSON.parse(answer.text) as T };
    };
    return { client, send };
  };
  const close = async (): Promise<void> => {
    server.closeAllConnections();
    await new Promise((resolve) => server.close(resolve));
    await application.close();
    await rm(archive, { recursive: true });
    if (beside) return;
    await rm(directory, { recursive: true });
    await Promise.all([made.drop(), also?.drop()]);
  };
  return { made, also, application, base, directory, logged, signIn, builder, close };
}
