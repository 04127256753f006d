import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { bodyOf, formOf, until } from "@loyal-quill/testing";
import { startWorkbench, type TestWorkbench } from "./testing/workbench.js";

let workbench: TestWorkbench;
beforeAll(async () => {
  workbench = await startWorkbench();
});
afterAll(() => workbench.close());

const measured = (): Promise<string> => workbench.application.metrics.metrics();
const figureOf = (text: string, name: string): number =>
  Number(
    text
      .split("\n")
      .find((line) => line.startsWith(name))
      ?.split(" ")
      .at(-1) ?? Number.NaN,
  );

describe("measurements", () => {
  test("count requests by page, operation and outcome, what stopped them, statements and connections; and tell of nobody", async () => {
    const { client } = await workbench.signIn("hollis");
    const address = "/stations/MV-014/edit";
    const form = formOf((await client.get(address)).text);
    const old = formOf((await client.get(address)).text);
    expect((await client.post(address, bodyOf(form, { notes: "Ada's secret" }))).status).toBe(303);
    expect((await client.post(address, bodyOf(old, { notes: "Another secret" }))).status).toBe(409);
    const again = formOf((await client.get(address)).text);
    expect((await client.post(address, bodyOf(again, { warning_m: "nine hundred" }))).status).toBe(422);
    const text = await measured();
    const of = (outcome: string) => `quill_requests_total{page="station",operation="save",outcome="${outcome}"}`;
    expect([of("saved"), of("conflict"), of("invalid")].map((name) => figureOf(text, name))).toEqual([1, 1, 1]);
    expect(figureOf(text, 'quill_conflicts_total{page="station"}')).toBe(1);
    expect(figureOf(text, 'quill_refusals_total{page="station",rule=')).toBe(1);
    expect(figureOf(text, 'quill_stopped_total{page="station",step="check"}')).toBe(1);
    expect(figureOf(text, 'quill_step_seconds_count{step="write"}')).toBeGreaterThanOrEqual(1);
    expect(text).toMatch(/quill_statement_seconds_count\{purpose="[a-z ]+"\} [1-9]/);
    expect(figureOf(text, 'quill_pool_connections{database="",state="idle"}')).toBeGreaterThan(0);
    expect(figureOf(text, "quill_processes")).toBe(1);
    for (const value of ["secret", "hollis", "MV-014", "nine hundred", "marrow-vale.example"])
      expect(text).not.toContain(value);
  });

  test("the process says whether it is there, and whether more requests should come, to any name", async () => {
    const ask = async (path: string) => (await fetch(`${workbench.base}${path}`)).status;
    expect([await ask("/healthz"), await ask("/readyz")]).toEqual([200, 200]);
    workbench.application.leave();
    expect([await ask("/healthz"), await ask("/readyz"), await ask("/sign-in")]).toEqual([200, 503, 200]);
  });

  test("an answer says the number under which it is recorded", async () => {
    const { client } = await workbench.signIn("hollis");
    const { headers } = await client.get("/stations/MV-014/edit");
    const id = headers.get("x-request-id") ?? "";
    await until(async () => (await workbench.application.store.requests.one(id)) !== null);
    expect((await workbench.application.store.requests.one(id))?.path).toBe("/stations/MV-014/edit");
  });
});
