import type { Frame } from "@loyal-quill/core";
import { connectionTo, type Pages, type SealOptions } from "@loyal-quill/runtime";
import express, { type Request } from "express";
import pg from "pg";
import type { Logger } from "pino";
import type { Registry } from "prom-client";
import { type GuardedRoute, type GuardedRoutes, isAtWorkbench } from "./api/access.js";
import { apiRoutes } from "./api/routes.js";
import { answerFailure, homePage, noBuilder, nothingHere } from "./documents.js";
import type { OnPublish } from "./drafts/rehearsals.js";
import { atTheEdge, type Deployment, impatient, loopback, strangersPatience } from "./edge.js";
import { type EditedDatabase, type FrameOf, openEditedDatabase } from "./edited-database.js";
import { fontRoutes, fontSheets } from "./fonts.js";
import { requestLog, securityHeaders } from "./headers.js";
import { Health } from "./health.js";
import { Keys } from "./keys.js";
import { careful } from "./log.js";
import { Metrics } from "./metrics.js";
import { Exchange } from "./processes/exchange.js";
import { ownVersion } from "./processes/own-version.js";
import { SignInLimits } from "./sign-in/limits.js";
import { myAccountRoutes } from "./sign-in/my-account.js";
import { signInRoutes } from "./sign-in/routes.js";
import { Sessions } from "./sign-in/session.js";
import { SignOnElsewhere, type SignOnSettings } from "./sign-in/sign-on.js";
import { connectionLimits } from "./store/connection.js";
import { type Account, actorOf } from "./store/entities.js";
import { Store } from "./store/store.js";
import { languageOf } from "./words.js";
import { workbenchAssets, workbenchRoutes } from "./workbench.js";

export interface ApplicationOptions {
  /** The edited database: a user who may read its tables, update them, and add to the log. */
  readonly databaseUrl: string;
  /** Loyal Quill's own database, whose owner the user is. */
  readonly storeUrl: string;
  /** The same without a pooler before it, where there is one: over it other processes are heard at once. */
  readonly storeDirect?: string | undefined;
  /** The edited database again: a user who may read the log. */
  readonly logUrl: string;
  /** The directory of the page files. */
  readonly pages: string;
  /** Further databases, each with its own page files: their pages are served below `/NAME`. */
  readonly also?: readonly {
    readonly name: string;
    readonly databaseUrl: string;
    readonly logUrl: string;
    readonly pages: string;
    /** Standbys of it that are read from. */
    readonly replicas?: readonly string[];
  }[];
  /** The directory of the built workbench, or null for none. */
  readonly workbench: string | null;
  /** The secrets that all keys are made of, the newest first, of 32 bytes at least: what the older ones signed still counts. */
  readonly signingKeys: readonly string[];
  /** The application's name, in every header. */
  readonly name: string;
  /** What it is, on the home page. */
  readonly about?: string;
  readonly logger: Logger;
  /** Connections to each edited database at most; 10 where it is left out. */
  readonly poolSize?: number;
  /** How long a connection is waited for, in milliseconds; 3,000 where it is left out. */
  readonly poolWait?: number;
  /** Standbys of the first database that are read from; and how far one of any database may be behind, in milliseconds. */
  readonly replicas?: readonly string[];
  readonly replicaLag?: number;
  /** The greatest age of a form that is taken, in milliseconds; a day where it is left out. */
  readonly formAge?: number;
  /** What is done with a rehearsal before a page is published: `warn` where it is left out. */
  readonly onPublish?: OnPublish;
  /** Told what somebody should do about a database's change log; it is logged where this is left out. */
  readonly onNotice?: (notice: string) => void;
  /** What is done with the seals of the change logs; `false` where somebody else makes them. */
  readonly seals?: SealOptions | false;
  /** How it stands towards browsers. */
  readonly deployment?: Deployment;
  /** How people sign in. */
  readonly signIn?: SignInSettings;
}

