import { mkdtemp, rm } from "node:fs/promises";
import os from "node:os";
import path from "node:path";
import type { Actor, Database, Frame, RecordedRequest } from "@loyal-quill/core";
import {
  careForLog,
  connect,
  createPages,
  databaseOver,
  type LogCare,
  type Pages,
  problemLine,
  type SealOptions,
  sealFile,
} from "@loyal-quill/runtime";
import type { Request } from "express";
import type { Logger } from "pino";
import { Feed } from "./api/feed.js";
import type { FeedEvent } from "./api/types.js";
import { Censuses } from "./drafts/census.js";
import { Desk } from "./drafts/desk.js";
import { PublishedFiles, writePublished } from "./drafts/published-files.js";
import { type OnPublish, Rehearsals } from "./drafts/rehearsals.js";
import { Threads } from "./drafts/threads.js";
import { Verifications } from "./drafts/verification.js";
import { fontSheets } from "./fonts.js";
import type { Keys } from "./keys.js";
import { tellReplica } from "./log.js";
import type { Metrics } from "./metrics.js";
import { ofTheStore } from "./of-the-store.js";
import type { Exchange } from "./processes/exchange.js";
import { digestOf } from "./sign-in/passwords.js";
import type { Sessions } from "./sign-in/session.js";
import { actorOfToken, bearerOf } from "./sign-in/tokens.js";
import { actorOf } from "./store/entities.js";
import type { Store } from "./store/store.js";
import { importTypeScript } from "./typescript.js";

/** A request as it is told to every window: without what came over the wire. */
function shortOf({ wire: _, ...rest }: RecordedRequest): RecordedRequest {
  return rest;
}

/** What stands around a page for a person, apart from where the pages are mounted. */
export type FrameOf = (request: Request, actor: Actor | null) => Omit<Frame, "base" | "script">;

/** What the workbench needs of a database whose pages are served already. */
interface AroundOptions {
  /** Empty for the first one. */
  readonly name: string;
  /** A user who may read its tables, update them, and add to the log. */
  readonly databaseUrl: string;
  /** What is kept of it. */
  readonly store: Store;
  /** The other processes over the store. */
  readonly exchange: Exchange;
  readonly keys: Keys;
  /** What the forms of the served pages are signed with, the newest first; of `keys` where it is left out. */
  readonly formKeys?: readonly (string | Uint8Array)[];
  /** The application's name. */
  readonly application: string;
  readonly logger: Logger;
  /** What is done with a rehearsal before a page is published; `warn` where it is left out. */
  readonly onPublish?: OnPublish;
  /** Told what somebody should do about its change log. */
  readonly onNotice?: (notice: string) => void;
  /** What is measured. */
  readonly metrics?: Metrics;
  /** Whether the page files are the store's versions, written out where the pages read them. */
  readonly ofStore?: boolean;
  /** Files to which the seals of its log are sent. */
  readonly sealFiles?: readonly string[];
}

interface EditedDatabaseOptions extends AroundOptions {
  /** The directory of its page files; `store` for those that the store has. */
  readonly pages: string;
  readonly sessions: Sessions;
  readonly frame: FrameOf;
  /** Connections to it at most; 10 where it is left out. */
  readonly poolSize?: number;
  /** How long one of them is waited for, in milliseconds; 3,000 where it is left out. */
  readonly poolWait?: number;
  /** Standbys that are read from, and how far one may be behind, in milliseconds. */
  readonly replicas?: readonly string[];
  readonly replicaLag?: number;
  readonly formAge?: number;
  /** What is done with the seals of its change log. */
  readonly seals?: SealOptions | false;
}

/** What is told of in all processes alike. */
type Told = Exclude<FeedEvent, { kind: "request" | "pages" }>;

