import { patience } from "@loyal-quill/testing";
import { defineConfig, devices } from "@playwright/test";

/** Debian's Chromium, with nothing that would ask the network. */
const chromium = {
  ...devices["Desktop Chrome"],
  viewport: { width: 1280, height: 800 },
  locale: "en-GB",
  launchOptions: {
    executablePath: "/usr/bin/chromium-headless-shell",
    args: [
      "--no-sandbox",
      "--disable-gpu",
      "--disable-quic",
      "--no-first-run",
      "--disable-background-networking",
      "--disable-component-update",
      "--disable-sync",
    ],
  },
};

export default defineConfig({
  testDir: "tests",
  outputDir: "../.build/playwright",
  workers: 2,
  fullyParallel: false,
  forbidOnly: true,
  // A second try on a shared machine; one that needed it is said to have been flaky (scripts/test.mjs).
  retries: process.env.CI ? 1 : 0,
  // On a machine that is busy with other work everything comes, and late.
  timeout: 240_000,
  expect: { timeout: patience },
  reporter: process.env.PLAYWRIGHT_JSON_OUTPUT_FILE ? [["list"], ["json"]] : [["list"]],
  projects: [
    { name: "with scripts", use: chromium },
    // The served pages must do their work without JavaScript; the workbench can't.
    {
      name: "without scripts",
      use: { ...chromium, javaScriptEnabled: false },
      testMatch: /(round-trip|refusals|every-type|names|records|examples|saving|keys|ranges)\.spec\.ts/,
    },
  ],
});
