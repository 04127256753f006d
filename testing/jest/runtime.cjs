// How Jest loads tests: Node.js imports them, as it would in service, with TypeScript taken care of by tsx. A process imports each module once for
// all its test files (Jest's own runtime evaluates all of them anew for each file, which was a fifth to a third of the time), and what
// a module remembers outlives a test file as it outlives a request in a server. A test file itself is imported anew each time.
const { register } = require("node:module");
const { pathToFileURL } = require("node:url");
const { default: Runtime } = require("jest-runtime");

let globals;
let files = 0;

async function ready() {
  const { register: typescript } = await import("tsx/esm/api");
  typescript();
  register("./resolve.mjs", pathToFileURL(__filename));
  return import("@jest/globals");
}

module.exports = class PlainRuntime extends Runtime {
  #given;

  setGlobalsForRuntime(given) {
    this.#given = given;
  }

  /** What Jest itself asks for: its test framework, which holds the state of one test file. */
  requireInternalModule(file) {
    delete require.cache[file];
    return require(file);
  }

  unstable_shouldLoadAsEsm() {
    return true;
  }

  async unstable_importModule(file) {
    globals ??= ready();
    (await globals).give(this.#given);
    // Jest's own way of finding lines knows nothing of what tsx has made; Node's does.
    delete Error.prepareStackTrace;
    files += 1;
    await import(`${pathToFileURL(file).href}?${files}`);
  }
};
