import * as v from "valibot";

/** A text that PostgreSQL can store: no NUL character (PostgreSQL documentation, 8.3). */
export const plain = v.pipe(
  v.string(),
  v.check((given) => !given.includes("\0"), "must not hold a NUL character"),
);
