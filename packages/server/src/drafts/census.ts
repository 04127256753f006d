import { type Census, CensusCancelled, takeCensus } from "@loyal-quill/authoring";
import { type Database, DatabaseAway, DatabaseRefusal, factsOf, nobody, type Page } from "@loyal-quill/core";
import type { CensusAnswer, FeedEvent } from "../api/types.js";

interface Job {
  state: CensusAnswer["state"];
  done: number;
  readonly begun: Date;
  readonly text: string;
  census: Census | null;
  because: string | null;
  isCancelled: boolean;
}

/** Censuses that run at the same time: each holds a connection. */
const mostAtOnce = 2;
/** How many finished ones are remembered. */
const mostKept = 50;

/** Censuses in the background, the last one of each page. */
export class Censuses {
  private readonly jobs = new Map<string, Job>();
  private waiting: (() => void)[] = [];
  private running = 0;

  constructor(
    private readonly database: Database,
    private readonly tell: (event: FeedEvent) => void,
  ) {}

  of(name: string): CensusAnswer | null {
    const job = this.jobs.get(name);
    if (!job) return null;
    const { isCancelled: _, begun, ...rest } = job;
    return { ...rest, begun: begun.toISOString() };
  }

  /** Begins a census of a page; one that is running for it is cancelled. */
  begin(name: string, text: string, page: Page): CensusAnswer {
    this.cancel(name);
    const job: Job = {
      state: "running",
      done: 0,
      begun: new Date(),
      text,
      census: null,
      because: null,
      isCancelled: false,
    };
    this.jobs.delete(name);
    this.jobs.set(name, job);
    for (const old of [...this.jobs.keys()].slice(0, Math.max(0, this.jobs.size - mostKept))) this.jobs.delete(old);
    void this.run(name, job, page);
    return this.of(name) as CensusAnswer;
  }

  cancel(name: string): void {
    const job = this.jobs.get(name);
    if (job?.state === "running") job.isCancelled = true;
  }

  close(): void {
    for (const job of this.jobs.values()) job.isCancelled = true;
  }

  private async turn(): Promise<void> {
    if (this.running >= mostAtOnce) await new Promise<void>((resolve) => this.waiting.push(resolve));
    this.running += 1;
  }

  private async run(name: string, job: Job, page: Page): Promise<void> {
    await this.turn();
    const facts = factsOf(nobody, new Date());
    const say = (): void => this.tell({ kind: "census", page: name, state: job.state, done: job.done });
    try {
      job.census = await takeCensus(page, facts, this.database, {
        isCancelled: () => job.isCancelled,
        onProgress: (done) => {
          job.done = done;
          say();
        },
      });
      [job.state, job.done] = ["done", 1];
    } catch (error) {
      job.state = error instanceof CensusCancelled ? "cancelled" : "failed";
      if (job.state === "failed")
        job.because =
          error instanceof DatabaseRefusal || error instanceof DatabaseAway
            ? error.message
            : "Something went wrong here while counting.";
    } finally {
      this.running -= 1;
      this.waiting.shift()?.();
      say();
    }
  }
}
