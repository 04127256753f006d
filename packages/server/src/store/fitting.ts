import type { RecordedRequest } from "@loyal-quill/core";

/** A recorded request is kept in so many characters of JSON at most. */
export const mostRecorded = 65_536;

/** Characters that neither text nor `jsonb` of PostgreSQL can hold (documentation, 8.3, 8.14.1): NUL, and half of a surrogate pair. */
const unstorable = /\0|\p{Surrogate}/gu;

/** A text for a column, cut to a length; what can't be stored is U+FFFD. */
export const storable = (text: string | undefined, length: number): string | null =>
  text?.slice(0, length).replaceAll(unstorable, "\uFFFD") ?? null;

/** Whether JSON holds what `jsonb` can't: escapes of NUL, and of half a surrogate pair, which JSON.stringify writes as such. */
const holdsUnstorable = /\\u(0000|d[89a-f])/;

/** JSON for a column of `jsonb`; what can't be stored is U+FFFD. */
export function storableJson(json: readonly object[]): string {
  const text = JSON.stringify(json);
  // Nearly all are as they should be.
  return holdsUnstorable.test(text) ? JSON.stringify(cut(json as unknown as Json, whole, whole)) : text;
}

type Json = null | boolean | number | string | readonly Json[] | { readonly [name: string]: Json };

/** A text cut to a length, which is told. */
export const cutText = (text: string, length: number): string =>
  text.length > length ? `${text.slice(0, length)}… (${text.length} characters)` : text;

const whole = Number.POSITIVE_INFINITY;

/** The same with every text cut to a length, every list to a number of parts, and what can't be stored replaced by U+FFFD. */
function cut(json: Json, length: number, parts: number): Json {
  if (typeof json === "string") return cutText(json, length).replaceAll(unstorable, "\uFFFD");
  if (Array.isArray(json)) return json.slice(0, parts).map((each) => cut(each as Json, length, parts));
  if (typeof json !== "object" || json === null) return json;
  return Object.fromEntries(
    Object.entries(json as { readonly [name: string]: Json }).map(([name, value]) => [
      name.replaceAll(unstorable, "\uFFFD").slice(0, 200),
      cut(value, length, parts),
    ]),
  );
}

/**
 * A recorded request as it can be kept as JSON text: whatever was sent, and never larger than {@link mostRecorded}.
 *
 * @param text the request as JSON, where that is known
 */
export function fitting(recorded: RecordedRequest, text = JSON.stringify(recorded)): RecordedRequest {
  if (text.length <= mostRecorded) return recorded;
  const json = recorded as unknown as Json;
  for (const [length, parts] of [
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
