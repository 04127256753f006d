/** Numbers from 0 to below 1 (mulberry32). */
function numbersOf(seed: number): () => number {
  let state = seed >>> 0;
  return () => {
    state = (state + 0x6d2b79f5) | 0;
    let mixed = Math.imul(state ^ (state >>> 15), 1 | state);
    mixed = (mixed + Math.imul(mixed ^ (mixed >>> 7), 61 | mixed)) ^ mixed;
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 4294967296;
  };
}

/** What is left to chance, and yet the same for the same seed. */
export class Chance {
  /** A number from 0 to below 1. */
  readonly next: () => number;
  constructor(seed: number) {
    this.next = numbersOf(seed);
  }
  whole(below: number): number {
    return Math.floor(this.next() * below);
  }
  is(share: number): boolean {
    return this.next() < share;
  }
  one<T>(of: readonly T[]): T {
    return of[this.whole(of.length)] as T;
  }
  some<T>(of: readonly T[], number: number): T[] {
    const left = [...of];
    return Array.from({ length: Math.min(number, left.length) }, () => left.splice(this.whole(left.length), 1)[0] as T);
  }
}
