/** Numbers that only depend on the seed (mulberry32), so that every demo is the same. */
export class Seeded {
  constructor(private state: number) {}

  /** From 0 up to, but not including, 1. */
  next(): number {
    this.state = (this.state + 0x6d2b79f5) | 0;
    let t = Math.imul(this.state ^ (this.state >>> 15), 1 | this.state);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 4_294_967_296;
  }

  /** A whole number from `low` to `high`, both included. */
  whole(low: number, high: number): number {
    return low + Math.floor(this.next() * (high - low + 1));
  }

  /** One member of a list. */
  pick<T>(list: readonly T[]): T {
    const member = list[this.whole(0, list.length - 1)];
    if (member === undefined) throw new RangeError("There is nothing to pick from an empty list.");
    return member;
  }

  chance(probability: number): boolean {
    return this.next() < probability;
  }

  /** A UUID of version 4 (RFC 9562, 5.4) from the same numbers. */
  uuid(): string {
    const hex = Array.from({ length: 32 }, () => this.whole(0, 15).toString(16));
    hex[12] = "4";
    hex[16] = "89ab".charAt(this.whole(0, 3));
    const text = hex.join("");
    return `${text.slice(0, 8)}-${text.slice(8, 12)}-${text.slice(12, 16)}-${text.slice(16, 20)}-${text.slice(20)}`;
  }
}
