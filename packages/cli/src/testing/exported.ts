import { execFile, spawn } from "node:child_process";
import { mkdir, mkdtemp, readFile, rm, symlink, writeFile } from "node:fs/promises";
import { createServer } from "node:http";
import type { AddressInfo } from "node:net";
import path from "node:path";
import process from "node:process";
import { fileURLToPath } from "node:url";
import { promisify } from "node:util";
import type { Actor } from "@loyal-quill/core";
import { createPages } from "@loyal-quill/runtime";
import express, { type Request } from "express";
import { exportFiles } from "../commands/export.js";

/** The root of the project: what lies in it finds its packages. */
const root = fileURLToPath(new URL("../../../../", import.meta.url));

/** A directory that finds the project's packages, as an application's own does. */
export async function directoryWithin(): Promise<string> {
  await mkdir(path.join(root, ".build"), { recursive: true });
  return mkdtemp(path.join(root, ".build", "exported-"));
}

/** Pages as plain code, with what the command said. */
export async function exported(database: string, files: readonly string[], to: string): Promise<readonly string[]> {
  const told: string[] = [];
  await exportFiles({ database, files, to, force: true }, (text) => told.push(text));
  return told;
}

/** What a strict compiler says of exported code; empty where it is sound. */
export async function complaints(directory: string): Promise<string> {
  const compilerOptions = {
    strict: true,
    noUncheckedIndexedAccess: true,
    exactOptionalPropertyTypes: true,
    noUnusedLocals: true,
    noUnusedParameters: true,
    noImplicitReturns: true,
    verbatimModuleSyntax: true,
    module: "nodenext",
    target: "es2023",
    skipLibCheck: true,
    noEmit: true,
    types: ["node"],
  };
  await writeFile(
    path.join(directory, "tsconfig.json"),
    JSON.stringify({ compilerOptions, exclude: ["application.ts"] }),
  );
  const tsc = path.join(root, "node_modules/typescript/bin/tsc");
  const run = promisify(execFile)(process.execPath, [tsc, "-p", directory]);
  return (await run.catch((error: { stdout: string }) => error)).stdout;
}

export interface Application {
  readonly origin: string;
  readonly stop: () => Promise<void>;
}

/** How both applications know who asks: a test says so. */
export const personHeader = "x-person";

/** What an application of exported code has besides, as code. */
export interface Host {
  /** What stands before the routes. */
  readonly before?: string;
  readonly after?: string;
  /** Where the routes are mounted. */
  readonly mount?: string;
  /** Members of the routes' options besides. */
  readonly options?: string;
}

/** Has a directory's code find Express 4, and its types. */
export async function withExpress4(directory: string): Promise<void> {
  await mkdir(path.join(directory, "node_modules/@types"), { recursive: true });
  for (const [name, of] of [
    ["express", "express4"],
    ["@types/express", "@types/express4"],
  ] as const)
    await symlink(path.join(root, "node_modules", of), path.join(directory, "node_modules", name));
}

/** An application of exported code only, in a process of its own. */
export async function startExported(
  directory: string,
  pages: readonly string[],
  database: string,
  { before = "", after = "", mount = "/", options = "" }: Host = {},
): Promise<Application> {
  const routes = await Promise.all(
    pages.map(async (name) => {
      const text = await readFile(path.join(directory, name, "routes.ts"), "utf8");
      return /export function (\w+)\(/.exec(text)?.[1] ?? "";
    }),
  );
  await writeFile(
    path.join(directory, "application.ts"),
    `import express from "express";
import pg from "pg";
${pages.map((name, index) => `import { ${routes[index]} } from "./${name}/routes.js";`).join("\n")}

const pool = new pg.Pool({ connectionString: process.env.DATABASE_URL, options: "-c TimeZone=UTC -c DateStyle=ISO -c IntervalStyle=iso_8601", max: 5 });
const options = { pool, secret: "a secret of the tests, thirty-two", actor: (request: express.Request) => JSON.parse(request.get("${personHeader}") ?? "null"), ${options} };
const app = express();
${before}
${routes.map((name) => `app.use("${mount}", ${name}(options));`).join("\n")}
${after}
const server = app.listen(0, "127.0.0.1", () => console.log(JSON.stringify(server.address())));
server.keepAliveTimeout = 120_000;
`,
  );
  const child = spawn(process.execPath, ["--import", "tsx", path.join(directory, "application.ts")], {
    cwd: root,
    env: { PATH: process.env.PATH, DATABASE_URL: database },
    stdio: ["ignore", "pipe", "pipe"],
  });
  let said = "";
  child.stderr.on("data", (data: Buffer) => {
    said = `${said}${String(data)}`.slice(0, 5000);
  });
  const ended = new Promise<void>((resolve) => child.once("exit", () => resolve()));
  const address = await new Promise<AddressInfo>((resolve, reject) => {
    child.stdout.once("data", (data: Buffer) => resolve(JSON.parse(String(data)) as AddressInfo));
    child.once("exit", () => reject(new Error(`The application of exported code ended before it began: ${said}`)));
  });
  return {
    origin: `http://127.0.0.1:${address.port}`,
    stop: async () => {
      child.kill();
      await ended;
    },
  };
}

/** The same pages, served. */
export async function startServed(pages: string, database: string): Promise<Application> {
  const served = await createPages({
    database,
    pages,
    signingKey: "a key for tests, thirty-two bytes long",
    actor: (request: Request) => {
      const person = JSON.parse(request.get(personHeader) ?? "null") as Record<string, string | string[]> | null;
      if (!person) return null;
      const { id, name, roles, ...attributes } = person;
      return { id, name, roles, attributes } as unknown as Actor;
    },
    onError: () => {},
  });
  const app = express();
  app.use(served.router);
  const server = createServer(app);
  server.keepAliveTimeout = 120_000;
  await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
  return {
    origin: `http://127.0.0.1:${(server.address() as AddressInfo).port}`,
    stop: async () => {
      server.closeAllConnections();
      await new Promise((resolve) => server.close(resolve));
      await served.close();
    },
  };
}

export const removed = (directory: string): Promise<void> => rm(directory, { recursive: true, force: true });
