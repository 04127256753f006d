import { mkdtemp, readdir, readFile, rm, writeFile } from "node:fs/promises";
import os from "node:os";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { type Actor, type Database, type Handled, handle, type MatchedRoute, route } from "@loyal-quill/core";
import { bodyOf, formOf, freshDatabase, patience } from "@loyal-quill/testing";
import pg from "pg";
import { connect, databaseOver, type Loaded, loadPageFiles, signerOf } from "../index.js";

export const hollis: Actor = {
  id: "hollis",
  name: "Hollis Brandt",
  roles: ["hydrologist"],
  attributes: { region_id: 2 },
};
export const tamsin: Actor = {
  id: "tamsin",
  name: "Tamsin Okoro",
  roles: ["technician"],
  attributes: { region_id: 3 },
};
export const dara: Actor = {
  id: "dara",
  name: "Dara Lindqvist",
  roles: ["duty-officer"],
  attributes: { region_id: null },
};

export const demoPages = fileURLToPath(new URL("../../../../demo/pages", import.meta.url));
export const signer = signerOf("a key for tests, thirty-two bytes long");

/** Round trips over a database of a test file's own, without HTTP between. */
export interface Trips {
  readonly owner: pg.Client;
  readonly pool: pg.Pool;
  /** The database of the pages, over the pool: waits as long for a connection as a busy machine takes. */
  readonly database: Database;
  readonly site: () => Loaded;
  /** The directory of the page files. */
  readonly directory: string;
  /** Writes page files beside those that are there and reads all of them and the catalogs anew. */
  readonly reloadWith: (files: Readonly<Record<string, string>>) => Promise<void>;
  /** `over` is another database than the trips' own. */
  readonly send: (
    method: string,
    path: string,
    actor: Actor | null,
    body?: string | null,
    over?: Database,
    query?: Readonly<Record<string, string>>,
    at?: Date,
  ) => Promise<Handled>;
  /** A record's form as a browser would send it untouched. */
  readonly open: (path: string, actor: Actor) => Promise<Map<string, string>>;
  readonly save: (
    path: string,
    actor: Actor,
    form: ReadonlyMap<string, string>,
    edits?: Readonly<Record<string, string | null>>,
    at?: Date,
  ) => Promise<Handled>;
  readonly one: <T extends pg.QueryResultRow>(text: string, values?: readonly unknown[]) => Promise<T>;
  readonly close: () => Promise<void>;
}

/** The demo's page files by name. */
async function demoFiles(): Promise<Record<string, string>> {
  const names = await readdir(demoPages);
  const texts = await Promise.all(names.map((name) => readFile(path.join(demoPages, name), "utf8")));
  return Object.fromEntries(names.map((name, index) => [name.replace(".page.yaml", ""), texts[index] ?? ""]));
}

/** One of the demo's page files. */
export const demoFile = async (name: string): Promise<string> => (await demoFiles())[name] ?? "";

interface TripsOptions {
  /** Statements of the owner before the pages are read. */
  readonly sql?: readonly string[];
  /** Page files by name instead of the demo's. */
  readonly files?: Readonly<Record<string, string>>;
  readonly poolSize?: number;
}

const writeFiles = (directory: string, files: Readonly<Record<string, string>>): Promise<unknown> =>
  Promise.all(Object.entries(files).map(([name, text]) => writeFile(path.join(directory, `${name}.page.yaml`), text)));

async function directoryOf(files: Readonly<Record<string, string>>): Promise<string> {
  const directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-pages-"));
  await writeFiles(directory, files);
  return directory;
}

function matchedIn(site: Loaded, method: string, address: string): MatchedRoute {
  const matched = route(site, method, address);
  if (matched.kind === "nowhere" || matched.kind === "strayed") throw new Error(`${address} belongs to no page`);
  return matched;
}

export async function makeTrips({ sql = [], files, poolSize = 10 }: TripsOptions = {}): Promise<Trips> {
  const made = await freshDatabase();
  const owner = new pg.Client(made.owner);
  await owner.connect();
  for (const statement of sql) await owner.query(statement);
  const pool = connect(made.pages, poolSize, patience);
  const database = databaseOver(pool, { connect: patience });
  const directory = await directoryOf(files ?? (await demoFiles()));
  let site = await loadPageFiles(directory, database);

  const send: Trips["send"] = (method, address, actor, body = null, over = database, query = {}, at = new Date()) =>
    handle(
      matchedIn(site, method, address),
      {
        id: crypto.randomUUID(),
        at,
        method,
        path: address,
        query,
        body: body === null ? null : { text: body },
        actor,
        session: `session of ${actor?.id ?? "nobody"}`,
        said: null,
        signIn: "/sign-in",
        signInCarries: false,
        frame: {
          base: "",
          application: "Marrow Vale",
          home: "/",
          language: "en",
          styleSheets: [],
          script: null,
          person: null,
          signOut: null,
        },
      },
      {
        database: over,
        signer,
        elapsed: () => performance.now(),
        pause: (ms) => new Promise((resolve) => setTimeout(resolve, ms)),
        formAge: 86_400_000,
        pages: () => site.pages,
      },
    );

  return {
    owner,
    pool,
    database,
    site: () => site,
    directory,
    reloadWith: async (changed) => {
      await writeFiles(directory, changed);
      site = await loadPageFiles(directory, database, site);
    },
    send,
    open: async (address, actor) => formOf((await send("GET", address, actor)).response.body),
    save: (address, actor, form, edits = {}, at = new Date()) =>
      send("POST", address, actor, bodyOf(form, edits), database, {}, at),
    one: async (text, values = []) => {
      const { rows } = await owner.query(text, [...values]);
      if (!rows[0]) throw new Error(`no row: ${text}`);
      return rows[0];
    },
    close: async () => {
      await Promise.all([pool.end(), owner.end()]);
      await rm(directory, { recursive: true });
      await made.drop();
    },
  };
}
