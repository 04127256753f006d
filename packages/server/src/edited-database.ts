import type { Actor, Database, Frame } from "@loyal-quill/core";
import { careForLog, connect, createPages, databaseOver, type LogCare, type Pages } from "@loyal-quill/runtime";
import type { Request } from "express";
import type { Logger } from "pino";
import { Feed } from "./api/feed.js";
import { Censuses } from "./drafts/census.js";
import { Desk } from "./drafts/desk.js";
import { accountOf, actorOf, csrfToken } from "./sign-in/session.js";
import { actorOfToken, bearerOf, digestOf } from "./sign-in/tokens.js";
import type { Store } from "./store/store.js";

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
  readonly signingKey: string;
  readonly frame: FrameOf;
  readonly logger: Logger;
  /** Connections to it at most; 10 where it is left out. */
  readonly poolSize?: number;
  readonly formAge?: number;
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
  readonly censuses: Censuses;
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
  const { name, store, signingKey, logger } = options;
  const pool = connect(options.databaseUrl, options.poolSize);
  const database = databaseOver(pool);
  const feed = new Feed();
  let desk: Desk | undefined;
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
      const found = await accountOf(request, store);
      return found && actorOf(found);
    },
    session: (request) => {
      const token = bearerOf(request);
      return token === null ? csrfToken(request, signingKey) : `token ${digestOf(token)}`;
    },
    frame: options.frame,
    onRequest: (recorded) => {
      // What the script of a page asks for by itself is no open and no save.
      if (recorded.operation === "choices" || recorded.operation === "judge") return;
      const kept = store.keepRequest(recorded).then(
        () => feed.tell({ kind: "request", request: recorded }),
        (error: unknown) => logger.error({ err: error }, "a request could not be recorded"),
      );
      keeping.add(kept);
      void kept.finally(() => keeping.delete(kept));
    },
    onLoad: () => {
      void desk?.sync();
      feed.tell({ kind: "pages" });
    },
    onError: (error) => logger.error({ err: error }, "the page files could not be read anew"),
  }).catch(async (error: unknown) => {
    await pool.end();
    throw error;
  });
  const logCare = careForLog(database, options.onNotice ?? ((notice) => logger.warn(notice)));
  await logCare.look();
  desk = new Desk({ store, pages, directory: options.pages, tell: (event) => feed.tell(event) });
  await desk.sync();
  const censuses = new Censuses(database, (event) => feed.tell(event));
  const endStreams = (): void => {
    feed.close();
    censuses.close();
  };
  const close = async (): Promise<void> => {
    endStreams();
    logCare.close();
    pages.close();
    await Promise.all(keeping);
    await pool.end();
  };
  const mount = name === "" ? "" : `/${name}`;
  return { name, mount, store, database, pages, desk, censuses, feed, logCare, endStreams, close };
}
