import { randomFillSync } from "node:crypto";

/** Random bytes are fetched for many requests at once: to ask for a few takes as long as to ask for thousands. */
const pool = Buffer.alloc(4096);
let used = pool.length;

/** So many random bytes in hexadecimal digits. They name things, and keep no secret. */
function randomName(bytes: number): string {
  if (used + bytes > pool.length) {
    randomFillSync(pool);
    used = 0;
  }
  used += bytes;
  return pool.toString("hex", used - bytes, used);
}

/** A place in a trace (W3C Trace Context, 3.2). */
export interface Trace {
  /** 32 hexadecimal digits. */
  readonly id: string;
  /** As it is passed on: the same trace, with this request as the parent of what it leads to. */
  readonly traceparent: string;
}

const form = /^(?!ff)([\da-f]{2})-(?!0{32})([\da-f]{32})-(?!0{16})([\da-f]{16})-([\da-f]{2})(-.*)?$/;

/** The trace that a `traceparent` header names, or a new one where it names none that is valid (3.2.2, 4.3). */
export function traceOf(header: string | undefined): Trace {
  const [, version, known, , flags = "00", more] = form.exec(header?.trim() ?? "") ?? [];
  // Version 00 has nothing behind its flags.
  const isValid = known !== undefined && !(version === "00" && more !== undefined);
  const id = isValid ? known : randomName(16);
  return { id, traceparent: `00-${id}-${randomName(8)}-${isValid ? flags : "00"}` };
}
