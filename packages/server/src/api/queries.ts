import { keyShape } from "@loyal-quill/core";
import * as v from "valibot";
import { isPlain } from "../edge.js";

/* What stands in the query of an address. What does not fit is as if it were not there: a link may be older than what it leads to. */

const member = <Schema extends v.GenericSchema<unknown, unknown>>(schema: Schema) =>
  v.fallback(v.optional(schema), undefined);

/** A text that is not empty; what is longer is cut off. */
export const textOf = (longest = 300) =>
  member(
    v.pipe(
      v.unknown(),
      v.string(),
      v.nonEmpty(),
      v.check(isPlain),
      // No half of a character is left at its end.
      v.transform((text) => text.slice(0, longest).replace(/[\uD800-\uDBFF]$/, "")),
    ),
  );

/** A text of this form, as a whole. */
export const formOf = (form: RegExp) => member(v.pipe(v.unknown(), v.string(), v.regex(form)));

/** The number of an entry or a request, as it stands in a `bigint`. */
export const entryNumber = formOf(/^\d{1,18}$/);

/** A number from nought on. */
export const number = member(v.pipe(v.unknown(), v.string(), v.regex(/^\d{1,9}(\.\d+)?$/), v.transform(Number)));

/** A moment in any form that JavaScript reads, as ISO 8601. */
export const moment = member(
  v.pipe(
    v.unknown(),
    v.string(),
    v.maxLength(40),
    v.transform(Date.parse),
    v.number(),
    v.transform((at) => new Date(at).toISOString()),
  ),
);

/** A record's key as JSON, by its columns. */
export const key = member(
  v.pipe(
    v.unknown(),
    v.string(),
    v.maxLength(4000),
    v.parseJson(),
    keyShape,
    v.check((columns) => Object.values(columns).every(isPlain)),
  ),
);

/** A text that may stand there more than once. */
export const texts = v.fallback(
  v.pipe(
    v.unknown(),
    v.transform((given) => [given].flat()),
    v.array(v.pipe(v.string(), v.nonEmpty(), v.check(isPlain))),
  ),
  [],
);

/** Reads a query by the names that it may have; others are nothing. */
export const reading = <Entries extends v.ObjectEntries>(entries: Entries) => {
  const schema = v.object(entries);
  return (query: unknown) => v.parse(schema, query);
};
