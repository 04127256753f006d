import process from "node:process";
import type { Say } from "./cluster/cluster.js";

/** Stops on Ctrl+C, a terminal that closes, or a polite kill; a second one does not interrupt the first. */
export function stopOnSignals(
  started: { readonly stop: () => Promise<void> },
  stopped: string,
  within: number,
  say: Say,
): void {
  let stopping = false;
  for (const signal of ["SIGINT", "SIGTERM", "SIGHUP"] as const) {
    process.on(signal, () => {
      if (stopping) return;
      stopping = true;
      say("\nStopping …");
      // Whatever holds it up, it ends.
      setTimeout(() => {
        process.stderr.write("It did not stop in time.\n");
        process.exit(1);
      }, within).unref();
      started.stop().then(
        () => {
          say(stopped);
          process.exit(0);
        },
        (error: unknown) => {
          process.stderr.write(`It did not stop cleanly: ${String(error)}\n`);
          process.exit(1);
        },
      );
    });
  }
}
