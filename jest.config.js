const shared = {
  extensionsToTreatAsEsm: [".ts"],
  testEnvironment: "<rootDir>/testing/jest/environment.cjs",
  runtime: "<rootDir>/testing/jest/runtime.cjs",
  transform: {},
  injectGlobals: false,
  modulePathIgnorePatterns: ["/dist/"],
};

/** Two kinds of unit test: `core` (with what the workbench computes) needs nothing, `database` starts a PostgreSQL of its own on loopback. */
export default {
  // Machines are shared and noisy: a test is given up when it hangs, not when it is slow. Speed is measured elsewhere.
  testTimeout: 300_000,
  testSequencer: "<rootDir>/testing/jest/longest-first.js",
  projects: [
    {
      ...shared,
      displayName: "core",
      roots: ["<rootDir>/packages/core", "<rootDir>/packages/authoring", "<rootDir>/packages/workbench/src"],
      testMatch: ["**/*.test.ts"],
    },
    {
      ...shared,
      displayName: "database",
      roots: [
        "<rootDir>/packages/runtime",
        "<rootDir>/packages/server",
        "<rootDir>/packages/cli",
        "<rootDir>/demo",
        "<rootDir>/testing",
      ],
      testMatch: ["**/*.test.ts"],
      globalSetup: "<rootDir>/packages/cli/testing/global-setup.js",
      globalTeardown: "<rootDir>/packages/cli/testing/global-teardown.js",
    },
  ],
};
