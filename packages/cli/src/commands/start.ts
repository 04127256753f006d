import { existsSync } from "node:fs";
import { cp, mkdir, readdir, readFile, rm, writeFile } from "node:fs/promises";
import { createServer, type Server } from "node:http";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { demoPages } from "@loyal-quill/demo";
import { type Application, createApplication, makeLogger, type SignInSettings } from "@loyal-quill/server";
import { pino } from "pino";
import { type Cluster, type Say, startCluster } from "../cluster/cluster.js";
import { dataDirectory } from "../data-directory.js";
import { fillLargeSet } from "../large-set.js";
import { CannotStart, closePatience, drain, listen, usualPatience, withPatience } from "../listen.js";
import { type DemoAccount, provision, provisionAccounts } from "../provision.js";
import { forgetRunning, noteRunning, runningOn } from "../running.js";
import { secretsOf } from "../secrets.js";
import { workbenchDirectory } from "../workbench-directory.js";

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

/** A directory's files with their texts; none where it is not there. */
async function textsIn(directory: string): Promise<ReadonlyMap<string, string>> {
  const names = await readdir(directory).catch(() => []);
  return new Map(
    await Promise.all(names.map(async (name) => [name, await readFile(path.join(directory, name), "utf8")] as const)),
  );
}

/**
 * The demo's page files, copied to the data where they may be changed: what is published is written to them. Those that nobody has changed since follow a
 * newer version; of the others it is said that there is something new.
 */
async function pagesIn(directory: string, fresh: boolean, say: Say): Promise<string> {
  const [pages, copied] = [path.join(directory, "pages"), path.join(directory, "pages-as-copied")];
  if (fresh) await Promise.all([pages, copied].map((each) => rm(each, { recursive: true, force: true })));
  const [ours, theirs, before] = await Promise.all([fileURLToPath(demoPages), pages, copied].map(textsIn));
  const isFirst = !existsSync(pages);
  await mkdir(pages, { recursive: true });
  const updated: string[] = [];
  const kept: string[] = [];
  for (const [name, text] of ours ?? []) {
    const [now, then] = [theirs?.get(name), before?.get(name)];
    if (now === text || (then === text && !isFirst)) continue;
    if (isFirst || (now !== undefined && now === then) || (now === undefined && then === undefined)) {
      await writeFile(path.join(pages, name), text);
      updated.push(name);
    } else kept.push(name);
  }
  await rm(copied, { recursive: true, force: true });
  await cp(fileURLToPath(demoPages), copied, { recursive: true });
  if (!isFirst && updated.length > 0)
    say(`These page files of the demo are new in this version: ${updated.join(", ")}.`);
  if (kept.length > 0)
    say(
      `The demo has newer versions of page files that you have changed: ${kept.join(", ")}. Yours stay; the new ones are in ${copied}. To begin anew: npm start -- --fresh`,
    );
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
    return await startOn(cluster, { directory, secrets }, options, say);
  } catch (error) {
    await cluster.stop();
    throw error;
  }
}

async function startOn(
  cluster: Cluster,
  { directory, secrets }: { readonly directory: string; readonly secrets: Awaited<ReturnType<typeof secretsOf>> },
  options: StartOptions,
  say: Say,
): Promise<Started> {
  const databases = await provision(cluster, secrets, { fresh: options.fresh, now: options.now ?? new Date() }, say);
  const logger = makeLogger(
    process.env.LOG_LEVEL ?? "warn",
    pino.destination({ dest: path.join(directory, "quill.log"), mkdir: true, sync: false, mode: 0o600 }),
  );
  const pages = options.pages ?? (await pagesIn(directory, options.fresh, say));
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
