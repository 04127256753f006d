import { fileURLToPath } from "node:url";
import { MessageChannel } from "node:worker_threads";
import type { Loaded } from "@loyal-quill/runtime";
import pLimit, { type LimitFunction } from "p-limit";
import type { Piscina } from "piscina";
import type { OnProgress, Run } from "./background.js";
import { DeskRefusal } from "./desk-refusal.js";
import { newClock, reading } from "./job-clock.js";
import type { Came, Draft, Given, JobName } from "./jobs.js";
import type { LongCame, LongGiven, LongJobName } from "./long-jobs.js";
import type { Answer, PlainError, Progress, SiteData, Task, ThreadData } from "./worker.js";

/**
 * Milliseconds of a processor that a job may take: one that only computes, and one that asks the database as well, whose statements have limits of
 * their own. A machine that is busy with other work takes nothing of them.
 */
const computing = 5_000;
const asking = 20_000;
const computes: ReadonlySet<JobName> = new Set<JobName>(["sheet", "tableName", "merge", "differences"]);

/** A job is waited for so long in all, in milliseconds, however little of a processor it gets; and its clock is looked at so often. */
const patience = 60_000;
const look = 250;

/** Threads that work on drafts, and those for what goes on for long. */
const mostThreads = 2;
/** Jobs that wait at most; beyond them one is turned away. */
const mostWaiting = 200;
/** Megabytes that a thread may hold. */
const memory = { maxOldGenerationSizeMb: 512, maxYoungGenerationSizeMb: 64 };

/** The compiled worker, also where this file runs as TypeScript, as in tests. */
const filename = fileURLToPath(
  new URL(
    import.meta.url.endsWith(".ts") ? "../../dist/drafts/worker-entry.cjs" : "./worker-entry.cjs",
    import.meta.url,
  ),
);

const tooMuch = (): DeskRefusal =>
  new DeskRefusal(
    "This draft takes too much",
    "What was asked of it was given up, so that others are served. Make the page smaller: fewer or shorter fields, patterns, lists and conditions.",
    422,
  );

/** What PostgreSQL refused: of names and rights that are others now than when they were read (classes 42 and 3F), with how long that lasts. */
const refusedBy = ({ message, code }: PlainError): DeskRefusal => {
  const isOfCatalog = /^(42|3F)/.test(code ?? "");
  return new DeskRefusal(
    "PostgreSQL refused",
    `PostgreSQL refused: ${message}.${isOfCatalog ? " A table that was changed just now is read anew within a minute." : ""}`,
  );
};
const tooBusy = (): DeskRefusal =>
  new DeskRefusal("Too busy", "The server has too much to do to work on this draft. Nothing is lost. Try again.", 429);

/** Threads, and whose turn it is. */
interface Pool {
  readonly threads: Piscina;
  readonly turn: LimitFunction;
}

/**
 * Work on drafts, in threads of its own: whatever a draft's text holds, those who are served go on being served. A job has limits of time
 * and memory; beyond them its thread is ended, and another one begun.
 */
export class Threads {
  private readonly pools = new Map<"drafts" | "slow", Promise<Pool>>();
  private site: SiteData | null = null;

  constructor(private readonly data: ThreadData) {}

  /** A pool, from its first use on: whoever only serves pages has none. */
  private pool(name: "drafts" | "slow"): Promise<Pool> {
    const known = this.pools.get(name) ?? this.newPool(name);
    this.pools.set(name, known);
    return known;
  }

  private async newPool(name: "drafts" | "slow"): Promise<Pool> {
    const { Piscina } = await import("piscina");
    const threads = new Piscina({
      filename,
      workerData: this.data,
      maxThreads: mostThreads,
      // One stands ready from then on: a Sheet is opened with several questions at once.
      minThreads: name === "drafts" ? 1 : 0,
      resourceLimits: memory,
      idleTimeout: 60_000,
    });
    return { threads, turn: pLimit(mostThreads) };
  }

