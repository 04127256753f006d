import type { Handled, SavedEvent } from "@loyal-quill/core";

type Ask = Handled["undecided"][number];

/** Milliseconds before each time that the log is asked; after the last one it is given up. */
const pauses = [500, 1_000, 2_000, 4_000, 8_000, 15_000, 30_000, ...Array.from({ length: 20 }, () => 60_000)] as const;

/**
 * Saves of which nobody knew, when they were answered, whether they took effect. The log is asked until it says so, and what is to be done
 * after a save is done then: by this process, which has sent the save, and by no other one.
 */
export class Undecided {
  private readonly timers = new Set<NodeJS.Timeout>();
  private isClosed = false;

  constructor(
    private readonly afterSaves: (saved: readonly SavedEvent[]) => void,
    private readonly onError: (error: unknown) => void,
  ) {}

  follow(ask: Ask, turn = 0): void {
    const pause = pauses[turn];
    if (this.isClosed) return;
    if (pause === undefined) {
      this.onError(
        new Error("It could not be found out whether a save took effect, so what is done after it was not done."),
      );
      return;
    }
    const timer = setTimeout(() => {
      this.timers.delete(timer);
      ask().then(
        (saved) => (saved ? this.afterSaves(saved) : this.follow(ask, turn + 1)),
        () => this.follow(ask, turn + 1),
      );
    }, pause).unref();
    this.timers.add(timer);
  }

  close(): void {
    this.isClosed = true;
    for (const timer of this.timers) clearTimeout(timer);
  }
}
