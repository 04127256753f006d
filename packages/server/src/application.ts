import type { Actor, Database, Frame } from "@loyal-quill/core";
import { connect, createPages, databaseOver, type Pages, signerOf } from "@loyal-quill/runtime";
import express, { type Request } from "express";
import pg from "pg";
import type { Logger } from "pino";
import { Feed } from "./api/feed.js";
import { apiRoutes } from "./api/routes.js";
import { answerFailure, homePage, noBuilder, nothingHere } from "./documents.js";
import { Censuses } from "./drafts/census.js";
import { Desk } from "./drafts/desk.js";
import { fontRoutes, fontSheets } from "./fonts.js";
import { requestLog, securityHeaders } from "./headers.js";
import { signInRoutes } from "./sign-in/routes.js";
import { accountOf, actorOf, csrfToken, hasCsrfToken, sessions } from "./sign-in/session.js";
import type { Account } from "./store/entities.js";
import { Store } from "./store/store.js";
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
  /** The directory of the built workbench, or null for none. */
  readonly workbench: string | null;
  /** The key of digests, tokens and sessions: 32 bytes at least. */
  readonly signingKey: string;
  /** The application's name, in every header. */
  readonly name: string;
  readonly logger: Logger;
}

export interface Application {
  readonly app: express.Express;
  readonly store: Store;
  readonly pages: Pages;
  readonly close: () => Promise<void>;
}

/** What stands around a page for a person, apart from where the pages are mounted. */
type FrameOf = (request: Request, actor: Actor | null) => Omit<Frame, "base" | "script">;

/** The served pages, telling store and workbench of every request. */
const openPages = (
  options: ApplicationOptions,
  database: Database,
  store: Store,
  feed: Feed,
  frame: FrameOf,
  onLoad: () => void,
): Promise<Pages> =>
  createPages({
    database,
    pages: options.pages,
    signingKey: options.signingKey,
    signIn: "/sign-in",
    actor: async (request) => {
      const found = await accountOf(request, store);
      return found && actorOf(found);
    },
    session: (request) => csrfToken(request, options.signingKey),
    frame,
    onRequest: (recorded) => {
      // What the script of a page asks for as one types is no open and no save.
      if (recorded.operation === "choices") return;
      store.keepRequest(recorded).then(
        () => feed.tell({ kind: "request", request: recorded }),
        (error: unknown) => options.logger.error({ err: error }, "a request could not be recorded"),
      );
    },
    onLoad,
    onError: (error) => options.logger.error({ err: error }, "the page files could not be read anew"),
  });

/**
 * Puts the whole application together: the served pages at their own addresses from the root, the workbench under
 * `/workbench`, signing in and out.
 *
 * @throws when a database can't be reached or the page files can't be read
 */
export async function createApplication(options: ApplicationOptions): Promise<Application> {
  const { signingKey, logger } = options;
  const store = await Store.open(options.storeUrl, options.logUrl);
  const pool = connect(options.databaseUrl);
  const sessionPool = new pg.Pool({ connectionString: options.storeUrl, max: 5 });
  sessionPool.on("error", (error) => logger.warn({ err: error }, "an idle connection to the store broke"));
  const database = databaseOver(pool);
  const feed = new Feed();
  const frameOf: FrameOf = (request, actor) => ({
    application: options.name,
    home: "/",
    language: "en",
    styleSheets: fontSheets,
    person: actor && { name: actor.name },
    signOut: actor && { action: "/sign-out", token: csrfToken(request, signingKey) },
  });
  let desk: Desk | undefined;
  const pages = await openPages(options, database, store, feed, frameOf, () => {
    void desk?.sync();
    feed.tell({ kind: "pages" });
  });
  desk = new Desk({ store, pages, directory: options.pages, tell: (event) => feed.tell(event) });
  await desk.sync();
  const censuses = new Censuses(database, (event) => feed.tell(event));
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
  app.use(sessions(sessionPool, signingKey));
  app.use(signInRoutes({ store, secret: signingKey, frame }));
  app.use(
    "/workbench/api",
    apiRoutes({
      store,
      pages,
      database,
      signer: signerOf(signingKey),
      feed,
      application: options.name,
      styleSheets,
      account,
      desk,
      censuses,
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
    const page = homePage(pages.loaded().pages, actorOf(found), frame(request, found), options.workbench !== null);
    response.type("html").set("cache-control", "no-store").send(page);
  });
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
    feed.close();
    censuses.close();
    pages.close();
    await Promise.all([pool.end(), sessionPool.end(), store.close()]);
  };
  return { app, store, pages, close };
}
