import { afterAll, beforeAll, beforeEach, describe, expect, test } from "@jest/globals";
import type { RecordedRequest } from "@loyal-quill/core";
import { bodyOf, Client, formOf, until } from "@loyal-quill/testing";
import { createPages } from "../index.js";
import { type Served, serve } from "../testing/served.js";
import { makeTrips, type Trips, tamsin } from "../testing/trips.js";

/** What is told of requests: every one that was meant for a page, and what really came. */

let trips: Trips;
let served: Served;
let client: Client;
const recorded: RecordedRequest[] = [];
const urlencoded = { "content-type": "application/x-www-form-urlencoded" };

beforeAll(async () => {
  trips = await makeTrips({
    sql: [
      "CREATE SCHEMA sea",
      "CREATE TABLE sea.buoy (id integer PRIMARY KEY, title text, depth_m numeric, deep boolean, kind text CHECK (kind IN ('can', 'cone')))",
      "INSERT INTO sea.buoy VALUES (1, 'North', 12, true, 'can'), (2, 'South', 8, false, NULL)",
      "GRANT USAGE ON SCHEMA sea TO quill_pages",
      "GRANT SELECT, INSERT, UPDATE ON sea.buoy TO quill_pages",
      "ANALYZE sea.buoy",
    ],
    files: {
      buoy: `format: loyal-quill/page@1
title: Buoy {id}
plural: Buoys
path: /buoys/{id}
record: { table: sea.buoy, key: id }
access: { open: "true" }
list: { columns: [id, title], edit: [title] }
fields:
  - title: { tidy: [trim] }
  - depth_m
  - deep
  - kind: { control: radio }
names: { title: headline }
`,
    },
  });
  const pages = await createPages({
    database: trips.pool,
    pages: trips.directory,
    signingKey: "a key for tests, thirty-two bytes long",
    actor: (request) => (request.get("x-nobody") ? null : tamsin),
    seals: false,
    onRequest: (request) => recorded.push(request),
  });
  served = await serve(pages);
  served.app.get("/buoys/of-the-host/map", (_, response) => void response.send("the host's own"));
  client = new Client(served.origin);
});
afterAll(async () => {
  await served.stop();
  await trips.close();
});
beforeEach(() => {
  recorded.length = 0;
});

/** What was recorded once an answer has come: the last step of a request is told after it. */
async function told(): Promise<readonly string[]> {
  await until(() => recorded.length > 0);
  return recorded.map(({ operation, outcome, status }) => `${operation} ${outcome} ${status}`);
}

describe("every request that is meant for a page is recorded", () => {
  const form = async (): Promise<string> => bodyOf(formOf((await client.get("/buoys/1/edit")).text));

  test.each<[string, string, RequestInit, number, string]>([
    ["an address with a slash too many keeps its query", "/buoys/?q=north", {}, 308, "open shown 308"],
    ["a record that is not there", "/buoys/77/edit", {}, 404, "open not-found 404"],
    ["an address below a page's with nothing at it", "/buoys/1/edt", {}, 404, "open not-found 404"],
    [
      "another one, sent to",
      "/buoys/1/edt",
      { method: "POST", headers: urlencoded, body: "x=1" },
      404,
      "save not-found 404",
    ],
    ["a method that is none of the address's", "/buoys/1/edit", { method: "PUT" }, 405, "open refused 405"],
    [
      "a body of another kind",
      "/buoys/1/edit",
      { method: "POST", headers: { "content-type": "text/plain" }, body: "x" },
      415,
      "save refused 415",
    ],
    [
      "a body that is too large",
      "/buoys/1/edit",
      { method: "POST", headers: urlencoded, body: `title=${"x".repeat(20_000_000)}` },
      413,
      "save refused 413",
    ],
    [
      "a form without its token",
      "/buoys/1/edit",
      { method: "POST", headers: urlencoded, body: "x=1" },
      403,
      "save refused 403",
    ],
    [
      "a form of somebody who is not signed in",
      "/buoys/1/edit",
      { method: "POST", headers: { ...urlencoded, "x-nobody": "1" }, body: "title=x" },
      401,
      "save refused 401",
    ],
    [
      "JSON that is none",
      "/buoys/1",
      { method: "PATCH", headers: { "content-type": "application/json" }, body: "{" },
      400,
      "save refused 400",
    ],
    [
      "JSON from another site",
      "/buoys/1",
      { method: "PATCH", headers: { "content-type": "application/json", "sec-fetch-site": "cross-site" }, body: "{}" },
      403,
      "save refused 403",
    ],
    ["a key that can't be one", "/buoys/%E0%A4%A/edit", {}, 400, "open refused 400"],
  ])("%s", async (_, path, init, status, expected) => {
    const answer = await client.send(path, init);
    expect(answer.status).toBe(status);
    expect(await told()).toEqual([expected]);
    if (status === 308) expect(answer.headers.get("location")).toBe("/buoys?q=north");
  });

  test("a form that is sent to its address with a slash too many is taken", async () => {
    const body = await form();
    recorded.length = 0;
    expect((await client.post("/buoys/1/edit/", body)).status).toBe(303);
    expect(await told()).toEqual(["save unchanged 303"]);
  });

  test("and what is the host's own there is not", async () => {
    expect((await client.get("/buoys/of-the-host/map")).text).toBe("the host's own");
    await new Promise((resolve) => setTimeout(resolve, 50));
    expect(recorded).toEqual([]);
  });
});

