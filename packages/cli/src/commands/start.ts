import { createHash } from "node:crypto";
import { existsSync } from "node:fs";
import { cp, mkdir, rm } from "node:fs/promises";
import { createServer, type Server } from "node:http";
import { createRequire } from "node:module";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { demoPages } from "@loyal-quill/demo";
import { type Application, createApplication, makeLogger, type SignInSettings } from "@loyal-quill/server";
import { pino } from "pino";
import { type Cluster, type Say, startCluster } from "../cluster/cluster.js";
import { barrier } from "../cluster/run-as.js";
import { fillLargeSet } from "../large-set.js";
import { CannotStart, closePatience, drain, listen, usualPatience, withPatience } from "../listen.js";
import { type DemoAccount, provision, provisionAccounts } from "../provision.js";
import { forgetRunning, noteRunning, runningOn } from "../running.js";
import { secretsOf } from "../secrets.js";

export interface StartOptions {
  /** Undefined: 4310, or the next free one. */
  readonly port: number | undefined;
  /** Undefined: `.data` in the project, or where the database's user can reach. */
  readonly directory: string | undefined;
  readonly fresh: boolean;
  /** Whether the large table is filled in the background. */
  readonly large?: boolean;
  /** Another directory of page files than the demo's. */
  readonly pages?: string;
  readonly now?: Date;
  /** How people sign in; with passwords where it is left out. */
  readonly signIn?: SignInSettings;
}

export interface Started {
  readonly address: string;
  readonly directory: string;
  /** The directory of the page files that are served. */
  readonly pages: string;
  readonly accounts: readonly DemoAccount[];
  /** `postgresql://…` of the demo database's owner. */
  readonly ownerUrl: string;
  readonly stop: () => Promise<void>;
}

const here = fileURLToPath(import.meta.url);
/** The clone that this is a part of; where it was installed as a package, the directory that it was started in. */
const project = here.includes(`${path.sep}node_modules${path.sep}`)
  ? process.cwd()
  : path.resolve(path.dirname(here), "../../../..");

/** Where the data lie: as told, or `.data` in the project; as root where the database's own user can reach it. */
async function dataDirectory(told: string | undefined, say: Say): Promise<string> {
  const wanted = path.resolve(told ?? path.join(project, ".data"));
  const closed = await barrier(path.join(wanted, "cluster"));
  if (closed === undefined) return wanted;
  if (told !== undefined)
    throw new CannotStart(
      `The database's user can't enter ${closed}. Choose another --data directory, or open that one with: chmod o+x ${closed}`,
    );
  const other = path.join("/var/lib/loyal-quill", createHash("sha256").update(project).digest("hex").slice(0, 10));
  say(`The database's user can't enter ${closed}, so the data go to ${other}.`);
  return other;
}

/** The built workbench; null where it was not built. */
export const workbenchDirectory = (): string | null => {
  const workbench = createRequire(import.meta.url).resolve("@loyal-quill/workbench/package.json");
  const directory = path.join(path.dirname(workbench), "dist");
  return existsSync(path.join(directory, "index.html")) ? directory : null;
};

async function serve(
  application: Application,
  told: number | undefined,
  say: Say,
): Promise<{ server: Server; port: number }> {
  const server = createServer(application.app);
  return { server, port: await listen(server, told, say) };
}

async function onlyRun(directory: string, say: Say): Promise<void> {
  const { running, leftover } = await runningOn(directory);
  if (running)
    throw new CannotStart(
      `Loyal Quill is already running on these data, at ${running.address} (process ${running.pid}). Stop it first, or choose another --data directory.`,
    );
  if (leftover) say("The last run was ended without stopping properly: its data are checked and used again.");
}

/** The demo's page files, copied to the data where they may be changed: what is published is written to them. */
async function pagesIn(directory: string, fresh: boolean): Promise<string> {
  const pages = path.join(directory, "pages");
  if (fresh) await rm(pages, { recursive: true, force: true });
  if (!existsSync(pages)) await cp(fileURLToPath(demoPages), pages, { recursive: true });
  return pages;
}

/** Starts the demo: a PostgreSQL of its own on loopback, Marrow Vale, the workbench and the pages. */
export async function startDemo(options: StartOptions, say: Say): Promise<Started> {
  const directory = await dataDirectory(options.directory, say);
  await mkdir(directory, { recursive: true, mode: 0o711 });
  await onlyRun(directory, say);
  const secrets = await secretsOf(directory);
  const cluster = await startCluster(path.join(directory, "postgres"), secrets.postgres, say);
  try {
    return await startOn(cluster, directory, secrets, options, say);
  } catch (error) {
    await cluster.stop();
    throw error;
  }
}

async function startOn(
  cluster: Cluster,
  directory: string,
  secrets: Awaited<ReturnType<typeof secretsOf>>,
  options: StartOptions,
  say: Say,
): Promise<Started> {
  const databases = await provision(cluster, secrets, { fresh: options.fresh, now: options.now ?? new Date() }, say);
  const logger = makeLogger(
    process.env.LOG_LEVEL ?? "warn",
    pino.destination({ dest: path.join(directory, "quill.log"), mkdir: true, sync: false, mode: 0o600 }),
  );
  const pages = options.pages ?? (await pagesIn(directory, options.fresh));
  const archive = path.join(directory, "archive-pages");
  await mkdir(archive, { recursive: true });
  const application = await createApplication({
    databaseUrl: databases.pages,
    storeUrl: databases.store,
    logUrl: databases.reader,
    pages,
    also: [
      {
        name: "archive",
        databaseUrl: databases.archive.pages,
        logUrl: databases.archive.reader,
        pages: archive,
      },
    ],
    workbench: workbenchDirectory(),
    signingKeys: [secrets.signing],
    name: "Marrow Vale gauge network",
    about:
      "Water levels of the Marrow and its tributaries are measured at 48 stations. Flood warnings go out by the figures kept here, so they are corrected on these pages, and every change is logged.",
    logger,
    ...(options.signIn ? { signIn: options.signIn } : {}),
  });
  try {
    const accounts = await provisionAccounts(application.store, secrets);
    const { server, port } = await serve(application, options.port, say);
    const address = `http://127.0.0.1:${port}`;
    await noteRunning(directory, address);
    const filling = options.large ? fillLargeSet(databases.owner, say) : null;
    const stop = async (): Promise<void> => {
      application.endStreams();
      await filling?.stop();
      await drain(server, usualPatience);
      await withPatience(application.close(), closePatience);
      await cluster.stop();
      await forgetRunning(directory);
    };
    return { address, directory, pages, accounts, ownerUrl: databases.owner, stop };
  } catch (error) {
    await withPatience(application.close(), closePatience);
    throw error;
  }
}
