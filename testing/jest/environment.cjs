// The environment of the tests: Node.js itself and not a context of node:vm, so what is tested sees the globals that it sees in service.
const { ModuleMocker } = require("jest-mock");

module.exports = class PlainEnvironment {
  global = globalThis;
  moduleMocker = new ModuleMocker(globalThis);
  fakeTimers = null;
  fakeTimersModern = null;

  async setup() {}

  async teardown() {}

  exportConditions() {
    return [];
  }

  getVmContext() {
    return {};
  }
};
