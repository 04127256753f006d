import { defineConfig } from "@playwright/test";
import tested from "../playwright.config.js";

/** As the tests are run, with what `npm run test:walk` says (scripts/walk.mjs): each walk in a browser of its own, as many minutes as were asked for. */
export default defineConfig({
  ...tested,
  testDir: ".",
  outputDir: "../../.build/walk",
  testMatch: "*.spec.ts",
  fullyParallel: true,
  retries: 0,
  timeout: (Number(process.env.QUILL_WALK_MINUTES ?? 1) + 3) * 60_000,
  reporter: [["list"]],
  projects: [{ name: "walk", use: tested.projects?.[0]?.use ?? {} }],
});
