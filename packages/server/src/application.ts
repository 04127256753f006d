import { randomBytes } from "node:crypto";
import { readFile } from "node:fs/promises";
import { createRequire } from "node:module";
import path from "node:path";
import { type Actor, document, type Frame, html, mayOpen, type Page, titleOfCode } from "@loyal-quill/core";
import { connect, createPages, databaseOver, type Pages, signerOf } from "@loyal-quill/runtime";
import express, { type Request, type Response } from "express";
import helmet from "helmet";
import pg from "pg";
import type { Logger } from "pino";
import { pinoHttp } from "pino-http";
import { Feed } from "./api/feed.js";
import { apiRoutes, problem } from "./api/routes.js";
import { signInRoutes } from "./sign-in/routes.js";
import { accountOf, actorOf, csrfToken, sessions } from "./sign-in/session.js";
import { Store } from "./store/store.js";

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

/** The list of the pages that a person may open: the root of the served pages. */
function homePage(pages: readonly Page[], actor: Actor, frame: Frame): string {
  const facts = { actor, row: {}, form: {}, now: new Date() };
  const open = pages.filter((page) => mayOpen(page, facts) === true);
  const links = open.map((page) => html`<li><a href="${page.path.list}">${page.plural}</a></li>`);
  const workbench = actor.roles.includes("builder") && html`<p><a href="/workbench">Go to the workbench</a></p>`;
  const list =
    open.length > 0 ? html`<ul class="pages">${links}</ul>` : html`<p class="empty">No page is open to you yet.</p>`;
  return document(frame, "Pages", html`<h1>Pages</h1>${list}${workbench}`);
}

/** The fonts of the served pages, from their packages: speech, and all that comes from the table. */
const fonts = ["alegreya-sans", "fira-mono"].map((name) => ({
  name,
  directory: path.dirname(createRequire(import.meta.url).resolve(`@fontsource/${name}/package.json`)),
}));
const fontSheets = ["/fonts/alegreya-sans/400.css", "/fonts/alegreya-sans/700.css", "/fonts/fira-mono/400.css"];

