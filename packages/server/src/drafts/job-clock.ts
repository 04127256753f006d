import { readFileSync } from "node:fs";

/**
 * How much a job in a thread has taken of a processor: a machine that is busy with other work makes it no larger a job. A thread's time is told by
 * Linux (proc(5), `/proc/PID/task/TID/stat`); elsewhere it is the time that has passed since the job began.
 */
export type JobClock = Int32Array<SharedArrayBuffer>;

/** Places in a clock: the thread that runs the job, zero until it has begun; and what that thread had taken before, in ticks. */
const [thread, before] = [0, 1];
/** Where the system tells of no thread. */
const unknown = -1;
/** A tick of the kernel's clock, in milliseconds: USER_HZ is 100 on Linux. */
const tick = 10;

export const newClock = (): JobClock => new Int32Array(new SharedArrayBuffer(8));

function told(place: string): { readonly thread: number; readonly ticks: number } | null {
  try {
    const stat = readFileSync(place, "utf8");
    // The name of the program stands in parentheses and may hold anything.
    const [utime = "0", stime = "0"] = stat
      .slice(stat.lastIndexOf(")") + 2)
      .split(" ")
      .slice(11, 13);
    return { thread: Number.parseInt(stat, 10), ticks: Number(utime) + Number(stime) };
  } catch {
    return null;
  }
}

/** Said by the thread: its job begins now. */
export function begin(clock: JobClock): void {
  const own = told("/proc/thread-self/stat");
  Atomics.store(clock, before, own?.ticks ?? 0);
  Atomics.store(clock, thread, own?.thread ?? unknown);
}

/** Reads a job's clock from another thread. @returns what tells the milliseconds that the job has taken so far; null where it has not begun */
export function reading(clock: JobClock): () => number | null {
  let since: number | null = null;
  return () => {
    const of = Atomics.load(clock, thread);
    if (of === 0) return null;
    since ??= performance.now();
    const now = of === unknown ? null : told(`/proc/self/task/${of}/stat`);
    return now ? (now.ticks - Atomics.load(clock, before)) * tick : performance.now() - since;
  };
}
