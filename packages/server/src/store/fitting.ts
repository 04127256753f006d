import type { RecordedRequest } from "@loyal-quill/core";

/** A recorded request is kept in so many characters of JSON at most. */
export const mostRecorded = 65_536;

/** Characters that JSON in PostgreSQL can't hold (documentation, 8.14.1): NUL, and half of a surrogate pair. */
const unstorable = /\0|\p{Surrogate}/gu;

type Json = null | boolean | number | string | readonly Json[] | { readonly [name: string]: Json };

/** A text cut to a length, which is told. */
export const cutText = (text: string, length: number): string =>
  text.length > length ? `${text.slice(0, length)}… (${text.length} characters)` : text;

/** The same with every text cut to a length, every list to a number of parts, and what can't be stored replaced by U+FFFD. */
function cut(json: Json, length: number, parts: number): Json {
  if (typeof json === "string") {
    const text = json.replaceAll(unstorable, "\uFFFD");
    return text.length > length
      ? `${text.slice(0, length)}… (${text.length} characters)`.replaceAll(unstorable, "\uFFFD")
      : text;
  }
  if (Array.isArray(json)) return json.slice(0, parts).map((each) => cut(each as Json, length, parts));
  if (typeof json !== "object" || json === null) return json;
  return Object.fromEntries(
    Object.entries(json as { readonly [name: string]: Json }).map(([name, value]) => [
      name.replaceAll(unstorable, "\uFFFD").slice(0, 200),
      cut(value, length, parts),
    ]),
  );
}

/** Whether JSON holds what PostgreSQL can't: escapes of NUL, and of half a surrogate pair, which JSON.stringify writes as such. */
const holdsUnstorable = /\\u(0000|d[89a-f])/;

/**
 * A recorded request as it can be kept: whatever was sent, and never larger than {@link mostRecorded}.
 *
 * @param text the request as JSON, where that is known
 */
export function fitting(recorded: RecordedRequest, text = JSON.stringify(recorded)): RecordedRequest {
  // Nearly all are as they should be, and to look through each text of each takes longer than everything else here.
  if (text.length <= mostRecorded && !holdsUnstorable.test(text)) return recorded;
  const json = recorded as unknown as Json;
  for (const [length, parts] of [
    [Number.POSITIVE_INFINITY, Number.POSITIVE_INFINITY],
    [1000, 2000],
    [200, 500],
    [60, 100],
    [20, 20],
  ] as const) {
    const kept = cut(json, length, parts);
    if (JSON.stringify(kept).length <= mostRecorded) return kept as unknown as RecordedRequest;
  }
  return {
    ...(cut({ ...(json as object), steps: [], statements: [] } as Json, 200, 20) as unknown as RecordedRequest),
  };
}
