/**
 * The entries of a list of texts as PostgreSQL writes it (documentation, 8.15.6); null where it has more than one dimension, or bounds of its
 * own.
 */
export function entriesOf(stored: string): readonly (string | null)[] | null {
  if (!stored.startsWith("{") || !stored.endsWith("}")) return null;
  const inner = stored.slice(1, -1);
  if (inner === "") return [];
  const entries: (string | null)[] = [];
  const one = /(?:"((?:[^"\\]|\\.)*)"|([^",{}\\]+))(,|$)/gsy;
  while (one.lastIndex < inner.length) {
    const match = one.exec(inner);
    if (!match) return null;
    const [, quoted, plain = "", end] = match;
    if (quoted === undefined) entries.push(/^null$/i.test(plain) ? null : plain);
    else entries.push(quoted.replaceAll(/\\(.)/gs, "$1"));
    if (end === "" && one.lastIndex < inner.length) return null;
  }
  return inner.endsWith(",") ? null : entries;
}

/** A list of texts as PostgreSQL reads it: every entry in quotes. */
export const arrayText = (entries: readonly string[]): string =>
  `{${entries.map((each) => `"${each.replaceAll(/(["\\])/g, "\\$1")}"`).join(",")}}`;
