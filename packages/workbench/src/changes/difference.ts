/** Words and numbers whole, the pieces of what has no end, and whatever else there is by itself. */
const pieces = (text: string): readonly string[] => text.match(/[\p{L}\p{M}\p{N}]{1,24}|./gsu) ?? [];

/** A text cut to where it differs from another: what both begin and end with, and the middle that is new. No word is cut. */
export function difference(before: string, after: string): { head: string; middle: string; tail: string } {
  const [from, to] = [pieces(before), pieces(after)];
  let head = 0;
  while (head < Math.min(from.length, to.length) && from[head] === to[head]) head++;
  let tail = 0;
  while (tail < Math.min(from.length, to.length) - head && from[from.length - 1 - tail] === to[to.length - 1 - tail])
    tail++;
  return {
    head: to.slice(0, head).join(""),
    middle: to.slice(head, to.length - tail).join(""),
    tail: to.slice(to.length - tail).join(""),
  };
}
