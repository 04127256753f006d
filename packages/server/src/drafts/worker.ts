import { type MessagePort, workerData } from "node:worker_threads";
import { CensusCancelled, takeCensus } from "@loyal-quill/authoring";
import { type Catalog, factsOf, nobody } from "@loyal-quill/core";
import { bindNamedFiles, connect, databaseOver, type Loaded, signerOf } from "@loyal-quill/runtime";
import { boundPage, type Draft, type Given, type Ground, type JobName, jobs } from "./jobs.js";

/** What a thread is begun with. */
export interface ThreadData {
  readonly databaseUrl: string;
  readonly signingKey: readonly Uint8Array[];
  readonly application: string;
  readonly styleSheets: readonly string[];
  readonly mount: string;
}

/** The page files and catalogs that drafts are held against, counted up with each change. */
export interface SiteData {
  readonly number: number;
  readonly catalog: Catalog;
  readonly files: readonly { readonly name: string; readonly text: string }[];
}

/** A census is told how to go on by its port, and tells how far it is. */
type Asked = { readonly job: JobName; readonly given: unknown } | { readonly job: "census"; readonly given: Draft };

export type Task = Asked & {
  readonly site: number;
  /** Sent along where the thread has said that it lacks it. */
  readonly data?: SiteData;
  readonly port?: MessagePort;
};

/** An error as plain data: what `isStoreAway` and HTTP go by. */
export interface PlainError {
  readonly name: string;
  readonly message: string;
  readonly code: string | null;
  readonly status: number | null;
}

export type Answer =
  | { readonly is: "answer"; readonly answer: unknown }
  | { readonly is: "without site" }
  | { readonly is: "error"; readonly error: PlainError };

const { databaseUrl, signingKey, ...told } = workerData as ThreadData;
const database = databaseOver(connect(databaseUrl, 2));
const options = { ...told, database, signer: signerOf(signingKey) };

let site: { readonly number: number; readonly loaded: Loaded } | null = null;

function plain(error: unknown): PlainError {
  const { name, message, code, status } = error as Readonly<Record<string, unknown>>;
  return {
    name: String(name),
    message: String(message),
    code: typeof code === "string" ? code : null,
    status: typeof status === "number" ? status : null,
  };
}

async function census(ground: Ground, draft: Draft, port: MessagePort): Promise<unknown> {
  const page = boundPage(ground, draft);
  if (!page) return null;
  let isCancelled = false;
  port.on("message", () => {
    isCancelled = true;
  });
  try {
    return await takeCensus(page, factsOf(nobody, new Date()), database, {
      isCancelled: () => isCancelled,
      onProgress: (done) => port.postMessage(done),
    });
  } catch (error) {
    if (error instanceof CensusCancelled) return "cancelled";
    throw error;
  } finally {
    port.close();
  }
}

/** Runs one job. */
export default async function work(task: Task): Promise<Answer> {
  try {
    if (task.data) site = { number: task.data.number, loaded: bindNamedFiles(task.data.files, task.data.catalog) };
    if (site?.number !== task.site) return { is: "without site" };
    const ground: Ground = { loaded: site.loaded, options };
    if (task.job === "census")
      return { is: "answer", answer: task.port ? await census(ground, task.given as Draft, task.port) : null };
    const run = jobs[task.job] as (ground: Ground, given: Given<JobName>) => unknown;
    return { is: "answer", answer: await run(ground, task.given as Given<JobName>) };
  } catch (error) {
    return { is: "error", error: plain(error) };
  }
}
