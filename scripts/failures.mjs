// What failed in the results of a run of tests, told once more at its end (scripts/test.mjs).
import path from "node:path";
import { stripVTControlCharacters } from "node:util";
import { root } from "./setup.mjs";

/** A failure's first lines, without colours: enough to tell what it was from the end of a log. */
const failure = (where, message) => [where, ...stripVTControlCharacters(message).split("\n").slice(0, 20)].join("\n  ");

/** What failed in a file of Jest's results: its tests, or the whole file where it could not be run. */
export const failuresOfJest = ({ testResults }) =>
  testResults.flatMap(({ name, status, message, assertionResults }) => {
    const file = path.relative(root, name);
    const failed = assertionResults.filter((each) => each.status === "failed");
    if (failed.length === 0) return status === "failed" ? [failure(file, message)] : [];
    return failed.map((each) => failure(`${file} › ${each.fullName}`, each.failureMessages.join("\n")));
  });

/** What failed in Playwright's results, in the order of its files. */
export const failuresOfPlaywright = ({ suites = [], specs = [] }) => [
  ...specs.flatMap(({ file, title, tests }) =>
    tests
      .filter(({ status }) => status === "unexpected")
      .map(({ projectName, results: tries }) =>
        failure(`${file} › ${title} (${projectName})`, tries.at(-1)?.error?.message ?? "It was not run to its end."),
      ),
  ),
  ...suites.flatMap(failuresOfPlaywright),
];