/** How people sign in; what is left out is as it is usually. */
export interface SignInSettings {
  /** Minutes without a request after which a session ends (120), and after which it ends in any case (720). */
  readonly idle?: number;
  readonly end?: number;
  /** Roles that need a second factor. */
  readonly factorRoles?: readonly string[];
  /** Whether there are passwords; only without where there is another application to sign in with. */
  readonly passwords?: boolean;
  /** An application in which people sign in. */
  readonly elsewhere?: SignOnSettings;
}

export interface Application {
  readonly app: express.Express;
  readonly store: Store;
  /** The other processes over the store. */
  readonly exchange: Exchange;
  /** The routes of the workbench's API, each with who may use it. */
  readonly api: readonly GuardedRoute[];
  /** What is measured, for Prometheus. */
  readonly metrics: Registry;
  readonly pages: Pages;
  /** Says from now on that no more requests should come: a proxy that asks sends them elsewhere. */
  readonly leave: () => void;
  /** Ends what would go on for ever by itself, like the live feed: the first thing of an orderly stop. */
  readonly endStreams: () => void;
  readonly close: () => Promise<void>;
}

/** What the application's routes are made of. */
interface RouteParts {
  readonly options: ApplicationOptions;
  readonly deployment: Deployment;
  readonly health: Health;
  readonly sessions: Sessions;
  readonly sessionPool: pg.Pool;
  readonly keys: Keys;
  readonly store: Store;
  readonly logger: Logger;
  /** The first is served from the root. */
  readonly databases: readonly EditedDatabase[];
  readonly account: (request: Request) => Promise<Account | null>;
  readonly frame: (request: Request, found?: Account | null) => Frame;
}

/** Everything that is answered, in the order in which it is tried. */
async function routesOf(parts: RouteParts): Promise<{ app: express.Express; api: GuardedRoutes }> {
  const { options, deployment, health, sessions, sessionPool, keys, store, logger, databases, account, frame } = parts;
  const [first, ...others] = databases as [EditedDatabase, ...EditedDatabase[]];
  const { pages } = first;
  const factorRoles = options.signIn?.factorRoles ?? [];
  const app = express();
  app.disable("x-powered-by");
  app.set("trust proxy", deployment.hops);
  app.use(health.routes);
  app.use(requestLog(logger), securityHeaders(deployment.secure), atTheEdge(deployment));
  if (options.workbench) app.use("/workbench/assets", ...workbenchAssets(options.workbench));
  app.use("/fonts", fontRoutes());
  app.use(sessions.handler, impatient(strangersPatience));
  const limits = new SignInLimits(sessionPool, keys);
  const { signIn = {} } = options;
  const passwords = signIn.passwords ?? true;
  const elsewhere = signIn.elsewhere ? new SignOnElsewhere(signIn.elsewhere) : null;
  const signing = { store, keys, sessions, limits, frame, passwords, logger };
  app.use(signInRoutes({ ...signing, pages, elsewhere }));
  app.use("/my-account", myAccountRoutes({ ...signing, application: options.name, factorRoles }));
  const around = { databases, application: options.name, account, sessions, factorRoles };
  const api = apiRoutes({ ...first, ...around });
  for (const edited of others) app.use(`/workbench/api/at/${edited.name}`, apiRoutes({ ...edited, ...around }).router);
  app.use("/workbench/api", api.router);
  if (options.workbench) {
    const refused = (request: Request, response: express.Response, found: Account) =>
      void response
        .status(403)
        .type("html")
        .send(noBuilder(frame(request, found)));
    app.use("/workbench", await workbenchRoutes(options.workbench, account, refused));
  }
  app.get("/", async (request, response) => {
    const found = await account(request);
    if (!found) return response.redirect(303, "/sign-in");
    const served = databases.flatMap((each) => each.pages.loaded().pages.map((page) => ({ page, mount: each.mount })));
    const page = homePage(served, actorOf(found), frame(request, found), {
      hasWorkbench: options.workbench !== null,
      about: options.about,
    });
    response.type("html").set("cache-control", "no-store").send(page);
  });
  for (const { mount, pages: other } of others) app.use(mount, other.router);
  app.use(pages.router);
  app.use(async (request, response) => {
    response
      .status(404)
      .type("html")
      .send(nothingHere(frame(request, await account(request))));
  });
  app.use((error: unknown, request: Request, response: express.Response, _next: express.NextFunction) =>
    answerFailure(error, { request, response }, frame(request), logger),
  );
  return { app, api };
}

