import type worker from "./worker.js";

/*
 * What Piscina loads in a thread. It requires its file before it tries to import it, and Node.js 20 may end the whole process where an ES module is
 * required ("IsGraphAsync must be used on an instantiated module", seen once in tests): so it gets a CommonJS module, which imports.
 */
module.exports = async (...given: Parameters<typeof worker>): Promise<unknown> =>
  (await import("./worker.js")).default(...given);