/** One database with everything that is made of it: its served pages, drafts, censuses and live feed. */
export interface EditedDatabase {
  readonly name: string;
  /** What stands before the addresses of its served pages. */
  readonly mount: string;
  readonly store: Store;
  readonly database: Database;
  readonly pages: Pages;
  readonly desk: Desk;
  /** Where drafts are judged, merged and tried. */
  readonly threads: Threads;
  readonly censuses: Censuses;
  readonly rehearsals: Rehearsals;
  readonly verifications: Verifications;
  /** What is done with a rehearsal before a page is published. */
  readonly onPublish: OnPublish;
  readonly feed: Feed;
  /** Tells what happens to all who listen to the live feed of this database, in all processes. */
  readonly tell: (event: Told) => void;
  readonly exchange: Exchange;
  readonly logCare: LogCare;
  /** Ends what would go on for ever by itself: the live feed, and censuses under way. */
  readonly endStreams: () => void;
  readonly close: () => Promise<void>;
}

/**
 * Connects to a database and serves its page files, telling store and workbench of every request.
 *
 * @throws when it can't be reached or the page files can't be read
 */
export async function openEditedDatabase(options: EditedDatabaseOptions): Promise<EditedDatabase> {
  const { name, store, keys, sessions, logger } = options;
  const { poolSize, poolWait } = options;
  const pool = connect(options.databaseUrl, poolSize, poolWait);
  options.metrics?.pool(name, pool);
  const database = databaseOver(pool, poolWait === undefined ? {} : { connect: poolWait });
  const ofStore = options.pages === ofTheStore;
  const directory = ofStore ? await mkdtemp(path.join(os.tmpdir(), "loyal-quill-published-")) : options.pages;
  if (ofStore) await writePublished(store, directory);
  const tellNotice = options.onNotice ?? ((notice: string) => logger.warn(notice));
  // Several logs that are sent to one place are told apart by the name of their database.
  const named = name === "" ? {} : { name };
  const pages = await createPages({
    developer: false,
    watchLog: false,
    database,
    pages: directory,
    signingKey: keys.all("forms"),
    signIn: "/sign-in",
    signInCarries: true,
    ...(options.formAge === undefined ? {} : { formAge: options.formAge }),
    ...(options.replicas === undefined ? {} : { replicas: options.replicas }),
    ...(options.replicaLag === undefined ? {} : { replicaLag: options.replicaLag }),
    ...(poolSize === undefined ? {} : { poolSize }),
    onReplica: (report) => tellReplica(logger, report),
    actor: async (request) => {
      const token = bearerOf(request);
      if (token !== null) return actorOfToken(token, store);
      const found = await sessions.account(request);
      return found && actorOf(found);
    },
    byToken: (request) => bearerOf(request) !== null,
    session: (request) => {
      const token = bearerOf(request);
      return token === null ? sessions.formsOf(request) : `token ${digestOf(token)}`;
    },
    frame: options.frame,
    ...(options.seals === undefined ? {} : { seals: options.seals && { ...options.seals, ...named } }),
    importModule: importTypeScript,
    onProblem: (problem) => tellNotice(problemLine(problem)),
    earlier: (names) => store.versions.textsThatWere(names),
    onError: (error) => logger.error({ err: error }, "pages, or code beside them, failed"),
  }).catch(async (error: unknown) => {
    await pool.end();
    throw error;
  });
  const mount = name === "" ? "" : `/${name}`;
  const sealFiles = options.seals
    ? (options.seals.to ?? [])
        .filter((place) => !/^(-$|\||https?:)/.test(place))
        .map((place) => sealFile(place, name === "" ? undefined : name))
    : [];
  const around = await aroundPages(pages, database, mount, fontSheets, { ...options, ofStore, sealFiles });
  return {
    ...around,
    close: async () => {
      around.endStreams();
      await pages.close();
      await around.close();
      await pool.end();
      if (ofStore) await rm(directory, { recursive: true, force: true });
    },
  };
}

/**
 * Everything that the workbench makes of pages that are served already: drafts, censuses, rehearsals, what is recorded, the live feed.
 *
 * @param mount where the pages are served
 * @param styleSheets addresses of those that a page has beside its own
 */
