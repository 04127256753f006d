import * as v from "valibot";

/** A text of one line. */
export const line = v.pipe(v.string(), v.trim(), v.minLength(1, "must not be empty"), v.maxLength(500));

/** A condition, or an expression, in CEL. */
export const condition = v.pipe(v.string(), v.minLength(1, "must not be empty"), v.maxLength(2000));

/** A condition, or plainly yes or no. */
export const allowed = v.union([v.boolean(), condition]);

/** Names of columns or fields, one at least. */
export const names = v.pipe(v.array(line), v.minLength(1));
