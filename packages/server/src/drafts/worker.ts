import { type MessagePort, receiveMessageOnPort, workerData } from "node:worker_threads";
import type { Catalog } from "@loyal-quill/core";
import {
  bindNamedFiles,
  connect,
  databaseOver,
  type Loaded,
  loadOwnKinds,
  loadOwnSteps,
  signerOf,
} from "@loyal-quill/runtime";
import { importTypeScript } from "../typescript.js";
import { begin, type JobClock } from "./job-clock.js";
import { type Given, type Ground, type JobName, jobs } from "./jobs.js";
import { type LongJobName, longJobs, type Way } from "./long-jobs.js";

/** What a thread is begun with. */
export interface ThreadData {
  readonly databaseUrl: string;
  readonly signingKey: readonly (string | Uint8Array)[];
  readonly application: string;
  readonly styleSheets: readonly string[];
  readonly mount: string;
  /** Of the page files, beside which code of the developer's own may stand. */
  readonly directory: string;
}

/** The page files and catalogs that drafts are held against, counted up with each change. */
export interface SiteData {
  readonly number: number;
  readonly catalog: Catalog;
  readonly files: readonly { readonly name: string; readonly text: string; readonly earlier?: string }[];
}

/** A long job is told by its port that it is to end, and tells how far it is. */
type Asked = { readonly job: JobName | LongJobName; readonly given: unknown };

export type Task = Asked & {
  readonly site: number;
  /** Sent along where the thread has said that it lacks it. */
  readonly data?: SiteData;
  readonly port?: MessagePort;
  /** Of a job that may take so long only. */
  readonly clock?: JobClock;
};

/** How far a long job is, and what came since that was last told. */
export interface Progress {
  readonly done: number;
  readonly parts: readonly unknown[];
}

/** An error as plain data: what `isStoreAway` and HTTP go by. */
export interface PlainError {
  readonly name: string;
  readonly message: string;
  /** Node's, or the SQLSTATE of what PostgreSQL refused. */
  readonly code: string | null;
  readonly status: number | null;
}

export type Answer =
  | { readonly is: "answer"; readonly answer: unknown }
  | { readonly is: "without site" }
  | { readonly is: "error"; readonly error: PlainError };

const { databaseUrl, signingKey, directory, ...told } = workerData as ThreadData;
const database = databaseOver(connect(databaseUrl, 2));
const options = { ...told, databaseUrl, database, signer: signerOf(signingKey) };

/** Steps that can't be used are told of where the pages are served: here a trial goes without. */
const stepsNow = (): Promise<Ground["options"]["steps"]> =>
  loadOwnSteps(directory, importTypeScript).catch(() => new Map());

let steps: Ground["options"]["steps"] = new Map();

/**
 * The developer's own code, loaded before the first task. Nothing is awaited at the top of this module: it is required by the pool of threads, and a module
 * that can't be required at once ends the whole process in Node 20 where it is imported at the same moment.
 */
const ready = (async () => {
  await loadOwnKinds(directory, importTypeScript);
  steps = await stepsNow();
})();
// Told by the first task that waits for it.
ready.catch(() => {});

let site: { readonly number: number; readonly loaded: Loaded } | null = null;

function plain(error: unknown): PlainError {
  const { name, message, code, sqlState, status } = error as Readonly<Record<string, unknown>>;
  return {
    name: String(name),
    message: String(message),
    code: typeof code === "string" ? code : typeof sqlState === "string" ? sqlState : null,
    status: typeof status === "number" ? status : null,
  };
}

const isLong = (job: JobName | LongJobName): job is LongJobName => Object.hasOwn(longJobs, job);

async function long(job: LongJobName, ground: Ground, given: unknown, port: MessagePort): Promise<unknown> {
  let isCancelled = false;
  port.on("message", () => {
    isCancelled = true;
  });
  // Progress is told so often that it can be seen to move, and no more.
  let last = 0;
  let parts: unknown[] = [];
  const onProgress = (done: number, part?: unknown): void => {
    if (part !== undefined) parts.push(part);
    if (done > 0 && done < 1 && done - last < 0.005) return;
    last = done;
    const told: Progress = { done, parts };
    port.postMessage(told);
    parts = [];
  };
  // What a port was told is heard between two turns of the loop only.
  const heard = (): boolean => {
    const { message } = receiveMessageOnPort(port) ?? {};
    if (message !== undefined) isCancelled = true;
    return isCancelled;
  };
  try {
    const run = longJobs[job] as (ground: Ground, given: unknown, way: Way) => Promise<unknown>;
    return await run(ground, given, { isCancelled: heard, onProgress });
  } finally {
    port.close();
  }
}

/** Runs one job. */
export default async function work(task: Task): Promise<Answer> {
  try {
    await ready;
    if (task.data) {
      const { number, files, catalog } = task.data;
      const earlier = files.flatMap((each) =>
        each.earlier === undefined ? [] : [[each.name, [each.earlier]] as const],
      );
      site = { number, loaded: bindNamedFiles(files, catalog, site?.loaded, new Map(earlier)) };
      steps = await stepsNow();
    }
    if (site?.number !== task.site) return { is: "without site" };
    const ground: Ground = { loaded: site.loaded, options: { ...options, steps } };
    if (isLong(task.job))
      return { is: "answer", answer: task.port ? await long(task.job, ground, task.given, task.port) : null };
    const run = jobs[task.job] as (ground: Ground, given: Given<JobName>) => unknown;
    if (task.clock) begin(task.clock);
    return { is: "answer", answer: await run(ground, task.given as Given<JobName>) };
  } catch (error) {
    return { is: "error", error: plain(error) };
  }
}
