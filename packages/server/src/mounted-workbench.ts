import { connect, databaseOver, type Pages } from "@loyal-quill/runtime";
import express, { type Request, type RequestHandler } from "express";
import { pino } from "pino";
import { problem } from "./api/problem.js";
import { apiRoutes } from "./api/routes.js";
import type { OnPublish } from "./drafts/rehearsals.js";
import { aroundPages, type EditedDatabase } from "./edited-database.js";
import { Keys } from "./keys.js";
import { careful, makeLogger } from "./log.js";
import { Exchange } from "./processes/exchange.js";
import { ownVersion } from "./processes/own-version.js";
import { type HostPerson, HostSignIns } from "./sign-in/host-sign-ins.js";
import type { Account } from "./store/entities.js";
import { Store } from "./store/store.js";
import { workbenchAssets, workbenchRoutes } from "./workbench.js";

/** A database whose pages an application serves, as the workbench knows it. */
export interface WorkbenchDatabase {
  /** Its pages, as `createPages` made them. */
  readonly pages: Pages;
  /** Where they are mounted: `/records`. */
  readonly mount: string;
  /** `postgresql://…`, for the threads in which drafts are judged and tried: the same database, with the same rights. */
  readonly database: string | undefined;
  /** The same for the change log, with a user who may read it; that of `database` where it is left out. */
  readonly log?: string;
}

export interface WorkbenchOptions {
  /** By name; the first one is at `/workbench`, another one at `/workbench/at/NAME`. */
  readonly databases: Readonly<Record<string, WorkbenchDatabase>>;
  /** `postgresql://…` of a database of the workbench's own: drafts, versions, what is recorded, accounts, the trail. */
  readonly store: string | undefined;
  /** That of `createPages`, so that a form can be tried; several, the newest first. */
  readonly signingKey: string | readonly string[] | undefined;
  /** Who asks, as the application's own sign-in knows it; null where nobody is signed in. */
  readonly person: (request: Request) => HostPerson | null | undefined | Promise<HostPerson | null | undefined>;
  /**
   * People through whose eyes pages are looked at and rehearsed, before they have come here by themselves; asked once, at the start. Left out, they are those
   * who have opened the workbench.
   */
  readonly people?: () => readonly HostPerson[] | Promise<readonly HostPerson[]>;
  /** Where somebody who is not signed in is sent, with `?next=` and the address to come back to. */
  readonly signIn: string;
  /** What the application is called, in the workbench. */
  readonly name?: string;
  /** What is done with a rehearsal before a page is published; `warn` where it is left out. */
  readonly onPublish?: OnPublish;
}

export interface MountedWorkbench {
  /** To be mounted at `/workbench`. */
  readonly router: RequestHandler;
  /** Ends what would go on for ever by itself, like the live feed: the first thing of an orderly stop, before the server closes. */
  readonly endStreams: () => void;
  readonly close: () => Promise<void>;
}

/** Where it is mounted: its modules know their addresses. */
const place = "/workbench";

/**
 * The workbench for an application of somebody's own, over its own sign-in.
 *
 * @param directory of the built workbench
 * @throws when the store or a database can't be reached
 */
export async function mountWorkbench(options: WorkbenchOptions, directory: string): Promise<MountedWorkbench> {
  const { signingKey, store: storeUrl, name = "Records" } = options;
  if (signingKey === undefined) throw new Error("The signing key is missing: hand in the one that createPages has.");
  if (storeUrl === undefined)
    throw new Error("The store is missing: postgresql://…, a database of the workbench's own.");
  const named = Object.entries(options.databases);
  const [firstDatabase] = named;
  if (!firstDatabase)
    throw new Error("The workbench needs a database: databases: { name: { pages, mount, database } }.");
  const secrets = typeof signingKey === "string" ? [signingKey] : signingKey;
  const keys = new Keys(secrets);
  const logger = careful(makeLogger(process.env.LOG_LEVEL ?? "warn", pino.destination(2)));
  const urlOf = (given: WorkbenchDatabase): string => {
    if (given.database === undefined) throw new Error("A database of the workbench has no address: postgresql://….");
    return given.database;
  };
  const store = await Store.open(storeUrl, firstDatabase[1].log ?? urlOf(firstDatabase[1]));
  const exchange = await Exchange.open(storeUrl, {
    version: ownVersion,
    onError: (error) => logger.warn({ err: error }, "the other processes could not be told"),
  });
  const pools: { end: () => Promise<void> }[] = [];
  const opened: EditedDatabase[] = [];
  const close = async (): Promise<void> => {
    await Promise.all(opened.map((each) => each.close()));
    await Promise.all([...pools.map((pool) => pool.end()), ...opened.slice(1).map((each) => each.store.close())]);
    await exchange.close();
    await store.close();
  };
  try {
    for (const [index, [called, given]] of named.entries()) {
      const url = urlOf(given);
      const pool = connect(url, 3);
      pools.push(pool);
      const own = index === 0 ? store : store.at(called, given.log ?? url);
      const around = { keys, formKeys: secrets, application: name, logger, exchange, store: own, databaseUrl: url };
      opened.push(
        await aroundPages(given.pages, databaseOver(pool), given.mount, [], {
          ...around,
          name: index === 0 ? "" : called,
          ...(options.onPublish === undefined ? {} : { onPublish: options.onPublish }),
        }),
      );
    }
  } catch (error) {
    await close();
    throw error;
  }
  const signIns = new HostSignIns(store, keys, options.person);
  const account = (request: Request): Promise<Account | null> => signIns.account(request);
  for (const person of (await options.people?.()) ?? []) await signIns.accountOf(person);
  const refused = (_request: Request, response: express.Response): void =>
    void response
      .status(403)
      .type("text")
      .send("The workbench is open to people with the role builder, administrator or auditor.");
  const router = express.Router();
  router.use((request, _response, next) =>
    next(
      request.baseUrl === place
        ? undefined
        : new Error(`Mount the workbench at ${place}: app.use("${place}", workbench.router).`),
    ),
  );
  router.use("/assets", ...workbenchAssets(directory));
  for (const each of [...opened].reverse())
    router.use(
      each.name === "" ? "/api" : `/api/at/${each.name}`,
      apiRoutes({ ...each, databases: opened, application: name, account, sessions: signIns, factorRoles: [] }).router,
    );
  router.use("/api", (error: unknown, request: Request, response: express.Response, _next: express.NextFunction) => {
    logger.error({ err: error, url: request.path }, "a request failed");
    if (response.headersSent) response.end();
    else problem(response, 500, "Something went wrong", "It was logged. Try again.");
  });
  router.use(await workbenchRoutes(directory, account, refused, options.signIn));
  return {
    router,
    endStreams: () => {
      for (const each of opened) each.endStreams();
    },
    close,
  };
}