  /** Tells what drafts are held against from now on. */
  hold({ catalog, files }: Loaded): void {
    const plain = files.map(({ name, text, earlier }) => ({
      name,
      text,
      ...(earlier === undefined ? {} : { earlier }),
    }));
    this.site = { number: (this.site?.number ?? 0) + 1, catalog, files: plain };
  }

  /**
   * Runs a job.
   *
   * @throws DeskRefusal where it takes too long or too much memory, or where too many wait
   */
  async run<Name extends JobName>(job: Name, given: Given<Name>): Promise<Came<Name>> {
    const limit = computes.has(job) ? computing : asking;
    return (await this.ask("drafts", { job, given } as Task, limit)) as Came<Name>;
  }

  /** Begins a job that takes as long as it takes. */
  long<Name extends LongJobName>(job: Name, given: LongGiven<Name>, onProgress: OnProgress): Run<LongCame<Name>> {
    const { port1, port2 } = new MessageChannel();
    port1.on("message", ({ done, parts }: Progress) => onProgress(done, parts));
    port1.unref();
    const came = this.ask("slow", { job, given } as Task, null, port2).finally(() => port1.close());
    return { came: came as Run<LongCame<Name>>["came"], cancel: () => port1.postMessage("cancel") };
  }

  /** Begins a census. */
  census(draft: Draft, onProgress: OnProgress): Run<LongCame<"census">> {
    return this.long("census", draft, onProgress);
  }

  async close(): Promise<void> {
    await Promise.all([...this.pools.values()].map(async (pool) => (await pool).threads.destroy()));
  }

  private async ask(name: "drafts" | "slow", asked: Task, limit: number | null, port?: Task["port"]): Promise<unknown> {
    const { site } = this;
    if (!site) throw new Error("there is nothing yet to hold a draft against");
    const pool = await this.pool(name);
    // A port can be handed over once only: where there is one, the site goes along.
    const first = await this.send(pool, { ...asked, site: site.number, ...(port ? { port, data: site } : {}) }, limit);
    const answer =
      first.is === "without site" ? await this.send(pool, { ...asked, site: site.number, data: site }, limit) : first;
    if (answer.is === "answer") return answer.answer;
    if (answer.is === "without site") throw tooMuch();
    const { error } = answer;
    throw error.name === "DatabaseRefusal" ? refusedBy(error) : Object.assign(new Error(error.message), error);
  }

  private async send(pool: Pool, task: Task, limit: number | null): Promise<Answer> {
    if (pool.turn.pendingCount >= mostWaiting)
      throw new DeskRefusal("Too busy", "Too many drafts are worked on at this moment. Try again.", 429);
    // The time of a job begins when a thread is free for it.
    return pool.turn(async () => {
      const transferList = task.port ? { transferList: [task.port] } : {};
      const held = limit === null ? null : within(limit);
      try {
        return (await pool.threads.run(
          held ? { ...task, clock: held.clock } : task,
          held ? { ...transferList, signal: held.signal } : transferList,
        )) as Answer;
      } catch (error) {
        if (!isEnded(error)) throw error;
        throw held?.isOutOfPatience() ? tooBusy() : tooMuch();
      } finally {
        held?.end();
      }
    });
  }
}

/** A job's clock, and a signal as soon as it has taken so many milliseconds of a processor, or nobody waits any longer. */
function within(limit: number) {
  const clock = newClock();
  const taken = reading(clock);
  const over = new AbortController();
  const begun = performance.now();
  let isImpatient = false;
  const timer = setInterval(() => {
    const isOver = (taken() ?? 0) > limit;
    isImpatient = !isOver && performance.now() - begun > patience;
    if (isOver || isImpatient) over.abort();
  }, look);
  return { clock, signal: over.signal, isOutOfPatience: () => isImpatient, end: () => clearInterval(timer) };
}

/** Whether a thread was ended because of what it ran. */
function isEnded(error: unknown): boolean {
  const { name, code } = error as { readonly name?: unknown; readonly code?: unknown };
  return name === "AbortError" || code === "ERR_WORKER_OUT_OF_MEMORY";
}
