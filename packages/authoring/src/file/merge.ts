import { contentOf } from "@loyal-quill/core/page/content";
import type { Path } from "@loyal-quill/core/page/parse";
import { diff3Merge } from "node-diff3";
import { type Difference, differences, editsFor } from "./differences.js";
import { editPageFile } from "./edit.js";

/** Where both sides changed the same setting to something else. The path is empty where a whole text can't be read. */
export interface MergeConflict {
  readonly path: Path;
  readonly before: unknown;
  readonly mine: unknown;
  readonly theirs: unknown;
}

export interface Merged {
  /** Both changes together; in a conflict what stands in `theirs`. */
  readonly text: string;
  readonly conflicts: readonly MergeConflict[];
}

const samePath = (a: Path, b: Path): boolean => JSON.stringify(a) === JSON.stringify(b);

/** Whether a difference lies at, below or above another. */
const meets = (a: Path, b: Path): boolean => {
  const length = Math.min(a.length, b.length);
  // The order of fields is a matter of its own.
  if (length === 1 && a[0] === "fields") return a.length === b.length;
  return samePath(a.slice(0, length), b.slice(0, length));
};

/** Pairs of equal lines that are looked at: what repeats its lines has so many of them that a comparison by lines would not end. */
const mostPairs = 200_000;

/** How many pairs of equal lines two texts have. */
function equalPairs(a: readonly string[], b: readonly string[]): number {
  const counts = new Map<string, number>();
  for (const line of a) counts.set(line, (counts.get(line) ?? 0) + 1);
  return b.reduce((sum, line) => sum + (counts.get(line) ?? 0), 0);
}

/** By lines, where the sides changed different ones and the result can be read. */
function byLines(base: string, mine: string, theirs: string): string | undefined {
  const [a, o, b] = [mine.split("\n"), base.split("\n"), theirs.split("\n")];
  if (equalPairs(o, a) + equalPairs(o, b) > mostPairs) return undefined;
  const parts = diff3Merge(a, o, b, { excludeFalseConflicts: true });
  if (parts.some((part) => part.conflict)) return undefined;
  const text = parts.flatMap((part) => part.ok ?? []).join("\n");
  return contentOf(text) ? text : undefined;
}

const conflictOf = (my: Difference, their: Difference): MergeConflict => ({
  path: my.path,
  before: my.before,
  mine: my.after,
  theirs: their.after,
});

/**
 * Brings together two changes of one page file: by lines first, which keeps comments; where they meet, setting by setting.
 *
 * @param base what both began with
 * @param theirs what the result is made of where both changed the same
 */
export function mergePageFiles(base: string, mine: string, theirs: string): Merged {
  if (mine === theirs || mine === base) return { text: theirs, conflicts: [] };
  if (theirs === base) return { text: mine, conflicts: [] };
  const lines = byLines(base, mine, theirs);
  const [myChanges, theirChanges] = [differences(base, mine), differences(base, theirs)];
  if (!myChanges || !theirChanges) {
    return lines === undefined
      ? { text: theirs, conflicts: [{ path: [], before: base, mine, theirs }] }
      : { text: lines, conflicts: [] };
  }
  const conflicts: MergeConflict[] = [];
  let text = theirs;
  for (const my of myChanges) {
    const their = theirChanges.find((each) => meets(each.path, my.path));
    if (!their) text = editPageFile(text, editsFor(my, text));
    else if (!samePath(my.path, their.path) || JSON.stringify(my.after) !== JSON.stringify(their.after))
      conflicts.push(conflictOf(my, their));
  }
  return conflicts.length === 0 && lines !== undefined ? { text: lines, conflicts } : { text, conflicts };
}
