/** The address of a page's records: `/stations/{code}` or `/sensors/{station_code}/{channel}`. */
export interface PagePath {
  /** The segments before the first key column: the list's address. */
  readonly list: string;
  readonly listSegments: readonly string[];
  /** The key columns in the order of the address; each takes one segment. */
  readonly columns: readonly string[];
}

/**
 * Reads a page's address: fixed segments first, then one `{column}` a segment. A column's name may hold anything but braces.
 * Undefined when it is neither.
 */
export function parsePath(path: string): PagePath | undefined {
  const [, fixed = "", keyed = ""] = /^((?:\/[^/{}\s?#]+)+)((?:\/\{[^{}]+\})+)$/.exec(path) ?? [];
  if (fixed === "") return undefined;
  const columns = [...keyed.matchAll(/\/\{([^{}]+)\}/g)].map((match) => match[1] ?? "");
  return { list: fixed, listSegments: fixed.split("/").slice(1), columns };
}

/**
 * One segment of an address (RFC 3986, 3.3), percent-encoded. A segment that is empty or made of dots would be taken for a
 * step in the path by every browser, however it is encoded (URL Standard, 4.1): it gets a tilde before it, and so do a
 * value that begins with one and the word "new", which is the address of a new record.
 */
export const encodeSegment = (value: string): string =>
  `${/^(\.{0,2}$|~|new$)/.test(value) ? "~" : ""}${encodeURIComponent(value)}`;

/** A segment as it was meant, or undefined when it is empty, or its percent-encoding is broken or not UTF-8. */
export function decodeSegment(segment: string): string | undefined {
  if (segment === "") return undefined;
  try {
    return decodeURIComponent(segment.startsWith("~") ? segment.slice(1) : segment);
  } catch {
    return undefined;
  }
}

/** `/stations/MV-014`, for the values of the key's columns in the order of the path. */
export const recordAddress = (path: PagePath, values: readonly string[]): string =>
  `${path.list}/${values.map(encodeSegment).join("/")}`;

/** A query (RFC 3986, 3.4) with its question mark; empty where nothing is asked. */
export function queryText(asked: Readonly<Record<string, string>>): string {
  const pairs = Object.entries(asked).map(
    ([name, value]) => `${encodeURIComponent(name)}=${encodeURIComponent(value)}`,
  );
  return pairs.length > 0 ? `?${pairs.join("&")}` : "";
}

/** The segment under which a record's files are. */
export const fileSegment = "~file";

/** The segment under which a list is to be had as a file. */
export const csvSegment = "~csv";

/** The segments under which the neighbours of a record in its list are. */
export const neighbourSegments = { "~next": "next", "~previous": "previous" } as const;

/** The segment under which a field's choices are: a tilde stands before no letter in any key (see page/path.ts). */
export const choicesSegment = "~choices";

/** The segment under which a form's problems are asked for, before it is sent. */
export const judgeSegment = "~check";