export async function aroundPages(
  pages: Pages,
  database: Database,
  mount: string,
  styleSheets: readonly string[],
  options: AroundOptions,
): Promise<EditedDatabase> {
  const { name, store, keys, logger } = options;
  const feed = new Feed();
  const tell = (event: Told): void => {
    feed.tell(event);
    options.exchange.tell(name, event);
    if ("state" in event && event.state !== "running") options.metrics?.ended(name, event.kind, event.state);
  };
  const unhear = options.exchange.hear(name, (told) => {
    if (told.kind === "requests") {
      if (feed.windows > 0)
        store.requests.byIds(told.ids).then(
          (found) => {
            for (const request of found) feed.tell({ kind: "request", request });
          },
          (error: unknown) => logger.error({ err: error }, "what another process recorded could not be read"),
        );
    } else if (told.kind === "published") {
      if (ofStore) void files.bring();
    } else feed.tell(told);
  });
  /** Requests that are being recorded: an orderly end waits for them. */
  const keeping = new Set<Promise<void>>();
  store.requests.onForgetFailure = (error) =>
    logger.error({ err: error }, "recorded requests that are too old or too many could not be removed");
  const logCare = careForLog(database, options.onNotice ?? ((notice) => logger.warn(notice)));
  await logCare.look();
  const threads = new Threads({
    databaseUrl: options.databaseUrl,
    signingKey: options.formKeys ?? keys.all("forms"),
    application: options.application,
    styleSheets: [`${mount}${pages.styleSheet}`, ...styleSheets],
    mount,
    directory: pages.directory,
  });
  threads.hold(pages.loaded());
  const { ofStore = false } = options;
  /** Brings what another process has published here, where the store has the files. */
  const files = new PublishedFiles(
    async () => {
      await writePublished(store, pages.directory);
      await pages.reload();
    },
    (error) => logger.error({ err: error }, "what another process published could not be read: it is tried again"),
  );
  const desk = new Desk({
    store,
    pages,
    threads,
    directory: pages.directory,
    tell,
    ofStore,
    onPublished: (page) => options.exchange.tell(name, { kind: "published", page }),
  });
  const unlisten = pages.listen({
    onRequest: (recorded) => {
      options.metrics?.request(recorded);
      // What the script of a page asks for by itself is no open and no save.
      if (recorded.operation === "choices") return;
      const kept = store.requests.keep(recorded).then(
        () => {
          feed.tell({ kind: "request", request: shortOf(recorded) });
          if (options.exchange.hasOthers) options.exchange.tell(name, { kind: "requests", ids: [recorded.id] });
        },
        (error: unknown) => logger.error({ err: error }, "a request could not be recorded"),
      );
      keeping.add(kept);
      void kept.finally(() => keeping.delete(kept));
    },
    onLoad: (loaded) => {
      threads.hold(loaded);
      void desk.sync();
      feed.tell({ kind: "pages" });
    },
  });
  await desk.sync();
  const workers = { jobs: store.jobs, process: options.exchange.id };
  const censuses = new Censuses(workers, threads, tell);
  const rehearsals = new Rehearsals({
    workers,
    threads,
    store,
    desk,
    directory: pages.directory,
    tell,
  });
  const seals = options.sealFiles ?? [];
  const verifications = new Verifications({ workers, store, database, threads, tell, seals });
  let working: Promise<unknown> | undefined;
  const endStreams = (): void => {
    feed.close();
    working ??= Promise.all([verifications.close(), censuses.close(), rehearsals.close()]);
  };
  const close = async (): Promise<void> => {
    endStreams();
    unlisten();
    unhear();
    await Promise.all([working, files.close()]);
    logCare.close();
    store.requests.flush();
    await Promise.all([...keeping, threads.close()]);
    await store.requests.settled();
  };
  options.metrics?.database(name, pages, feed);
  const onPublish = options.onPublish ?? "warn";
  const { exchange } = options;
  const parts = { tell, exchange, pages, desk, threads, censuses, rehearsals, verifications, onPublish, feed, logCare };
  return { name, mount, store, database, ...parts, endStreams, close };
}