describe("what came is told as it came", () => {
  const read = async () => {
    await told();
    const step = recorded.at(-1)?.steps.find((each) => each.step === "read");
    const values = Object.fromEntries(
      (step?.values ?? []).map(({ row, name, sent, note, became }) => [
        row === undefined ? name : `${row}: ${name}`,
        [sent ?? null, note, ...(became === undefined ? [] : [became])],
      ]),
    );
    return { values, noticed: step?.noticed ?? [], outcome: recorded.at(-1)?.outcome };
  };
  const send = async (path: string, edits: Record<string, string | null>) => {
    const body = bodyOf(formOf((await client.get(path)).text), edits);
    recorded.length = 0;
    return client.post(path, body);
  };

  test("under the name of its control, before it was tidied, and with what nobody expected", async () => {
    await send("/buoys/1/edit", { headline: "  Far north ", title: "a stray of the column's name" });
    expect(await read()).toEqual({
      values: {
        title: ["a stray of the column's name", "not on the form: ignored"],
        depth_m: ["12", "untouched"],
        deep: ["true", "untouched"],
        kind: ["can", "untouched"],
      },
      noticed: ['"title" came and is no control of this form, so it is not taken.'],
      outcome: "saved",
    });
    const step = recorded.at(-1)?.steps.find((each) => each.step === "read");
    expect(step?.values.filter(({ name }) => name === "title").map(({ sent }) => sent)).toEqual([
      "  Far north ",
      "a stray of the column's name",
    ]);
  });

  test("also that a control did not come, or came under a name that nobody expects", async () => {
    const answer = await send("/buoys/1/edit", { depth_m: null, depthM: "13", headline: null });
    expect(answer.status).toBe(303);
    expect(await read()).toMatchObject({
      values: {
        title: [null, "did not come"],
        depth_m: [null, "did not come"],
        depthM: ["13", "not on the form: ignored"],
      },
      noticed: [
        'The control "headline" was on the form and did not come, so its field is left as it is.',
        'The control "depth_m" was on the form and did not come, so its field is left as it is.',
        '"depthM" came and is no control of this form, so it is not taken. Did you mean "depth_m"?',
      ],
      outcome: "unchanged",
    });
  });

  test("a box that is not ticked and radio buttons of which none was chosen send nothing, which is as it should be", async () => {
    await send("/buoys/2/edit", { headline: "Far south" });
    expect((await read()).noticed).toEqual([]);
  });

  test("in rows by the record", async () => {
    await send("/buoys", { "r0:headline": "In its place", "quill.row": "0" });
    expect((await read()).values).toEqual({ "1: title": ["In its place", "touched", "In its place"] });
  });
});
