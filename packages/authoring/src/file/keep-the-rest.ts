import { diff3Merge, diffComm } from "node-diff3";

/**
 * Lines that are laid out differently in `mine` and `before`, one beside the other: those that `after` has left as they were
 * are taken from `mine`.
 */
function besides(mine: readonly string[], before: readonly string[], after: readonly string[]): string[] {
  if (mine.length !== before.length) return [...after];
  let at = 0;
  return diffComm([...before], [...after]).flatMap((part) => {
    const from = at;
    if ("common" in part && part.common) {
      at += part.common.length;
      return mine.slice(from, at);
    }
    at += part.buffer1?.length ?? 0;
    return part.buffer2 ?? [];
  });
}

/**
 * Carries a change over to a text that is laid out differently: what differs between `before` and `after` is changed in
 * `text`, by lines; where the layouts differ at the very place of the change, the line is taken from `after`.
 *
 * @param text as somebody wrote it
 * @param before the same content, as the printer of `after` lays it out
 */
export function sameElsewhere(text: string, before: string, after: string): string {
  if (text === before) return after;
  const parts = diff3Merge(text.split("\n"), before.split("\n"), after.split("\n"), { excludeFalseConflicts: true });
  return parts
    .flatMap(({ ok, conflict }) => ok ?? (conflict ? besides(conflict.a, conflict.o, conflict.b) : []))
    .join("\n");
}
