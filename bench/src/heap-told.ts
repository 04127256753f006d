/** Loaded before a server that is measured (`node --expose-gc --import`): tells its parent what it holds once garbage is collected. */
import { readdirSync } from "node:fs";
import process from "node:process";

export interface HeldNow {
  /** Of JavaScript, in bytes. */
  readonly heap: number;
  readonly descriptors: number;
  /** Of the process, in bytes. */
  readonly resident: number;
}

process.on("message", (asked) => {
  if (asked !== "held") return;
  // What is let go by a finalizer is garbage of the next round only.
  for (let round = 0; round < 3; round++) gc?.();
  setTimeout(() => {
    gc?.();
    const { heapUsed: heap, rss: resident } = process.memoryUsage();
    const held: HeldNow = { heap, resident, descriptors: readdirSync("/proc/self/fd").length };
    process.send?.(held);
  }, 200);
});
process.channel?.unref();
