import type { Frame } from "@loyal-quill/core";
import { type Pages, signerOf } from "@loyal-quill/runtime";
import express, { type Request } from "express";
import pg from "pg";
import type { Logger } from "pino";
import { apiRoutes } from "./api/routes.js";
import { answerFailure, homePage, noBuilder, nothingHere } from "./documents.js";
import { type FrameOf, openEditedDatabase } from "./edited-database.js";
import { fontRoutes, fontSheets } from "./fonts.js";
import { requestLog, securityHeaders } from "./headers.js";
import { signInRoutes } from "./sign-in/routes.js";
import { accountOf, actorOf, csrfToken, hasCsrfToken, sessions } from "./sign-in/session.js";
import { connectionLimits } from "./store/connection.js";
import type { Account } from "./store/entities.js";
import { Store } from "./store/store.js";
import { languageOf } from "./words.js";
import { workbenchAssets, workbenchRoutes } from "./workbench.js";

export interface ApplicationOptions {
  /** The edited database: a user who may read its tables, update them, and add to the log. */
  readonly databaseUrl: string;
  /** Loyal Quill's own database, whose owner the user is. */
  readonly storeUrl: string;
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
  }[];
  /** The directory of the built workbench, or null for none. */
  readonly workbench: string | null;
  /** The key of digests, tokens and sessions: 32 bytes at least. */
  readonly signingKey: string;
  /** The application's name, in every header. */
  readonly name: string;
  /** What it is, on the home page. */
  readonly about?: string;
  readonly logger: Logger;
  /** Connections to each edited database at most; 10 where it is left out. */
  readonly poolSize?: number;
  /** The greatest age of a form that is taken, in milliseconds; a day where it is left out. */
  readonly formAge?: number;
  /** Told what somebody should do about a database's change log; it is logged where this is left out. */
  readonly onNotice?: (notice: string) => void;
}

export interface Application {
  readonly app: express.Express;
  readonly store: Store;
  readonly pages: Pages;
  /** Ends what would go on for ever by itself, like the live feed: the first thing of an orderly stop. */
  readonly endStreams: () => void;
  readonly close: () => Promise<void>;
}

/**
 * Puts the whole application together: the served pages at their own addresses from the root, the workbench under
 * `/workbench`, signing in and out.
 *
 * @throws when a database can't be reached or the page files can't be read
 */
export async function createApplication(options: ApplicationOptions): Promise<Application> {
  const { signingKey, logger } = options;
  const store = await Store.open(options.storeUrl, options.logUrl);
  const sessionPool = new pg.Pool({ connectionString: options.storeUrl, max: 5, ...connectionLimits });
  sessionPool.on("error", (error) => logger.warn({ err: error }, "an idle connection to the store broke"));
  const frameOf: FrameOf = (request, actor) => ({
    application: options.name,
    home: "/",
    language: languageOf(request),
    styleSheets: fontSheets,
    person: actor && { name: actor.name },
    signOut: actor && { action: "/sign-out", token: csrfToken(request, signingKey) },
  });
  const limits = {
    ...(options.poolSize === undefined ? {} : { poolSize: options.poolSize }),
    ...(options.formAge === undefined ? {} : { formAge: options.formAge }),
    ...(options.onNotice ? { onNotice: options.onNotice } : {}),
  };
  const opening = { signingKey, logger, frame: frameOf, ...limits };
  const first = await openEditedDatabase({ ...opening, ...options, name: "", store });
  const others = await Promise.all(
    (options.also ?? []).map(async ({ name, databaseUrl, logUrl, pages: directory }) =>
      openEditedDatabase({ ...opening, name, databaseUrl, pages: directory, store: await store.at(name, logUrl) }),
    ),
  );
  const databases = [first, ...others];
  const { pages } = first;
  const styleSheets = [pages.styleSheet, ...fontSheets];
  const account = (request: Request): Promise<Account | null> => accountOf(request, store);
  const frame = (request: Request, found: Account | null = null): Frame => ({
    ...frameOf(request, found && actorOf(found)),
    base: "",
    script: null,
    styleSheets,
  });

  const app = express();
  app.disable("x-powered-by");
  app.use(requestLog(logger), securityHeaders());
  if (options.workbench) app.use("/workbench/assets", ...workbenchAssets(options.workbench));
  app.use("/fonts", fontRoutes());
  app.use(sessions(sessionPool, signingKey, logger));
  app.use(signInRoutes({ store, secret: signingKey, frame, pages }));
  for (const edited of [...others, first])
    app.use(
      edited.name === "" ? "/workbench/api" : `/workbench/api/at/${edited.name}`,
      apiRoutes({
        ...edited,
        databases,
        signer: signerOf(signingKey),
        application: options.name,
        styleSheets: [`${edited.mount}${edited.pages.styleSheet}`, ...fontSheets],
        account,
        csrfToken: (request) => csrfToken(request, signingKey),
        hasCsrfToken: (request, token) => hasCsrfToken(request, token, signingKey),
      }),
    );
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
    const page = homePage(served, actorOf(found), frame(request, found), options.workbench !== null, options.about);
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
    answerFailure(error, request, response, frame(request), logger),
  );

  const close = async (): Promise<void> => {
    await Promise.all(databases.map((each) => each.close()));
    await Promise.all([sessionPool.end(), ...others.map((each) => each.store.close())]);
    await store.close();
  };
  const endStreams = (): void => {
    for (const each of databases) each.endStreams();
  };
  return { app, store, pages, endStreams, close };
}
