import { DeskRefusal } from "./desk-refusal.js";

/** Work that goes on in the background, in a thread. */
export interface Run<Came> {
  /** What it came to, or "cancelled". */
  readonly came: Promise<Came | "cancelled">;
  readonly cancel: () => void;
}

export interface BackgroundState<Came> {
  readonly state: "running" | "done" | "cancelled" | "failed";
  /** From 0 to 1. */
  readonly done: number;
  /** ISO 8601, UTC. */
  readonly begun: string;
  readonly came: Came | null;
  /** Why it failed. */
  readonly because: string | null;
}

interface Job<Given, Came> extends Omit<BackgroundState<Came>, "begun"> {
  state: BackgroundState<Came>["state"];
  done: number;
  came: Came | null;
  because: string | null;
  readonly begun: Date;
  readonly given: Given;
  cancel: () => void;
}

/** Work of one kind in the background, the last one of each name. */
export class Background<Given, Came> {
  private readonly jobs = new Map<string, Job<Given, Came>>();

  constructor(
    private readonly run: (given: Given, onProgress: (done: number) => void) => Run<Came>,
    private readonly tell: (name: string, state: BackgroundState<Came>["state"], done: number) => void,
    /** How many finished ones are remembered. */
    private readonly mostKept: number,
  ) {}

  of(name: string): (BackgroundState<Came> & { readonly given: Given }) | null {
    const job = this.jobs.get(name);
    if (!job) return null;
    const { cancel: _, begun, ...rest } = job;
    return { ...rest, begun: begun.toISOString() };
  }

  /** Begins it; one of the same name that is running is cancelled. */
  begin(name: string, given: Given): BackgroundState<Came> & { readonly given: Given } {
    this.cancel(name);
    const begun = new Date();
    const job: Job<Given, Came> = {
      state: "running",
      done: 0,
      begun,
      given,
      came: null,
      because: null,
      cancel: () => {},
    };
    this.jobs.delete(name);
    this.jobs.set(name, job);
    for (const old of [...this.jobs.keys()].slice(0, Math.max(0, this.jobs.size - this.mostKept))) {
      this.cancel(old);
      this.jobs.delete(old);
    }
    void this.go(name, job);
    return { ...job, begun: begun.toISOString() };
  }

  cancel(name: string): void {
    const job = this.jobs.get(name);
    if (job?.state === "running") job.cancel();
  }

  close(): void {
    for (const job of this.jobs.values()) job.cancel();
  }

  private async go(name: string, job: Job<Given, Came>): Promise<void> {
    const say = (): void => this.tell(name, job.state, job.done);
    const run = this.run(job.given, (done) => {
      job.done = done;
      say();
    });
    job.cancel = run.cancel;
    try {
      const came = await run.came;
      if (came === "cancelled") job.state = "cancelled";
      else [job.state, job.done, job.came] = ["done", 1, came];
    } catch (error) {
      job.state = "failed";
      job.because = isTold(error) ? error.message : "Something went wrong here meanwhile.";
    } finally {
      say();
    }
  }
}

/** Whether an error's message says something to whoever asked. */
const isTold = (error: unknown): error is Error =>
  error instanceof Error && (error instanceof DeskRefusal || /^(Desk|Database)(Refusal|Away)$/.test(error.name));
