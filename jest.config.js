const shared = {
  extensionsToTreatAsEsm: [".ts"],
  transform: {
    "^.+\\.ts$": [
      "@swc/jest",
      { jsc: { parser: { syntax: "typescript" }, target: "es2022" }, module: { type: "es6" } },
    ],
  },
  moduleNameMapper: { "^(\\.{1,2}/.*)(?<!\\.json)\\.js$": "$1" },
  setupFilesAfterEnv: ["<rootDir>/testing/jest-setup.js"],
  testEnvironment: "node",
  testEnvironmentOptions: { customExportConditions: ["quill-source", "node", "node-addons"] },
  modulePathIgnorePatterns: ["/dist/"],
};

/** Two kinds of unit test: `core` (with what the workbench computes) needs nothing, `database` starts a PostgreSQL of its own on loopback. */
export default {
  testSequencer: "<rootDir>/testing/longest-first.js",
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
