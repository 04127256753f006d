/** At most this many name and value pairs are read from a body. */
const mostPairs = 2000;

function decoded(text: string): string {
  const spaced = text.includes("+") ? text.replaceAll("+", " ") : text;
  return spaced.includes("%") ? decodeURIComponent(spaced) : spaced;
}

/**
 * Reads a body of type `application/x-www-form-urlencoded` (URL Standard, 5.1), strictly: broken percent-encoding and bytes
 * that are not UTF-8 are refused, not replaced.
 *
 * @returns the pairs in their order, or what is wrong
 */
export function readPairs(body: string): readonly (readonly [string, string])[] | string {
  const pairs: [string, string][] = [];
  try {
    for (const part of body.split("&")) {
      if (part === "") continue;
      if (pairs.length === mostPairs) return `more than ${mostPairs} values`;
      const equals = part.indexOf("=");
      pairs.push(equals < 0 ? [decoded(part), ""] : [decoded(part.slice(0, equals)), decoded(part.slice(equals + 1))]);
    }
  } catch {
    return "percent-encoding that is broken or not UTF-8";
  }
  return pairs;
}
