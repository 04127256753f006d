import { Worker } from "node:worker_threads";
import { expect, test } from "@jest/globals";
import { until } from "@loyal-quill/testing";
import { newClock, reading } from "./job-clock.js";

/** A thread that begins a job, waits until it is told to, and then computes until it is ended. */
const job = `
  const { workerData } = require("node:worker_threads");
  import(workerData.module).then(({ begin }) => {
    begin(workerData.clock);
    Atomics.wait(workerData.go, 0, 0);
    for (;;);
  });
`;

test("a job's clock counts what its thread computes, and not how long it has to wait for a processor", async () => {
  const [clock, go] = [newClock(), new Int32Array(new SharedArrayBuffer(4))];
  const taken = reading(clock);
  expect(taken()).toBe(null);
  const module = new URL("../../dist/drafts/job-clock.js", import.meta.url).href;
  const thread = new Worker(job, { eval: true, workerData: { module, clock, go } });
  try {
    await until(() => taken() !== null);
    const begun = performance.now();
    await until(() => performance.now() - begun > 1500);
    expect(taken()).toBeLessThan(500);
    Atomics.store(go, 0, 1);
    Atomics.notify(go, 0);
    await until(() => (taken() ?? 0) > 1000);
  } finally {
    await thread.terminate();
  }
});
