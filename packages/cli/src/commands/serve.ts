import cluster from "node:cluster";
import { randomBytes } from "node:crypto";
import { existsSync } from "node:fs";
import { createServer } from "node:http";
import { isIP } from "node:net";
import { type Attribute, leastLogVersion, logVersion, readLogState } from "@loyal-quill/core";
import type { Loaded, Pages, SealOptions } from "@loyal-quill/runtime";
import type { OnPublish, SignInSettings } from "@loyal-quill/server";
import {
  createPagesApplication,
  type Deployment,
  handIn,
  leastKeyLength,
  loopback,
  makeLogger,
  ofTheStore,
} from "@loyal-quill/server/pages";
import type express from "express";
import { pino } from "pino";
import { quill } from "../called.js";
import type { Say } from "../cluster/cluster.js";
import { shownUrl } from "../from-environment.js";
import { CannotStart, closePatience, drain, listen, usualPatience, withPatience } from "../listen.js";
import { serveMetrics } from "../metrics-server.js";
import { withDatabase } from "../open-database.js";
import { stepLines } from "../report/steps.js";
import { workbenchDirectory } from "../workbench-directory.js";

export interface ServeOptions {
  readonly database: string;
  readonly pages: string;
  /** Further databases, each with its own page files. */
  readonly also?: readonly {
    readonly name: string;
    readonly databaseUrl: string;
    readonly pages: string;
    readonly replicas?: readonly string[];
  }[];
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
  /** Connections to each database at most, and how long one is waited for, in seconds. */
  readonly poolSize?: number | undefined;
  readonly poolWait?: number | undefined;
  /** Standbys that are read from, and how far one may be behind, in seconds. */
  readonly replicas?: readonly string[];
  readonly replicaLag?: number | undefined;
  /** The store without a pooler before it. */
  readonly storeDirect?: string | undefined;
  /** How long everything is still served after `/readyz` says no, in seconds. */
  readonly drainDelay?: number | undefined;
  /** Where measurements are served, on loopback. */
  readonly metricsPort?: number | undefined;
  /** The greatest age of a form that is taken, in hours. */
  readonly formAge?: number | undefined;
  /** Where seals of the change log are written as well; `false` where somebody else makes them. */
  readonly seals?: SealOptions | false;
  /** What is done with a rehearsal before a page is published. */
  readonly rehearsal?: OnPublish | undefined;
  /** How long an orderly stop waits for answers, in seconds. */
  readonly stopWithin?: number | undefined;
  readonly name: string;
  /** The newest first; undefined: one for this run only. */
  readonly signingKeys: readonly string[] | undefined;
  /** The proxies before it, which end HTTPS; 0 for none. */
  readonly behindProxy?: number | undefined;
  /** The address of the application as browsers see it, without a path: what it is known as. */
  readonly origin?: string | undefined;
  /** Further names under which it may be asked. */
  readonly hostNames?: readonly string[];
  /** Whether people may come over plain HTTP from other machines. */
  readonly plainHttp?: boolean;
  /** How people sign in. */
  readonly signIn?: SignInSettings;
}

export interface Serving {
  readonly address: string;
  readonly stop: () => Promise<void>;
}

const isLoopback = (host: string): boolean =>
  host === "localhost" || host === "::1" || (isIP(host) === 4 && host.startsWith("127."));

function isOrigin(text: string): boolean {
  try {
    const { protocol, pathname, search, hash, username } = new URL(text);
    return /^https?:$/.test(protocol) && `${pathname}${search}${hash}${username}` === "/";
  } catch {
    return false;
  }
}

/** How the application stands towards browsers, by what was told. */
function deploymentOf({ behindProxy = 0, origin, hostNames = [], host, plainHttp }: ServeOptions): Deployment {
  const named = [...(origin === undefined ? [] : [new URL(origin).hostname]), ...hostNames];
  const own = isLoopback(host) ? (loopback.hosts ?? []) : [];
  // Where nobody said under which names it is known, and other machines ask, any will do.
  const hosts = named.length === 0 && !isLoopback(host) && plainHttp ? null : [...own, ...named];
  return { secure: behindProxy > 0 || origin?.startsWith("https:") === true, hops: behindProxy, hosts };
}

