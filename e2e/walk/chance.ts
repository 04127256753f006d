/** Numbers by chance that come again with the same seed (mulberry32): each from 0 up to 1. */
export type Chance = () => number;

/** @param seed a whole number */
export function chanceOf(seed: number): Chance {
  let state = seed | 0;
  return () => {
    state = (state + 0x6d2b79f5) | 0;
    let mixed = Math.imul(state ^ (state >>> 15), 1 | state);
    mixed = (mixed + Math.imul(mixed ^ (mixed >>> 7), 61 | mixed)) ^ mixed;
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 2 ** 32;
  };
}

/** One of several. */
export const oneOf = <Item>(chance: Chance, items: readonly Item[]): Item =>
  items[Math.floor(chance() * items.length)] as Item;
