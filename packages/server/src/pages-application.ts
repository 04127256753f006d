import type { Actor, Frame, RecordedRequest } from "@loyal-quill/core";
import {
  careForLog,
  connect,
  createPages,
  databaseOver,
  type Loaded,
  type Pages,
  problemLine,
  type SealOptions,
} from "@loyal-quill/runtime";
import express, { type Request } from "express";
import type { Logger } from "pino";
import type { Registry } from "prom-client";
import { answerFailure, homePage, nothingHere } from "./documents.js";
import { atTheEdge, loopback } from "./edge.js";
import { fontRoutes, fontSheets } from "./fonts.js";
import { requestLog, securityHeaders } from "./headers.js";
import { Health } from "./health.js";
import { Keys } from "./keys.js";
import { careful, tellReplica } from "./log.js";
import { Metrics } from "./metrics.js";
import { importTypeScript } from "./typescript.js";
import { languageOf } from "./words.js";

export interface PagesApplicationOptions {
  /** The edited database. */
  readonly databaseUrl: string;
  /** The directory of the page files. */
  readonly pages: string;
  /** Whoever asks: there is no sign-in. Serve it on loopback only. */
  readonly actor: Actor;
  /** The secrets that all keys are made of, the newest first, of 32 bytes at least. */
  readonly signingKeys: readonly string[];
  readonly name: string;
  readonly logger: Logger;
  readonly poolSize?: number;
  readonly poolWait?: number;
  readonly replicas?: readonly string[];
  readonly replicaLag?: number;
  readonly formAge?: number;
  /** What is done with the seals of the change log; `false` where somebody else makes them. */
  readonly seals?: SealOptions | false;
  /** Told what somebody should do about the change log; it is logged where this is left out. */
  readonly onNotice?: (notice: string) => void;
  /** Told of every request once it is answered. */
  readonly onRequest?: (recorded: RecordedRequest) => void;
  /** Told when the files or the tables were read anew. */
  readonly onLoad?: (loaded: Loaded) => void;
}

export interface PagesApplication {
  readonly app: express.Express;
  readonly pages: Pages;
  readonly metrics: Registry;
  readonly leave: () => void;
  readonly endStreams: () => void;
  readonly close: () => Promise<void>;
}

/**
 * The served pages alone, for one person: no store, no sign-in, no workbench.
 *
 * @throws when the database can't be reached or the page files can't be read
 */
export async function createPagesApplication(options: PagesApplicationOptions): Promise<PagesApplication> {
  const { actor } = options;
  const logger = careful(options.logger);
  const { poolSize, poolWait } = options;
  const pool = connect(options.databaseUrl, poolSize, poolWait);
  const metrics = new Metrics();
  metrics.pool("", pool);
  const around = {
    application: options.name,
    home: "/",
    language: "en",
    styleSheets: fontSheets,
    person: { name: actor.name },
    signOut: null,
  } as const;
  const database = databaseOver(pool, poolWait === undefined ? {} : { connect: poolWait });
  const tellNotice = options.onNotice ?? ((notice: string) => logger.warn(notice));
  const pages = await createPages({
    developer: false,
    watchLog: false,
    database,
    pages: options.pages,
    signingKey: new Keys(options.signingKeys).all("forms"),
    actor: () => actor,
    session: () => "alone",
    frame: (request) => ({ ...around, language: languageOf(request) }),
    ...(options.formAge === undefined ? {} : { formAge: options.formAge }),
    ...(options.replicas === undefined ? {} : { replicas: options.replicas }),
    ...(options.replicaLag === undefined ? {} : { replicaLag: options.replicaLag }),
    ...(poolSize === undefined ? {} : { poolSize }),
    onReplica: (report) => tellReplica(logger, report),
    onRequest: (recorded) => {
      metrics.request(recorded);
      options.onRequest?.(recorded);
    },
    ...(options.onLoad ? { onLoad: options.onLoad } : {}),
    ...(options.seals === undefined ? {} : { seals: options.seals }),
    importModule: importTypeScript,
    onProblem: (problem) => tellNotice(problemLine(problem)),
    onError: (error) => logger.error({ err: error }, "pages, or code beside them, failed"),
  }).catch(async (error: unknown) => {
    await pool.end();
    throw error;
  });
  const logCare = careForLog(database, tellNotice);
  await logCare.look();
  const frame: Frame = { ...around, base: "", script: null, styleSheets: [pages.styleSheet, ...fontSheets] };
  const app = express();
  app.disable("x-powered-by");
  const health = new Health();
  app.use(health.routes);
  app.use(requestLog(logger), securityHeaders(false), atTheEdge(loopback));
  app.use("/fonts", fontRoutes());
  app.get("/", (request, response) => {
    response
      .type("html")
      .set("cache-control", "no-store")
      .send(
        homePage(
          pages.loaded().pages.map((page) => ({ page, mount: "" })),
          actor,
          { ...frame, language: languageOf(request) },
          { hasWorkbench: false },
        ),
      );
  });
  app.use(pages.router);
  app.use((request, response) => {
    response
      .status(404)
      .type("html")
      .send(nothingHere({ ...frame, language: languageOf(request) }));
  });
  app.use((error: unknown, request: Request, response: express.Response, _next: express.NextFunction) =>
    answerFailure(error, { request, response }, { ...frame, language: languageOf(request) }, logger),
  );
  const close = async (): Promise<void> => {
    logCare.close();
    await pages.close();
    await pool.end();
  };
  return { app, pages, metrics: metrics.registry, leave: () => health.leave(), endStreams: () => {}, close };
}
