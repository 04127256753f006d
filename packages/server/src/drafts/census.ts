import type { Census } from "@loyal-quill/authoring";
import type { CensusAnswer, FeedEvent } from "../api/types.js";
import { DeskRefusal } from "./desk-refusal.js";
import type { Draft } from "./jobs.js";
import type { Threads } from "./threads.js";

interface Job {
  state: CensusAnswer["state"];
  done: number;
  readonly begun: Date;
  readonly text: string;
  census: Census | null;
  because: string | null;
  cancel: () => void;
}

/** How many finished ones are remembered. */
const mostKept = 50;

/** Censuses in the background, the last one of each page. */
export class Censuses {
  private readonly jobs = new Map<string, Job>();

  constructor(
    private readonly threads: Pick<Threads, "census">,
    private readonly tell: (event: FeedEvent) => void,
  ) {}

  of(name: string): CensusAnswer | null {
    const job = this.jobs.get(name);
    if (!job) return null;
    const { cancel: _, begun, ...rest } = job;
    return { ...rest, begun: begun.toISOString() };
  }

  /** Begins a census of a draft that has no errors; one that is running for it is cancelled. */
  begin(draft: Draft): CensusAnswer {
    const { name, text } = draft;
    this.cancel(name);
    const job: Job = {
      state: "running",
      done: 0,
      begun: new Date(),
      text,
      census: null,
      because: null,
      cancel: () => {},
    };
    this.jobs.delete(name);
    this.jobs.set(name, job);
    for (const old of [...this.jobs.keys()].slice(0, Math.max(0, this.jobs.size - mostKept))) this.jobs.delete(old);
    void this.run(draft, job);
    return this.of(name) as CensusAnswer;
  }

  cancel(name: string): void {
    const job = this.jobs.get(name);
    if (job?.state === "running") job.cancel();
  }

  close(): void {
    for (const job of this.jobs.values()) job.cancel();
  }

  private async run(draft: Draft, job: Job): Promise<void> {
    const say = (): void => this.tell({ kind: "census", page: draft.name, state: job.state, done: job.done });
    const run = this.threads.census(draft, (done) => {
      job.done = done;
      say();
    });
    job.cancel = run.cancel;
    try {
      const came = await run.census;
      if (came === "cancelled") job.state = "cancelled";
      else [job.state, job.done, job.census] = ["done", 1, came];
    } catch (error) {
      job.state = "failed";
      job.because = isTold(error) ? error.message : "Something went wrong here while counting.";
    } finally {
      say();
    }
  }
}

/** Whether an error's message says something to whoever asked for a census. */
const isTold = (error: unknown): error is Error =>
  error instanceof Error && (error instanceof DeskRefusal || /^Database(Refusal|Away)$/.test(error.name));
