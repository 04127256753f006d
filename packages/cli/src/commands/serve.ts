import { randomBytes } from "node:crypto";
import { existsSync } from "node:fs";
import { createServer } from "node:http";
import { isIP } from "node:net";
import { type Actor, logStateStatement } from "@loyal-quill/core";
import { createApplication, createPagesApplication } from "@loyal-quill/server";
import type express from "express";
import { pino } from "pino";
import type { Say } from "../cluster/cluster.js";
import { CannotStart, closeServer, listen } from "../listen.js";
import { shownUrl, withDatabase } from "../open-database.js";
import { workbenchDirectory } from "./start.js";

export interface ServeOptions {
  readonly database: string;
  readonly pages: string;
  /** Further databases, each with its own page files. */
  readonly also?: readonly { readonly name: string; readonly databaseUrl: string; readonly pages: string }[];
  readonly store: string | undefined;
  readonly port: number | undefined;
  readonly host: string;
  readonly workbench: boolean;
  /** The name of whoever asks, where there is no sign-in. */
  readonly as: string | undefined;
  readonly roles: readonly string[];
  readonly name: string;
  /** Undefined: one for this run only. */
  readonly signingKey: string | undefined;
}

export interface Serving {
  readonly address: string;
  readonly stop: () => Promise<void>;
}

const isLoopback = (host: string): boolean =>
  host === "localhost" || host === "::1" || (isIP(host) === 4 && host.startsWith("127."));

/** Refuses what would be open to everybody, or can't work. */
function judge({ as, store, host, pages: first, also = [] }: ServeOptions): void {
  const pages = [first, ...also.map((each) => each.pages)].find((directory) => !existsSync(directory));
  if (as !== undefined && also.length > 0)
    throw new CannotStart("With --as there is one database only: leave --also out, or choose --store.");
  if (pages !== undefined)
    throw new CannotStart(`There is no directory ${pages}. Make page files with: quill draft --all --to ${pages}`);
  if (as !== undefined && !isLoopback(host))
    throw new CannotStart(
      `With --as every request is that person's, so only this machine may ask: leave out --host ${host}.`,
    );
  if (as !== undefined && store !== undefined)
    throw new CannotStart("With --as nobody signs in, so there is nothing to store: choose --as or --store.");
  if (as === undefined && store === undefined)
    throw new CannotStart(
      "Who may use the pages? Say --store URL, a database of its own for accounts and sessions; or --as NAME to be everybody yourself, on this machine only.",
    );
}

/** A page saves and logs in one statement, so there must be a log. */
async function needLog(url: string): Promise<void> {
  const [state] = await withDatabase(url, (database) => database.run(logStateStatement()));
  if (state?.there !== "true")
    throw new CannotStart(
      `${shownUrl(url)} has no change log yet, and nothing is saved without one. Make it as the database's owner with: quill log install --database URL --for ROLE`,
    );
  if (state.usable !== "true")
    throw new CannotStart(
      `This connection may not add to the change log of ${shownUrl(url)}. Grant it as the database's owner with: quill log install --database URL --for ROLE`,
    );
}

const alone = (name: string, roles: readonly string[]): Actor => ({ id: name, name, roles, attributes: {} });

interface Made {
  readonly app: express.Express;
  readonly pages: {
    readonly loaded: () => { readonly files: readonly { readonly name: string; readonly page: unknown }[] };
  };
  readonly close: () => Promise<void>;
}

function make(options: ServeOptions, signingKey: string): Promise<Made> {
  const logger = pino({ level: process.env.LOG_LEVEL ?? "warn" }, pino.destination(2));
  const { database: databaseUrl, pages, name, as, store } = options;
  if (as !== undefined)
    return createPagesApplication({ databaseUrl, pages, name, logger, signingKey, actor: alone(as, options.roles) });
  return createApplication({
    databaseUrl,
    logUrl: databaseUrl,
    also: (options.also ?? []).map((each) => ({ ...each, logUrl: each.databaseUrl })),
    storeUrl: store ?? "",
    pages,
    workbench: options.workbench ? workbenchDirectory() : null,
    signingKey,
    name,
    logger,
  });
}

/** `quill serve`: the pages of a directory over a database. */
export async function serve(options: ServeOptions, say: Say): Promise<Serving> {
  judge(options);
  for (const url of [options.database, ...(options.also ?? []).map((each) => each.databaseUrl)]) await needLog(url);
  if (options.signingKey === undefined)
    say(
      "No QUILL_SIGNING_KEY is set: a key is made for this run, so forms that are open now can't be sent after a restart.",
    );
  const application = await make(options, options.signingKey ?? randomBytes(32).toString("hex"));
  const server = createServer(application.app);
  try {
    const port = await listen(server, options.port, say, options.host);
    const { files } = application.pages.loaded();
    const unsound = files.filter((file) => file.page === null);
    say(`${files.length - unsound.length} of ${files.length} page files are served.`);
    if (unsound.length > 0)
      say(
        `Out of service until they are put right (quill check says where): ${unsound.map((file) => file.name).join(", ")}.`,
      );
    const host = isIP(options.host) === 6 ? `[${options.host}]` : options.host;
    const stop = async (): Promise<void> => {
      await closeServer(server);
      await application.close();
    };
    return { address: `http://${host}:${port}`, stop };
  } catch (error) {
    await application.close();
    throw error;
  }
}
