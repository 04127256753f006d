import { randomBytes } from "node:crypto";
import { existsSync } from "node:fs";
import { createServer } from "node:http";
import { isIP } from "node:net";
import { type Attribute, readLogState } from "@loyal-quill/core";
import type { Loaded, Pages } from "@loyal-quill/runtime";
import { createApplication, createPagesApplication } from "@loyal-quill/server";
import type express from "express";
import { pino } from "pino";
import type { Say } from "../cluster/cluster.js";
import { CannotStart, closePatience, drain, listen, usualPatience, withPatience } from "../listen.js";
import { shownUrl, withDatabase } from "../open-database.js";
import { stepLines } from "../report/steps.js";
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
  /** What conditions know of that person besides. */
  readonly attributes?: Readonly<Record<string, Attribute>>;
  /** Whether the steps of each request are told, and whether with their values; with `as` only. */
  readonly steps?: "none" | "steps" | "values";
  /** Connections to each database at most. */
  readonly poolSize?: number | undefined;
  /** The greatest age of a form that is taken, in hours. */
  readonly formAge?: number | undefined;
  /** How long an orderly stop waits for answers, in seconds. */
  readonly stopWithin?: number | undefined;
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
function judge({ as, store, host, pages: first, also = [], steps = "none" }: ServeOptions): void {
  const pages = [first, ...also.map((each) => each.pages)].find((directory) => !existsSync(directory));
  if (as !== undefined && also.length > 0)
    throw new CannotStart("With --as there is one database only: leave --also out, or choose --store.");
  if (as === undefined && steps !== "none")
    throw new CannotStart(
      "With accounts the steps of each request are in the workbench: --steps and --trace go with --as.",
    );
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
  const state = await withDatabase(url, readLogState);
  if (!state.there)
    throw new CannotStart(
      `${shownUrl(url)} has no change log yet, and nothing is saved without one. Make it as the database's owner with: quill log install --database URL --for ROLE`,
    );
  if (!state.usable)
    throw new CannotStart(
      `This connection may not add to the change log of ${shownUrl(url)}. Grant it as the database's owner with: quill log install --database URL --for ROLE`,
    );
}

interface Made {
  readonly app: express.Express;
  readonly pages: Pages;
  readonly endStreams: () => void;
  readonly close: () => Promise<void>;
}

/** What is wrong with the page files, each finding with its place, as `quill check` tells it. */
function* findingLines({ files }: Loaded): Generator<string> {
  for (const { name, findings } of files)
    for (const { severity, line, column, message } of findings)
      yield `${name}.page.yaml:${line}:${column}  ${severity}  ${message}`;
}

function make(options: ServeOptions, signingKey: string, say: Say): Promise<Made> {
  const logger = pino({ level: process.env.LOG_LEVEL ?? "warn" }, pino.destination(2));
  const { database: databaseUrl, pages, name, as, store, roles, attributes = {}, steps = "none" } = options;
  const limits = {
    onNotice: say,
    ...(options.poolSize === undefined ? {} : { poolSize: options.poolSize }),
    ...(options.formAge === undefined ? {} : { formAge: options.formAge * 3_600_000 }),
  };
  if (as !== undefined)
    return createPagesApplication({
      ...limits,
      databaseUrl,
      pages,
      name,
      logger,
      signingKey,
      actor: { id: as, name: as, roles, attributes },
      onLoad: (loaded) => {
        say(`The page files were read again: ${loaded.pages.length} of ${loaded.files.length} are served.`);
        for (const line of findingLines(loaded)) say(line);
      },
      ...(steps === "none" ? {} : { onRequest: (recorded) => stepLines(recorded, steps === "values").forEach(say) }),
    });
  return createApplication({
    ...limits,
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
  const application = await make(options, options.signingKey ?? randomBytes(32).toString("hex"), say);
  const server = createServer(application.app);
  try {
    const port = await listen(server, options.port, say, options.host);
    const loaded = application.pages.loaded();
    const unsound = loaded.files.filter((file) => file.page === null);
    say(`${loaded.files.length - unsound.length} of ${loaded.files.length} page files are served.`);
    for (const line of findingLines(loaded)) say(line);
    if (unsound.length > 0)
      say(`Out of service until they are put right: ${unsound.map((file) => file.name).join(", ")}.`);
    const host = isIP(options.host) === 6 ? `[${options.host}]` : options.host;
    const stop = async (): Promise<void> => {
      application.endStreams();
      const patience = options.stopWithin === undefined ? usualPatience : options.stopWithin * 1000;
      if (!(await drain(server, patience))) say("Not everything was answered in time.");
      await withPatience(application.close(), closePatience);
    };
    return { address: `http://${host}:${port}`, stop };
  } catch (error) {
    await withPatience(application.close(), closePatience);
    throw error;
  }
}
