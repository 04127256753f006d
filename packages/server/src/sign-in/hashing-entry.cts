import type hashing from "./hashing.js";

/* What Piscina loads in the thread: see `drafts/worker-entry.cts`. */
module.exports = async (...given: Parameters<typeof hashing>): Promise<unknown> =>
  (await import("./hashing.js")).default(...given);
