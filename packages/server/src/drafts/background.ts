import type { KeptJob, KeptJobs } from "../processes/kept-jobs.js";
import { DeskRefusal } from "./desk-refusal.js";

/** Work that goes on in the background, in a thread. */
export interface Run<Came> {
  /** What it came to, or "cancelled". */
  readonly came: Promise<Came | "cancelled">;
  readonly cancel: () => void;
}

/** Hears how far work is, and what came since it was last told. */
export type OnProgress = (done: number, parts?: readonly unknown[]) => void;

export interface BackgroundState<Came> {
  readonly state: "running" | "done" | "cancelled" | "failed";
  /** From 0 to 1. */
  readonly done: number;
  /** ISO 8601, UTC. */
  readonly begun: string;
  readonly came: Came | null;
  /** What came so far of one that goes on in this process, in the parts in which it was told. */
  readonly soFar: readonly unknown[];
  /** Why it failed. */
  readonly because: string | null;
}

/** Where work in the background is kept, and by whom it is done. */
export interface Workers {
  readonly jobs: KeptJobs;
  /** This process. */
  readonly process: string;
}

/** How often a run says that it goes on, and is asked whether it may; how often it is looked whether another process let one go. */
const beatEvery = 1_000;
const lookEvery = 5_000;

interface UnderWay {
  readonly run: string;
  done: number;
  readonly soFar: unknown[];
  cancel: () => void;
  readonly ended: Promise<void>;
}

const stateOf = <Given, Came>({ begun, given, came, state, done, because }: KeptJob) => ({
  state,
  done,
  because,
  begun: begun.toISOString(),
  came: came as Came | null,
  soFar: [] as readonly unknown[],
  given: given as Given,
});

interface Work<Given, Came> {
  readonly run: (given: Given, onProgress: OnProgress) => Run<Came>;
  /** Tells how far it is, and how it ended. */
  readonly tell: (name: string, state: BackgroundState<Came>["state"], done: number) => void;
}

/**
 * Work of one kind in the background, the last one of each name. It stands in the store: whichever process is asked knows of it, one of them works
 * on it, and another goes on with it where that one ends.
 */
export class Background<Given, Came> {
  private readonly here = new Map<string, UnderWay>();
  private readonly timer: NodeJS.Timeout;
  private closing = false;

  constructor(
    private readonly kind: string,
    private readonly workers: Workers,
    /** How many finished ones are remembered. */
    private readonly mostKept: number,
    private readonly work: Work<Given, Came>,
  ) {
    this.timer = setInterval(() => void this.takeOver(), lookEvery).unref();
  }

  async of(name: string): Promise<(BackgroundState<Came> & { readonly given: Given }) | null> {
    const job = await this.workers.jobs.of(this.kind, name);
    if (!job) return null;
    const here = this.here.get(name);
    const state = stateOf<Given, Came>(job);
    return here?.run === job.run && state.state === "running"
      ? { ...state, done: here.done, soFar: here.soFar }
      : state;
  }

  /** Begins it; one of the same name that is running is cancelled. */
  async begin(name: string, given: Given): Promise<BackgroundState<Came> & { readonly given: Given }> {
    const { jobs, process } = this.workers;
    this.here.get(name)?.cancel();
    const job = await jobs.begin({ kind: this.kind, name }, process, given, this.mostKept);
    this.go(job);
    return stateOf<Given, Came>(job);
  }

  async cancel(name: string): Promise<void> {
    await this.workers.jobs.cancel(this.kind, name);
    const here = this.here.get(name);
    here?.cancel();
    await here?.ended;
  }

  /** Gives up what goes on here: another process goes on with it, or this one when it comes back. */
  async close(): Promise<void> {
    clearInterval(this.timer);
    this.closing = true;
    const { jobs, process } = this.workers;
    if (this.here.size > 0) await jobs.letGo(this.kind, process).catch(() => {});
    for (const each of this.here.values()) each.cancel();
  }

  private async takeOver(): Promise<void> {
    const { jobs, process } = this.workers;
    for (const job of await jobs.takeOver(this.kind, process).catch(() => [])) this.go(job);
  }

  private go(job: KeptJob): void {
    const { name } = job;
    const { cancel, came } = this.work.run(job.given as Given, (done, parts = []) => {
      here.done = done;
      here.soFar.push(...parts);
      this.work.tell(name, "running", done);
    });
    const here: UnderWay = {
      run: job.run,
      done: job.done,
      soFar: [],
      cancel,
      ended: this.ended(job, came, () => here.done, cancel),
    };
    this.here.set(name, here);
    void here.ended.finally(() => {
      if (this.here.get(name) === here) this.here.delete(name);
    });
  }

  /** Goes along with a run to its end, and keeps what it came to. */
  private async ended(
    { name, run }: KeptJob,
    came: Run<Came>["came"],
    far: () => number,
    cancel: () => void,
  ): Promise<void> {
    const { jobs, process } = this.workers;
    const beat = setInterval(() => {
      // A store that is away says nothing of whether it may go on.
      jobs.goesOn(run, process, far()).then(
        (may) => {
          if (!may && !this.closing) cancel();
        },
        () => {},
      );
    }, beatEvery).unref();
    const [state, found, because] = await came.then(
      (answer) => (answer === "cancelled" ? (["cancelled", null, null] as const) : (["done", answer, null] as const)),
      (error: unknown) =>
        ["failed", null, isTold(error) ? error.message : "Something went wrong here meanwhile."] as const,
    );
    clearInterval(beat);
    // What ends with its process goes on in another one.
    if (this.closing && state !== "done") return;
    const isOurs = await jobs.end(run, process, { state, came: found, because }).catch(() => false);
    if (isOurs) this.work.tell(name, state, state === "done" ? 1 : far());
  }
}

/** Whether an error's message says something to whoever asked. */
const isTold = (error: unknown): error is Error =>
  error instanceof Error && (error instanceof DeskRefusal || /^(Desk|Database)(Refusal|Away)$/.test(error.name));
