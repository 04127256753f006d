import { spawn } from "node:child_process";
import { cp, mkdtemp, readFile, rm } from "node:fs/promises";
import os from "node:os";
import path from "node:path";
import { secretsOf } from "loyal-quill";
import pg from "pg";

const root = path.dirname(import.meta.dirname);

/** What an example is given. */
export interface ExampleUrls {
  /** `postgresql://…` of the user who serves pages over Marrow Vale, and over its archive. */
  readonly pages: string;
  readonly archive: string;
  /** Of a database that the workbench may have for its own. */
  readonly store: string;
  /** Of the owner of Marrow Vale's tables. */
  readonly owner: string;
}

/** What an example is given that runs over a demo. @param owner `postgresql://…` of the owner of its tables */
export async function exampleUrls(owner: string, directory: string): Promise<ExampleUrls> {
  const secrets = await secretsOf(directory);
  const url = (username: string, password: string, database: string): string =>
    Object.assign(new URL(owner), { username, password, pathname: `/${database}` }).href;
  const superuser = new pg.Client(url("postgres", secrets.postgres, "postgres"));
  await superuser.connect();
  await superuser.query("CREATE DATABASE example_store OWNER quill_store");
  await superuser.end();
  return {
    pages: url("quill_pages", secrets.pages, "marrow_vale"),
    archive: url("quill_pages", secrets.pages, "vale_archive"),
    store: url("quill_store", secrets.store, "example_store"),
    owner,
  };
}

export interface RunningExample {
  readonly address: string;
  /** What it has said on standard error. */
  readonly errors: () => string;
  readonly stop: () => Promise<number | null>;
}

/** Runs one of the applications in `examples/` in a process of its own, as `npm start` there does. */
export async function startExample(
  name: string,
  urls: ExampleUrls,
  more: Readonly<Record<string, string>> = {},
): Promise<RunningExample> {
  const place = path.join(root, "examples", name);
  const setup = await readFile(path.join(place, "setup.sql"), "utf8").catch(() => null);
  if (setup !== null) {
    const owner = new pg.Client(urls.owner);
    await owner.connect();
    await owner.query(setup);
    await owner.end();
  }
  const { scripts } = JSON.parse(await readFile(path.join(place, "package.json"), "utf8")) as {
    scripts: { start: string };
  };
  const [, ...args] = scripts.start.split(" ");
  const child = spawn(process.execPath, args, {
    cwd: place,
    env: {
      ...process.env,
      PORT: "0",
      DATABASE_URL: urls.pages,
      ARCHIVE_URL: urls.archive,
      STORE_URL: urls.store,
      QUILL_SIGNING_KEY: "a key for tests, thirty-two bytes long",
      ...more,
    },
  });
  let errors = "";
  child.stderr.on("data", (part) => {
    errors += part;
  });
  const address = await new Promise<string>((resolve, reject) => {
    let said = "";
    child.stdout.on("data", (part) => {
      said += part;
      const found = /Ready at (http:\S+)\//.exec(said)?.[1];
      if (found) resolve(found);
    });
    child.once("exit", (code) => reject(new Error(`${name} ended with ${code}: ${errors}`)));
  });
  const ended = new Promise<number | null>((resolve) => child.once("exit", resolve));
  const stop = (): Promise<number | null> => {
    child.kill("SIGTERM");
    return ended;
  };
  return { address, errors: () => errors, stop };
}

/** A copy of an example's directory of page files, which may be changed. */
export async function copyOf(
  directory: string,
): Promise<{ readonly directory: string; readonly remove: () => Promise<void> }> {
  const made = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-example-"));
  await cp(path.join(root, "examples", directory), made, { recursive: true });
  return { directory: made, remove: () => rm(made, { recursive: true, force: true }) };
}