/** Refuses what would be open to everybody, or can't work. */
function judge(options: ServeOptions): void {
  const { as, store, host, pages: first, also = [], steps = "none" } = options;
  const { behindProxy = 0, plainHttp = false, origin, signIn = {}, signingKeys } = options;
  const pages = [first, ...also.map((each) => each.pages)].find(
    (directory) => directory !== ofTheStore && !existsSync(directory),
  );
  if (as !== undefined && first === ofTheStore)
    throw new CannotStart("With --as there is no store that page files could be in: say --pages DIRECTORY.");
  if (as !== undefined && also.length > 0)
    throw new CannotStart("With --as there is one database only: leave --also out, or choose --store.");
  if (as === undefined && steps !== "none")
    throw new CannotStart(
      "With accounts the steps of each request are in the workbench: --steps and --trace go with --as.",
    );
  if (pages !== undefined)
    throw new CannotStart(`There is no directory ${pages}. Make page files with: ${quill} draft --all --to ${pages}`);
  if (as !== undefined && !isLoopback(host))
    throw new CannotStart(
      `With --as every request is that person's, so only this machine may ask: leave out --host ${host}.`,
    );
  if (as !== undefined && store !== undefined)
    throw new CannotStart("With --as nobody signs in, so there is nothing to store: choose --as or --store.");
  if (!isLoopback(host) && !behindProxy && !plainHttp)
    throw new CannotStart(
      `On ${host} passwords and sessions would go over the network as they are. Put a proxy with HTTPS before it and say --behind-proxy, or say --plain-http if that is meant.`,
    );
  if (behindProxy && origin === undefined)
    throw new CannotStart(
      "Behind a proxy it must know its own address: say --origin, like --origin https://records.example.",
    );
  if (origin !== undefined && !isOrigin(origin))
    throw new CannotStart(
      `"${origin}" is no address of an application: say it like https://records.example, without a path.`,
    );
  if (signIn.passwords === false && !signIn.elsewhere)
    throw new CannotStart(
      "Without passwords nobody could sign in: set QUILL_OIDC_ISSUER and what goes with it, or leave --no-passwords out.",
    );
  const short = signingKeys?.findIndex((key) => Buffer.byteLength(key) < leastKeyLength) ?? -1;
  if (short >= 0)
    throw new CannotStart(
      `Signing key ${short + 1} of QUILL_SIGNING_KEYS is shorter than ${leastKeyLength} bytes. Make one with: openssl rand -hex 32`,
    );
  if (as === undefined && store === undefined)
    throw new CannotStart(
      "Who may use the pages? Say --store URL, a database of its own for accounts and sessions; or --as NAME to be everybody yourself, on this machine only.",
    );
}

/** A page saves and logs in one statement, so there must be a log. */
async function needLog(url: string, isAlone: boolean, say: Say): Promise<void> {
  const state = await withDatabase(url, readLogState);
  if (!state.there)
    throw new CannotStart(
      `${shownUrl(url)} has no change log yet, and nothing is saved without one. Make it as the database's owner with: ${quill} log install --database URL --for ROLE`,
    );
  if (state.since > logVersion)
    throw new CannotStart(
      `The change log of ${shownUrl(url)} is of version ${state.version}, and this program writes version ${logVersion}: update Loyal Quill.`,
    );
  if (state.version < leastLogVersion)
    throw new CannotStart(
      `The change log of ${shownUrl(url)} is of version ${state.version}, and this program writes version ${logVersion}. Upgrade it as the database's owner with: ${quill} log install --database URL --for ROLE`,
    );
  if (!state.usable)
    throw new CannotStart(
      `This connection may not add to the change log of ${shownUrl(url)}. Grant it as the database's owner with: ${quill} log install --database URL --for ROLE`,
    );
  const tooMuch = state.superuser
    ? "is a superuser, whom no right holds back"
    : state.owned
      ? "owns the change log, and could change or remove what stands in it"
      : state.alterable
        ? "may change or remove entries of the change log"
        : null;
  if (tooMuch === null) return;
  const advice = `The user of ${shownUrl(url)} ${tooMuch}. Serve pages as a role of their own, with no more than the rights on the tables that they edit, made known to the log with: ${quill} log install --database URL --for ROLE`;
  // Alone on one's own machine it is a matter of taste; for others the log would be worth nothing.
  if (!isAlone) throw new CannotStart(advice);
  say(advice);
}

interface Made {
  readonly app: express.Express;
  readonly pages: Pages;
  readonly metrics: Parameters<typeof handIn>[0];
  readonly leave: () => void;
  readonly endStreams: () => void;
  readonly close: () => Promise<void>;
}

/** What the page files are warned of, each finding with its place, as `quill check` tells it. Errors are told where they are found. */
function* warningLines({ files }: Loaded, isAlone: boolean): Generator<string> {
  // Where there is one person only, everybody is nobody else.
  for (const { name, findings } of files)
    for (const { code, severity, line, column, message } of findings)
      if (severity === "warning" && !(isAlone && code === "open-to-everybody"))
        yield `${name}.page.yaml:${line}:${column}  ${severity}  ${message}`;
}

