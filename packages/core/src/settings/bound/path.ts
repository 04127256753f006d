/** The address of a page's records: `/stations/{code}` or `/sensors/{station_code}/{channel}`. */
export interface PagePath {
  /** The segments before the first key column: the list's address. */
  readonly list: string;
  readonly listSegments: readonly string[];
  /** The key columns in the order of the address; each takes one segment. */
  readonly columns: readonly string[];
}

/** First segments that the application around the pages answers itself: a page below one of them would never be reached. */
export const reservedSegments: ReadonlySet<string> = new Set([
  "workbench",
  "fonts",
  "sign-in",
  "sign-out",
  "my-account",
  "openapi.json",
  "healthz",
  "readyz",
]);

/** A fixed segment as browsers send it: percent-encoded UTF-8 (RFC 3986, 2.5), each character in one way only. */
export function normalSegment(segment: string): string {
  if (/^[\w.~-]*$/.test(segment)) return segment;
  try {
    return encodeURIComponent(decodeURIComponent(segment));
  } catch {
    return segment;
  }
}

/**
 * Reads a page's address: fixed segments first, then one `{column}` a segment. A column's name may hold anything but braces.
 * Undefined when it is neither.
 *
 * @returns the fixed segments percent-encoded
 */
export function parsePath(path: string): PagePath | undefined {
  const [, fixed = "", keyed = ""] = /^((?:\/[^/{}\s?#]+)+)((?:\/\{[^{}]+\})+)$/.exec(path) ?? [];
  if (fixed === "") return undefined;
  const columns = [...keyed.matchAll(/\/\{([^{}]+)\}/g)].map((match) => match[1] ?? "");
  const listSegments = fixed.split("/").slice(1).map(normalSegment);
  return { list: `/${listSegments.join("/")}`, listSegments, columns };
}

/** What is wrong with the fixed segments of an address, in words; null where nothing is. */
export function pathProblem(path: string): string | null {
  const segments = path.split("/{")[0]?.split("/").slice(1) ?? [];
  for (const segment of segments) {
    let plain: string;
    try {
      plain = decodeURIComponent(segment);
    } catch {
      return `"${segment}" has a % that encodes nothing: write %25 for the sign itself.`;
    }
    if (/^\.{1,2}$/.test(plain)) return `"${segment}" is taken for a step up or for nothing by every browser.`;
    if (/[\\;]/.test(plain))
      return `"${segment}" has a ${plain.includes(";") ? "semicolon" : "backslash"}, which browsers and proxies read as something else.`;
    if (/[/\p{Cc}]/u.test(plain)) return `"${segment}" has a slash or a control character in it, percent-encoded.`;
    if (plain.startsWith("~")) return `"${segment}" begins with a tilde: such addresses are the pages' own.`;
  }
  const [first = ""] = segments;
  return reservedSegments.has(first.toLowerCase()) ? `/${first} is an address of the application itself.` : null;
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

/** The address of the list for editing in a spreadsheet, and of what comes back, below the list. */
export const spreadsheetSegment = "~spreadsheet";
export const uploadSegment = "~upload";

/** The segments under which the neighbours of a record in its list are. */
export const neighbourSegments = { "~next": "next", "~previous": "previous" } as const;

/** The segment under which a field's choices are: a tilde stands before no letter in any key (see {@link encodeSegment}). */
export const choicesSegment = "~choices";
