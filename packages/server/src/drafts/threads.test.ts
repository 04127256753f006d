import { execFile } from "node:child_process";
import { fileURLToPath } from "node:url";
import { promisify } from "node:util";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import type { Client } from "@loyal-quill/testing";
import { type Builder, startWorkbench, type TestWorkbench } from "../testing/workbench.js";

/** Drafts that take long to judge: while one does, the pages go on being served. */

let bench: TestWorkbench;
let ines: Builder;
let hollis: Client;
beforeAll(async () => {
  bench = await startWorkbench();
  ines = await bench.builder("ines");
  hollis = (await bench.signIn("hollis")).client;
});
afterAll(() => bench.close());

const head = `format: loyal-quill/page@1
title: "Station {code}"
path: /hogs/{code}
record: { table: network.station, key: code }
fields:
`;
const lines = (count: number, line: (index: number) => string): string =>
  Array.from({ length: count }, (_, index) => line(index)).join("\n");
const labelled = (label: string): string =>
  head + lines(1500, (index) => `  - f${index}: { label: "${label}${index}" }`);
const repeating = (from: number): string => lines(4000, (index) => (index % 97 === from ? "b" : "a"));

const tried = (text: string) => ines.send("POST", "/drafts/hog/trial", { text, key: ["MV-014"] });

/** A change to a draft that stands at another text than it was made to: both are merged. */
async function merged(was: string, mine: string, theirs: string): Promise<{ status: number; said: unknown }> {
  await ines.send("POST", "/drafts", { name: "hog", text: theirs });
  const answer = await ines.send<{ revision: number }>("PUT", "/drafts/hog", { was, text: mine });
  const { revision } = (await ines.send<{ revision: number }>("GET", "/drafts/hog")).said;
  await ines.send("DELETE", "/drafts/hog", { revision });
  return answer;
}

/** How many requests for a list are answered, one after the other, until something is over. */
async function answeredUntil(over: Promise<unknown>): Promise<number> {
  let isOver = false;
  void over.finally(() => {
    isOver = true;
  });
  let answered = 0;
  while (!isOver) {
    expect((await hollis.get("/stations")).status).toBe(200);
    answered += 1;
  }
  return answered;
}

const hogs: readonly (readonly [string, () => Promise<{ status: number; said: unknown }>])[] = [
  [
    "fifteen hundred labels merged three ways",
    () => merged(labelled("a"), labelled("b"), `${labelled("a")}\n  - code`),
  ],
  ["repeating lines merged three ways", () => merged(repeating(1), repeating(2), repeating(3))],
  ["twenty thousand unknown fields", () => tried(head + lines(20_000, (index) => `  - x${index}`))],
  ["twenty thousand names in one map", () => tried(`${head}  - name\n${lines(20_000, (index) => `z${index}: 1`)}`)],
  [
    "forty long patterns",
    () => tried(head + lines(40, () => `  - name: { rules: [{ pattern: "${"(a|b)*c?[d-z]{1,30}".repeat(250)}" }] }`)),
  ],
];

test("the module of a thread can be required at once: one that waits at its top could end the process", async () => {
  const worker = fileURLToPath(new URL("../../dist/drafts/worker.js", import.meta.url));
  const code = `try { require(${JSON.stringify(worker)}); } catch (error) { console.log(error.code ?? error.name); } process.exit();`;
  // Outside of a thread it lacks what a thread is begun with; it is not told to be asynchronous.
  expect((await promisify(execFile)(process.execPath, ["-e", code])).stdout).not.toContain("ASYNC");
});

describe("a draft that takes long", () => {
  test.each(hogs)("%s: others are answered before it is", async (_what, run) => {
    const hog = run();
    const meanwhile = await answeredUntil(hog);
    expect([200, 422, 429]).toContain((await hog).status);
    // In the process's own thread it would have been the first to be answered.
    expect(meanwhile).toBeGreaterThan(0);
  });

  test("its findings are told up to two hundred, and how many others there are", async () => {
    const { said } = await tried(head + lines(5000, (index) => `  - x${index}`));
    const { findings } = (said as { sheet: { findings: { code: string; message: string }[] } }).sheet;
    expect(findings).toHaveLength(201);
    expect(findings.at(-1)).toMatchObject({ code: "further", message: "There are 4,800 more findings like these." });
  });
});
