import type { Actor, Database, Frame, RecordedRequest } from "@loyal-quill/core";
import { careForLog, connect, createPages, databaseOver, type LogCare, type Pages } from "@loyal-quill/runtime";
import type { Request } from "express";
import type { Logger } from "pino";
import { Feed } from "./api/feed.js";
import { Censuses } from "./drafts/census.js";
import { Desk } from "./drafts/desk.js";
import { type OnPublish, Rehearsals } from "./drafts/rehearsals.js";
import { Threads } from "./drafts/threads.js";
import { fontSheets } from "./fonts.js";
import type { Keys } from "./keys.js";
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

export interface EditedDatabaseOptions {
  /** Empty for the first one; another one's pages are served below `/NAME`. */
  readonly name: string;
  /** A user who may read its tables, update them, and add to the log. */
  readonly databaseUrl: string;
  /** The directory of its page files. */
  readonly pages: string;
  /** What is kept of it. */
  readonly store: Store;
  readonly keys: Keys;
  readonly sessions: Sessions;
  /** The application's name. */
  readonly application: string;
  readonly frame: FrameOf;
  readonly logger: Logger;
  /** Connections to it at most; 10 where it is left out. */
  readonly poolSize?: number;
  readonly formAge?: number;
  /** What is done with a rehearsal before a page is published; `warn` where it is left out. */
  readonly onPublish?: OnPublish;
  /** Told what somebody should do about its change log. */
  readonly onNotice?: (notice: string) => void;
}

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
  /** What is done with a rehearsal before a page is published. */
  readonly onPublish: OnPublish;
  readonly feed: Feed;
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
  const signingKey = keys.all("forms");
  const pool = connect(options.databaseUrl, options.poolSize);
  const database = databaseOver(pool);
  const feed = new Feed();
  const mount = name === "" ? "" : `/${name}`;
  let desk: Desk | undefined;
  let threads: Threads | undefined;
  /** Requests that are being recorded: an orderly end waits for them. */
  const keeping = new Set<Promise<void>>();
  const pages = await createPages({
    database,
    pages: options.pages,
    signingKey,
    signIn: "/sign-in",
    signInCarries: true,
    ...(options.formAge === undefined ? {} : { formAge: options.formAge }),
    actor: async (request) => {
      const token = bearerOf(request);
      if (token !== null) return actorOfToken(token, store);
      const found = await sessions.account(request);
      return found && actorOf(found);
    },
    session: (request) => {
      const token = bearerOf(request);
      return token === null ? sessions.formsOf(request) : `token ${digestOf(token)}`;
    },
    frame: options.frame,
    onRequest: (recorded) => {
      // What the script of a page asks for by itself is no open and no save.
      if (recorded.operation === "choices" || recorded.operation === "judge") return;
      const kept = store.requests.keep(recorded).then(
        () => feed.tell({ kind: "request", request: shortOf(recorded) }),
        (error: unknown) => logger.error({ err: error }, "a request could not be recorded"),
      );
      keeping.add(kept);
      void kept.finally(() => keeping.delete(kept));
    },
    onLoad: () => {
      threads?.hold(pages.loaded());
      void desk?.sync();
      feed.tell({ kind: "pages" });
    },
    importModule: importTypeScript,
    onError: (error) => logger.error({ err: error }, "the page files, or code beside them, failed"),
  }).catch(async (error: unknown) => {
    await pool.end();
    throw error;
  });
  const logCare = careForLog(database, options.onNotice ?? ((notice) => logger.warn(notice)));
  await logCare.look();
  threads = new Threads({
    databaseUrl: options.databaseUrl,
    signingKey,
    application: options.application,
    styleSheets: [`${mount}${pages.styleSheet}`, ...fontSheets],
    mount,
    directory: options.pages,
  });
  threads.hold(pages.loaded());
  desk = new Desk({ store, pages, threads, directory: options.pages, tell: (event) => feed.tell(event) });
  await desk.sync();
  const censuses = new Censuses(threads, (event) => feed.tell(event));
  const rehearsals = new Rehearsals({
    threads,
    store,
    desk,
    directory: options.pages,
    tell: (event) => feed.tell(event),
  });
  const held = threads;
  const endStreams = (): void => {
    feed.close();
    censuses.close();
    rehearsals.close();
  };
  const close = async (): Promise<void> => {
    endStreams();
    logCare.close();
    await pages.close();
    store.requests.flush();
    await Promise.all([...keeping, held.close()]);
    await pool.end();
  };
  const onPublish = options.onPublish ?? "warn";
  const parts = { pages, desk, threads: held, censuses, rehearsals, onPublish, feed, logCare };
  return { name, mount, store, database, ...parts, endStreams, close };
}
