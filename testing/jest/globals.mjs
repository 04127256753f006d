// `@jest/globals` for tests that Node.js imports: what the test framework gives to the file that runs now. Helpers of tests are imported
// once for many files, so these are live bindings.
export let afterAll;
export let afterEach;
export let beforeAll;
export let beforeEach;
export let describe;
export let expect;
export let test;

export function give(given) {
  ({ afterAll, afterEach, beforeAll, beforeEach, describe, expect, test } = given);
}
