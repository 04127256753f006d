import { distance } from "fastest-levenshtein";

const letters = (name: string): string => name.toLowerCase().replaceAll(/[^a-z0-9]/g, "");

/** Names in their letters only: a thousand pages may all name what a thousand others are called. */
const known = new Map<string, string>();
const mostKnown = 20_000;

function plain(name: string): string {
  const found = known.get(name);
  if (found !== undefined) return found;
  const made = letters(name);
  if (known.size >= mostKnown) known.clear();
  known.set(name, made);
  return made;
}

const longest = 100;

/** How far a candidate is from a name, as far as that is nearer than the limit. */
function howFar(name: string, short: string, candidate: string, limit: number): number {
  const other = plain(candidate);
  if (short === other) return 0;
  // A name cut short, or with its table's name before it: region for region_id.
  if (short.length >= 3 && (other.startsWith(short) || other.endsWith(short))) return 1;
  // So many letters more or less are so many steps at least.
  const apart = Math.abs(Math.min(name.length, longest) - Math.min(candidate.length, longest));
  return apart >= limit ? apart : distance(name.slice(0, longest), candidate.slice(0, longest));
}

/**
 * The known name that a misspelt one most likely means; `siteCode` and `site-code` count as `site_code`.
 *
 * @returns undefined when nothing is near enough (a third of the letters, rounded up).
 */
export function nearest(name: string, candidates: Iterable<string>): string | undefined {
  const short = letters(name);
  let found: string | undefined;
  let limit = Math.ceil(name.length / 3) + 1;
  for (const candidate of candidates) {
    const far = howFar(name, short, candidate, limit);
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
