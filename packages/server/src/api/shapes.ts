import * as v from "valibot";
import { isPlain } from "../edge.js";

/** A text that PostgreSQL can store: no NUL (documentation, 8.3), and no half of a surrogate pair, which is no UTF-8 (RFC 3629, 3). */
export const plain = v.pipe(v.string(), v.check(isPlain, "must not hold a NUL character or half a character"));
