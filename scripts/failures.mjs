// What failed in the results of a run of tests, told once more at its end (scripts/test.mjs).
import path from "node:path";
import { stripVTControlCharacters } from "node:util";
import { root } from "./setup.mjs";

/** A failure's first lines, without colours and without what called the test: enough to tell what it was from the end of a log. */
const failure = (where, message) => {
  const lines = stripVTControlCharacters(message).split("\n");
  return [where, ...lines.filter((line) => !/^\s+at .*node_modules/.test(line)).slice(0, 20)].join("\n  ");
};

/** What failed in a file of Jest's results: its tests, or the whole file where it could not be run. */
export const failuresOfJest = ({ testResults }) =>
  testResults.flatMap(({ name, status, message, assertionResults }) => {
    const file = path.relative(root, name);
    const failed = assertionResults.filter((each) => each.status === "failed");
    if (failed.length === 0) return status === "failed" ? [failure(file, message)] : [];
    return failed.map((each) => failure(`${file} › ${each.fullName}`, each.failureMessages.join("\n")));
  });

/** The files of Jest's results in which something failed, and how many of their tests passed. */
export const failedFiles = ({ testResults }) => {
  const failed = testResults.filter(({ status }) => status === "failed");
  const passed = failed.flatMap((each) => each.assertionResults).filter(({ status }) => status === "passed");
  return { files: failed.map(({ name }) => name), passed: passed.length };
};

/**
 * What failed in Playwright's results, in the order of its files.
 * @param {"unexpected" | "flaky"} kind what failed to the end, or what failed before it passed
 */
export const failuresOfPlaywright = ({ suites = [], specs = [] }, kind = "unexpected") => [
  ...specs.flatMap(({ file, title, tests }) =>
    tests
      .filter(({ status }) => status === kind)
      .map(({ projectName, results: tries }) => {
        const error = tries.findLast((each) => each.error)?.error;
        return failure(`${file} › ${title} (${projectName})`, error?.message ?? "It was not run to its end.");
      }),
  ),
  ...suites.flatMap((suite) => failuresOfPlaywright(suite, kind)),
];
