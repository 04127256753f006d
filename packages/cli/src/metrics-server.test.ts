import { request } from "node:http";
import { afterAll, beforeAll, expect, test } from "@jest/globals";
import { freePort } from "./cluster/cluster.js";
import { serveMetrics } from "./metrics-server.js";

let port: number;
let stop: () => Promise<void>;
beforeAll(async () => {
  port = await freePort();
  ({ stop } = await serveMetrics(port, { type: "text/plain", text: async () => "quill_processes 1\n" }));
});
afterAll(() => stop());

const status = (headers: readonly string[], path = "/metrics"): Promise<number> =>
  new Promise((resolve, reject) => {
    const asked = request({ port, host: "127.0.0.1", path, setHost: false, headers: [...headers] }, (response) => {
      response.resume();
      resolve(response.statusCode ?? 0);
    });
    asked.on("error", reject);
    asked.end();
  });

test.each([
  [200, ["Host", "127.0.0.1"]],
  [200, ["Host", "localhost:9464"]],
  [200, ["Host", "[::1]:9464"]],
  [421, ["Host", "measurements.example"]],
  [421, ["Host", "127.0.0.1.example"]],
  [421, ["Host", "10.0.0.7"]],
])("%d for measurements asked as %j", async (wanted, headers) => {
  expect(await status(headers)).toBe(wanted);
});

test("two hosts are none, and elsewhere there is nothing", async () => {
  expect([400, 421]).toContain(await status(["Host", "localhost", "Host", "elsewhere.example"]));
  expect(await status(["Host", "localhost"], "/")).toBe(404);
});
