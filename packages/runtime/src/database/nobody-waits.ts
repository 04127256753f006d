/** Nobody waits for the answer any more: what was asked for was given up. */
export class NobodyWaits extends Error {
  override readonly name = "NobodyWaits";
}

/** What of an AbortSignal (DOM Standard, 3.2) is used here. */
export type Signal = {
  readonly aborted: boolean;
  addEventListener(event: "abort", heard: () => void): void;
  removeEventListener(event: "abort", heard: () => void): void;
};

/** A signal for one request. There is one for each, so it is no more than it has to be: an AbortController costs 10 microseconds. */
export class Waiting implements Signal {
  aborted = false;
  private readonly heard = new Set<() => void>();

  /** Nobody waits any more. */
  abort(): void {
    this.aborted = true;
    for (const hear of this.heard) hear();
  }

  addEventListener(_event: "abort", heard: () => void): void {
    this.heard.add(heard);
  }

  removeEventListener(_event: "abort", heard: () => void): void {
    this.heard.delete(heard);
  }
}

export const isSignal = (given: unknown): given is Signal => given instanceof Waiting || given instanceof AbortSignal;