/**
 * Puts the whole application together: the served pages at their own addresses from the root, the workbench under
 * `/workbench`, signing in and out.
 *
 * @throws when a database can't be reached or the page files can't be read
 */
export async function createApplication(options: ApplicationOptions): Promise<Application> {
  const { deployment = loopback, signIn = {} } = options;
  const logger = careful(options.logger);
  const keys = new Keys(options.signingKeys);
  const store = await Store.open(options.storeUrl, options.logUrl);
  const exchange = await Exchange.open(options.storeUrl, {
    direct: options.storeDirect,
    version: ownVersion,
    onError: (error) => logger.warn({ err: error }, "the other processes could not be told"),
  });
  const health = new Health();
  const sessionPool = new pg.Pool({ ...connectionTo(options.storeUrl), max: 5, ...connectionLimits });
  sessionPool.on("error", (error) => logger.warn({ err: error }, "an idle connection to the store broke"));
  const factorRoles = signIn.factorRoles ?? [];
  const sessions = new Sessions(
    { pool: sessionPool, keys, logger, secure: deployment.secure, idle: signIn.idle ?? 120, end: signIn.end ?? 720 },
    store,
    factorRoles,
  );
  const frameOf: FrameOf = (request, actor) => ({
    application: options.name,
    home: "/",
    language: languageOf(request),
    styleSheets: fontSheets,
    person: actor && { name: actor.name, account: "/my-account" },
    signOut: actor && { action: "/sign-out", token: sessions.csrfToken(request) },
    ...(options.workbench !== null && actor && isAtWorkbench(actor) ? { workbench: "/workbench" } : {}),
  });
  const sizes = {
    ...(options.poolSize === undefined ? {} : { poolSize: options.poolSize }),
    ...(options.poolWait === undefined ? {} : { poolWait: options.poolWait }),
    ...(options.replicaLag === undefined ? {} : { replicaLag: options.replicaLag }),
    ...(options.formAge === undefined ? {} : { formAge: options.formAge }),
    ...(options.onPublish === undefined ? {} : { onPublish: options.onPublish }),
    ...(options.onNotice ? { onNotice: options.onNotice } : {}),
    ...(options.seals === undefined ? {} : { seals: options.seals }),
  };
  const metrics = new Metrics();
  metrics.processes(exchange);
  const opening = { keys, sessions, logger, exchange, metrics, frame: frameOf, application: options.name, ...sizes };
  const first = await openEditedDatabase({ ...options, ...opening, name: "", store });
  const others = await Promise.all(
    (options.also ?? []).map(async ({ name, logUrl, ...rest }) =>
      openEditedDatabase({ ...opening, ...rest, name, store: store.at(name, logUrl) }),
    ),
  );
  const databases = [first, ...others];
  const { pages } = first;
  const styleSheets = [pages.styleSheet, ...fontSheets];
  const account = (request: Request): Promise<Account | null> => sessions.account(request);
  const frame = (request: Request, found: Account | null = null): Frame => ({
    ...frameOf(request, found && actorOf(found)),
    base: "",
    script: null,
    styleSheets,
  });

  const { app, api } = await routesOf({
    options,
    deployment,
    health,
    sessions,
    sessionPool,
    keys,
    store,
    logger,
    databases,
    account,
    frame,
  });

  const close = async (): Promise<void> => {
    await Promise.all(databases.map((each) => each.close()));
    await Promise.all([sessionPool.end(), ...others.map((each) => each.store.close())]);
    await exchange.close();
    await store.close();
  };
  const endStreams = (): void => {
    for (const each of databases) each.endStreams();
  };
  return {
    app,
    api: api.all,
    store,
    exchange,
    metrics: metrics.registry,
    pages,
    leave: () => health.leave(),
    endStreams,
    close,
  };
}