async function make(options: ServeOptions, signingKeys: readonly string[], say: Say): Promise<Made> {
  const logger = makeLogger(process.env.LOG_LEVEL ?? "warn", pino.destination(2));
  const { database: databaseUrl, pages, name, as, store, roles, attributes = {}, steps = "none" } = options;
  const limits = {
    onNotice: say,
    ...(options.poolSize === undefined ? {} : { poolSize: options.poolSize }),
    ...(options.poolWait === undefined ? {} : { poolWait: options.poolWait * 1000 }),
    ...(options.replicas === undefined ? {} : { replicas: options.replicas }),
    ...(options.replicaLag === undefined ? {} : { replicaLag: options.replicaLag * 1000 }),
    ...(options.formAge === undefined ? {} : { formAge: options.formAge * 3_600_000 }),
    ...(options.seals === undefined ? {} : { seals: options.seals }),
  };
  if (as !== undefined)
    return createPagesApplication({
      ...limits,
      databaseUrl,
      pages,
      name,
      logger,
      signingKeys,
      actor: { id: as, name: as, roles, attributes },
      onLoad: (loaded) => {
        say(`The page files were read again: ${loaded.pages.length} of ${loaded.files.length} are served.`);
        for (const line of warningLines(loaded, true)) say(line);
      },
      ...(steps === "none" ? {} : { onRequest: (recorded) => stepLines(recorded, steps === "values").forEach(say) }),
    });
  // Whoever serves without sign-in needs neither the store nor what it is kept with.
  const { createApplication } = await import("@loyal-quill/server");
  const { refusedStore } = await import("../open-store.js");
  return createApplication({
    ...limits,
    ...(options.rehearsal === undefined ? {} : { onPublish: options.rehearsal }),
    databaseUrl,
    logUrl: databaseUrl,
    also: (options.also ?? []).map((each) => ({ ...each, logUrl: each.databaseUrl })),
    storeUrl: store ?? "",
    ...(options.storeDirect === undefined ? {} : { storeDirect: options.storeDirect }),
    pages,
    workbench: options.workbench ? workbenchDirectory() : null,
    signingKeys,
    name,
    logger,
    deployment: deploymentOf(options),
    ...(options.signIn ? { signIn: options.signIn } : {}),
  }).catch((error: unknown) => {
    throw refusedStore(store ?? "", error);
  });
}

/** What is told where people sign in and no key outlives the run. */
export const noSigningKeys =
  "No QUILL_SIGNING_KEYS are set: a key is made for this run, so sessions and open forms end with it, and second factors set up now can't be read afterwards.";

/** `quill serve`: the pages of a directory over a database. */
export async function serve(options: ServeOptions, say: Say): Promise<Serving> {
  judge(options);
  if (options.store !== undefined) await (await import("../open-store.js")).needStoreApart(options.store);
  for (const url of [options.database, ...(options.also ?? []).map((each) => each.databaseUrl)])
    await needLog(url, options.as !== undefined, say);
  if (options.signingKeys === undefined)
    say(
      options.as === undefined
        ? noSigningKeys
        : "No QUILL_SIGNING_KEYS are set: a key is made for this run, so forms that are open now can't be sent after a restart.",
    );
  const application = await make(options, options.signingKeys ?? [randomBytes(32).toString("hex")], say);
  const server = createServer(application.app);
  const { metrics: registry } = application;
  const metrics =
    options.metricsPort === undefined || cluster.isWorker
      ? null
      : await serveMetrics(options.metricsPort, { type: registry.contentType, text: () => registry.metrics() });
  if (cluster.isWorker) handIn(registry);
  try {
    const port = await listen(server, options.port, say, options.host);
    const loaded = application.pages.loaded();
    const unsound = loaded.files.filter((file) => file.page === null);
    say(`${loaded.files.length - unsound.length} of ${loaded.files.length} page files are served.`);
    for (const line of warningLines(loaded, options.as !== undefined)) say(line);
    if (unsound.length > 0)
      say(`Out of service until they are put right: ${unsound.map((file) => file.name).join(", ")}.`);
    const host = isIP(options.host) === 6 ? `[${options.host}]` : options.host;
    const stop = async (): Promise<void> => {
      application.leave();
      await new Promise((resolve) => setTimeout(resolve, (options.drainDelay ?? 0) * 1000));
      application.endStreams();
      const patience = options.stopWithin === undefined ? usualPatience : options.stopWithin * 1000;
      if (!(await drain(server, patience))) say("Not everything was answered in time.");
      await withPatience(Promise.all([application.close(), metrics?.stop()]), closePatience);
    };
    return { address: `http://${host}:${port}`, stop };
  } catch (error) {
    await withPatience(application.close(), closePatience);
    throw error;
  }
}
