// `npm test`: sets up what the tests need and runs all of them: type check, lint, Jest on the core, Jest against a real
// PostgreSQL, Playwright against the real application. Its last line counts them all.
import { spawn } from "node:child_process";
import { mkdirSync, readFileSync, rmSync } from "node:fs";
import path from "node:path";
import process from "node:process";
import { failedFiles, failuresOfJest, failuresOfPlaywright } from "./failures.mjs";
import { CannotSetUp, root, setUp } from "./setup.mjs";

const results = path.join(root, ".build/results");

/** Runs a program with its output shown. @returns {Promise<number>} its exit code */
const run = (program, args, environment = {}) =>
  new Promise((resolve) => {
    const child = spawn(program, args, { cwd: root, stdio: "inherit", env: { ...process.env, ...environment } });
    child.on("error", () => resolve(127));
    child.on("close", (code) => resolve(code ?? 1));
  });

/** A check that passes or fails as a whole; what it printed is shown, and its end told again where it failed. */
async function whole(name, program, args) {
  process.stdout.write(`\n== ${name}\n`);
  const child = spawn(program, args, { cwd: root, stdio: ["ignore", "pipe", "pipe"] });
  let printed = "";
  for (const stream of [child.stdout, child.stderr]) {
    stream.on("data", (chunk) => {
      process.stdout.write(chunk);
      printed = (printed + chunk).slice(-2000);
    });
  }
  const code = await new Promise((resolve) => {
    child.on("error", () => resolve(127));
    child.on("close", (exit) => resolve(exit ?? 1));
  });
  process.stdout.write(code === 0 ? `${name}: passed\n` : `${name}: failed\n`);
  return {
    passed: Number(code === 0),
    failed: Number(code !== 0),
    failures: code === 0 ? [] : [`${name}\n${printed}`],
  };
}

/**
 * Tests that count themselves in a file of results; a run that wrote none, or ended badly with none failed, counts as one failed.
 * @returns {Promise<{ passed: number, failed: number, failures: string[] }>} each failure: which test, and how it began to say why
 */
async function counted(name, program, args, environment, count) {
  process.stdout.write(`\n== ${name}\n`);
  const code = await run(program, args, environment);
  let result = { passed: 0, failed: 0, failures: [] };
  try {
    result = count();
  } catch {
    process.stdout.write(`${name}: wrote no results\n`);
  }
  if (result.passed + result.failed === 0 || (code !== 0 && result.failed === 0)) {
    result.failed += 1;
    result.failures.push(`${name} ended with exit code ${code}`);
  }
  return result;
}

const readJson = (name) => JSON.parse(readFileSync(path.join(results, name), "utf8"));

const jest = (project, workers, files = []) => {
  const file = `jest-${project}.json`;
  const args = [
    "node_modules/jest/bin/jest.js",
    "--selectProjects",
    project,
    `--maxWorkers=${workers}`,
    "--json",
    `--outputFile=${path.join(results, file)}`,
    ...(files.length > 0 ? ["--runTestsByPath", ...files] : []),
  ];
  return counted(`Jest, ${project}`, process.execPath, args, {}, () => {
    const read = readJson(file);
    const { numPassedTests, numFailedTests, numFailedTestSuites } = read;
    const failed = Math.max(numFailedTests, numFailedTestSuites);
    return { passed: numPassedTests, failed, failures: failuresOfJest(read), inFailed: failedFiles(read) };
  });
};

/** More files than these don't fail because a machine stood still for a while. */
const mostAgain = 3;

/** A second try for the few files that failed on a shared machine, as browser tests have one: what needed it is told. */
async function jestOnShared(project, workers) {
  const first = await jest(project, workers);
  const { files, passed } = first.inFailed ?? { files: [], passed: 0 };
  if (!process.env.CI || files.length === 0 || files.length > mostAgain) return first;
  const second = await jest(project, 1, files);
  const failed = second.failures.map((each) => each.split("\n", 1)[0]);
  const flaky = first.failures.filter((each) => !failed.includes(each.split("\n", 1)[0]));
  return { ...second, passed: first.passed - passed + second.passed, flaky };
}

const playwright = () =>
  counted(
    "Playwright",
    "npx",
    ["playwright", "test", "--config", "e2e/playwright.config.ts"],
    { PLAYWRIGHT_JSON_OUTPUT_FILE: path.join(results, "playwright.json") },
    () => {
      const read = readJson("playwright.json");
      const { expected, unexpected, flaky } = read.stats;
      const failures = failuresOfPlaywright(read);
      return { passed: expected + flaky, failed: unexpected, failures, flaky: failuresOfPlaywright(read, "flaky") };
    },
  );

rmSync(results, { recursive: true, force: true });
mkdirSync(results, { recursive: true });
try {
  await setUp({ tests: true });
} catch (error) {
  process.stderr.write(`${error instanceof CannotSetUp ? error.message : error.stack}\n`);
  process.stdout.write("0 passed, 1 failed\n");
  process.exit(1);
}
const all = [
  await whole("Type check", "npx", ["tsc", "-b"]),
  await whole("Lint", "npx", ["biome", "check", "."]),
  await whole("Arrows", process.execPath, ["scripts/check-arrows.mjs"]),
  await whole("Exports", process.execPath, ["scripts/check-exports.mjs"]),
  await whole("Packages", process.execPath, ["scripts/check-packages.mjs"]),
  await jestOnShared("core", 2),
  // Some of them wait for PostgreSQL, or for a time limit, while the others compute.
  await jestOnShared("database", 3),
  await playwright(),
];
// Said once more at the end: a long log is often kept, or shown, by its last lines only.
for (const each of all.flatMap(({ flaky = [] }) => flaky))
  process.stdout.write(`\nPassed at the second try only: ${each}\n`);
for (const each of all.flatMap(({ failures }) => failures)) process.stdout.write(`\nFailed: ${each}\n`);
const sum = (name) => all.reduce((total, each) => total + each[name], 0);
process.stdout.write(`\n${sum("passed")} passed, ${sum("failed")} failed\n`);
process.exitCode = sum("failed") > 0 ? 1 : 0;
