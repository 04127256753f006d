import { distance } from "fastest-levenshtein";

const plain = (name: string): string => name.toLowerCase().replaceAll(/[^a-z0-9]/g, "");

function howFar(name: string, candidate: string): number {
  const [a, b] = [plain(name), plain(candidate)];
  if (a === b) return 0;
  // A name cut short, or with its table's name before it: region for region_id.
  if (a.length >= 3 && (b.startsWith(a) || b.endsWith(a))) return 1;
  return distance(name.slice(0, 100), candidate.slice(0, 100));
}

/**
 * The known name that a misspelt one most likely means; `siteCode` and `site-code` count as `site_code`.
 *
 * @returns undefined when nothing is near enough (a third of the letters, rounded up).
 */
export function nearest(name: string, known: Iterable<string>): string | undefined {
  let found: string | undefined;
  let limit = Math.ceil(name.length / 3) + 1;
  for (const candidate of known) {
    const far = howFar(name, candidate);
    if (far < limit) {
      found = candidate;
      limit = far;
    }
  }
  return found;
}

/** A misspelt name and the one that was most likely meant. */
export interface Misspelt {
  readonly wrong: string;
  readonly right: string;
}

/** The known name that a misspelt one most likely means, with the misspelt one; undefined when nothing is near enough. */
export function misspelt(wrong: string, known: Iterable<string>): Misspelt | undefined {
  const right = nearest(wrong, known);
  return right === undefined || right === wrong ? undefined : { wrong, right };
}

/** ` Did you mean "code"?`, or nothing. */
export function suggestion(name: string, known: Iterable<string>): string {
  const found = nearest(name, known);
  return found === undefined ? "" : ` Did you mean "${found}"?`;
}