/** The workbench's single document, with a nonce for the styles that its components make (CSP Level 3, 2.3). */
async function workbenchRoutes(directory: string): Promise<express.Router> {
  const router = express.Router();
  const template = await readFile(path.join(directory, "index.html"), "utf8");
  router.get("/{*path}", (_request, response) => {
    const nonce = randomBytes(18).toString("base64");
    response.set({
      "content-security-policy": `default-src 'self'; script-src 'self'; style-src 'self' 'nonce-${nonce}'; img-src 'self' data:; object-src 'none'; base-uri 'none'; frame-ancestors 'none'; form-action 'self'`,
      "cache-control": "no-store",
    });
    response.type("html").send(template.replace("%NONCE%", nonce));
  });
  return router;
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
  const pool = connect(options.databaseUrl);
  const sessionPool = new pg.Pool({ connectionString: options.storeUrl, max: 5 });
  sessionPool.on("error", (error) => logger.warn({ err: error }, "an idle connection to the store broke"));
  const database = databaseOver(pool);
  const feed = new Feed();
  const account = (request: Request) => accountOf(request, store);
  const frameOf = (request: Request, actor: Actor | null): Omit<Frame, "base"> => ({
    application: options.name,
    home: "/",
    language: "en",
    styleSheets: fontSheets,
    person: actor && { name: actor.name },
    signOut: actor && { action: "/sign-out", token: csrfToken(request, signingKey) },
  });
  const pages = await createPages({
    database,
    pages: options.pages,
    signingKey,
    signIn: "/sign-in",
    actor: async (request) => {
      const found = await account(request);
      return found && actorOf(found);
    },
    session: (request) => csrfToken(request, signingKey),
    frame: frameOf,
    onRequest: (recorded) => {
      store.keepRequest(recorded).then(
        () => feed.tell({ kind: "request", request: recorded }),
        (error: unknown) => logger.error({ err: error }, "a request could not be recorded"),
      );
    },
    onLoad: () => feed.tell({ kind: "pages" }),
    onError: (error) => logger.error({ err: error }, "the page files could not be read anew"),
  });
  const wholeFrame = (request: Request, actor: Actor | null = null): Frame => ({
    ...frameOf(request, actor),
    base: "",
    styleSheets: [pages.styleSheet, ...fontSheets],
  });

  const app = express();
  app.disable("x-powered-by");
  app.use(
    pinoHttp({
      logger,
      serializers: {
        req: (request: { method: string; url: string }) => ({ method: request.method, url: request.url.split("?")[0] }),
        res: (response: { statusCode: number }) => ({ status: response.statusCode }),
      },
    }),
  );
  app.use(
    helmet({
      contentSecurityPolicy: {
        useDefaults: false,
        directives: {
          defaultSrc: ["'none'"],
          styleSrc: ["'self'"],
          fontSrc: ["'self'"],
          imgSrc: ["'self'", "data:"],
          formAction: ["'self'"],
          baseUri: ["'none'"],
          frameAncestors: ["'self'"],
        },
      },
      // Served over plain HTTP on loopback; a proxy that ends TLS sets these two.
      strictTransportSecurity: false,
      xFrameOptions: { action: "sameorigin" },
    }),
  );
  if (options.workbench)
    app.use(
      "/workbench/assets",
      express.static(path.join(options.workbench, "assets"), {
        immutable: true,
        maxAge: "1y",
        index: false,
        fallthrough: false,
      }),
    );
  for (const font of fonts)
    app.use(`/fonts/${font.name}`, express.static(font.directory, { maxAge: "1d", index: false }));
  app.use(sessions(sessionPool, signingKey));
  app.use(signInRoutes({ store, secret: signingKey, frame: wholeFrame }));
  app.use(
    "/workbench/api",
    apiRoutes({
      store,
      pages,
      database,
      signer: signerOf(signingKey),
      feed,
      application: options.name,
      styleSheets: [pages.styleSheet, ...fontSheets],
      account,
      signOutToken: (request) => csrfToken(request, signingKey),
    }),
  );
  if (options.workbench) {
    const served = await workbenchRoutes(options.workbench);
    app.use("/workbench", async (request, response, next) => {
      const found = await account(request);
      if (!found) return response.redirect(303, `/sign-in?next=${encodeURIComponent(request.originalUrl)}`);
      if (found.roles.includes("builder")) return served(request, response, next);
      response
        .status(403)
        .type("html")
        .send(notFor(wholeFrame(request, actorOf(found))));
    });
  }
  app.get("/", async (request, response) => {
    const found = await account(request);
    if (!found) return response.redirect(303, "/sign-in");
    const actor = actorOf(found);
    response
      .type("html")
      .set("cache-control", "no-store")
      .send(homePage(pages.loaded().pages, actor, wholeFrame(request, actor)));
  });
  app.use(pages.router);
  app.use(async (request, response) => {
    const found = await account(request);
    const { title, advice } = titleOfCode("en", "no-such-address");
    const page = document(
      wholeFrame(request, found && actorOf(found)),
      title,
      html`<h1>${title}</h1><p>${advice}</p><p><a href="/">To the list of pages</a></p>`,
    );
    response.status(404).type("html").send(page);
  });
  app.use((error: unknown, request: Request, response: Response, _next: express.NextFunction) =>
    failed(error, request, response, wholeFrame(request), logger),
  );

  const close = async (): Promise<void> => {
    feed.close();
    pages.close();
    await Promise.all([pool.end(), sessionPool.end(), store.close()]);
  };
  return { app, store, pages, close };
}

const notFor = (frame: Frame): string =>
  document(
    frame,
    "The workbench is not open to you",
    html`<h1>The workbench is not open to you</h1><p>It is open to accounts with the role builder.</p><p><a href="/">To the list of pages</a></p>`,
  );

/** The last answer: what a person sent is their matter (4xx); a store that is away is said; anything else is a bug, logged. */
function failed(error: unknown, request: Request, response: Response, frame: Frame, logger: Logger): void {
  if (response.headersSent) return void response.end();
  const asked = (error as { status?: unknown }).status;
  const status = typeof asked === "number" && asked >= 400 && asked < 500 ? asked : isStoreAway(error) ? 503 : 500;
  if (status >= 500) logger.error({ err: error, url: request.path }, "a request failed");
  const title =
    status === 503
      ? titleOfCode("en", "database-away").title
      : status === 500
        ? "Something went wrong here"
        : "This can't be read";
  const detail =
    status === 503
      ? titleOfCode("en", "database-away").advice
      : status === 500
        ? "It was written down. Nothing was changed."
        : "What was sent is not what this address takes.";
  if (request.path.startsWith("/workbench/api")) problem(response, status, title, detail);
  else
    response
      .status(status)
      .type("html")
      .send(document(frame, title, html`<h1>${title}</h1><p>${detail}</p>`));
}

/** Whether an error says that PostgreSQL can't be reached: Node's connection errors, or SQLSTATE classes 08, 53 and 57. */
const isStoreAway = (error: unknown): boolean =>
  /^(ECONN|EPIPE|ETIMEDOUT|08|53|57)/.test(String((error as { code?: unknown }).code ?? ""));
