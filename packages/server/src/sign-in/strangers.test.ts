import { afterAll, beforeAll, expect, test } from "@jest/globals";
import { bodyOf, Client, formOf } from "@loyal-quill/testing";
import { startWorkbench, type TestWorkbench } from "../testing/workbench.js";

/** Whoever tries many passwords waits for themselves: who is signed in does not wait behind them. */

let bench: TestWorkbench;
beforeAll(async () => {
  bench = await startWorkbench();
});
afterAll(() => bench.close());

test("150 wrong sign-ins at once, and a list is answered before most of them", async () => {
  const { client } = await bench.signIn("hollis");
  expect((await client.get("/stations")).status).toBe(200);
  const strangers = await Promise.all(
    Array.from({ length: 150 }, async (_, index) => {
      const stranger = new Client(bench.base);
      const form = formOf((await stranger.get("/sign-in")).text);
      const tried = { email: `nobody-${index}@marrow-vale.example`, password: "not the one it is" };
      return { stranger, body: bodyOf(form, tried) };
    }),
  );
  const answered: number[] = [];
  const all = strangers.map(async ({ stranger, body }) => {
    const { status } = await stranger.post("/sign-in", body);
    answered.push(status);
  });
  // All of them are on their way.
  await new Promise((resolve) => setImmediate(resolve));
  const before: number[] = [];
  for (let turn = 0; turn < 3; turn++) {
    expect((await client.get("/stations")).status).toBe(200);
    before.push(answered.filter((status) => status === 422).length);
  }
  await Promise.all(all);
  // Fifty of one address are hashed, one after the other; the rest is refused.
  expect([answered.filter((status) => status === 422).length, answered.length]).toEqual([50, 150]);
  expect(before.every((count) => count < 25)).toBe(true);
});
