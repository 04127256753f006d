import { afterAll, beforeAll, beforeEach, describe, expect, test } from "@jest/globals";
import type { Actor } from "@loyal-quill/core";
import { formOf } from "@loyal-quill/testing";
import { createConfig, lintFromString } from "@redocly/openapi-core";
import { Ajv2020 } from "ajv/dist/2020.js";
import addFormats from "ajv-formats";
import { createPages, type Pages } from "./index.js";
import { ownFrame, type Served, serve } from "./testing/served.js";
import { dara, demoPages, hollis, makeTrips, type Trips, tamsin } from "./testing/trips.js";

let trips: Trips;
let pages: Pages;
let served: Served;
let origin = "";
let actor: Actor | null = tamsin;

beforeAll(async () => {
  trips = await makeTrips();
  pages = await createPages({
    database: trips.database,
    pages: demoPages,
    signingKey: "a key for tests, thirty-two bytes long",
    actor: () => actor,
    signIn: "/sign-in",
    session: () => "one",
    frame: ownFrame,
  });
  served = await serve(pages, "/records");
  origin = served.origin;
});
afterAll(async () => {
  await served.stop();
  await trips.close();
});
beforeEach(() => {
  actor = tamsin;
});

interface Sent {
  readonly status: number;
  readonly headers: Headers;
  // biome-ignore lint/suspicious/noExplicitAny: what comes is looked at, not relied on
  readonly json: any;
  readonly text: string;
}

async function ask(method: string, path: string, body?: unknown, headers: Record<string, string> = {}): Promise<Sent> {
  const response = await fetch(`${origin}/records${path}`, {
    method,
    redirect: "manual",
    headers: {
      accept: "application/json",
      ...(body === undefined ? {} : { "content-type": "application/json" }),
      ...headers,
    },
    ...(body === undefined ? {} : { body: typeof body === "string" ? body : JSON.stringify(body) }),
  });
  const text = await response.text();
  return {
    status: response.status,
    headers: response.headers,
    text,
    json: /json/.test(response.headers.get("content-type") ?? "") ? JSON.parse(text) : null,
  };
}

const tag = async (path: string): Promise<string> => (await ask("GET", path)).headers.get("etag") ?? "";
const change = async (path: string, body: unknown, headers: Record<string, string> = {}): Promise<Sent> =>
  ask("PATCH", path, body, { "if-match": await tag(path), ...headers });
const problemOf = ({ status, headers, json }: Sent): unknown => [
  status,
  headers.get("content-type"),
  json.type,
  json.errors,
];

describe("the pages as JSON", () => {
  test("a list has its records with key, address and values, and the addresses of its parts", async () => {
    const { status, headers, json } = await ask("GET", "/visits?is.station_code=MV-014");
    expect([status, headers.get("content-type"), headers.get("vary")]).toEqual([
      200,
      "application/json; charset=utf-8",
      "accept",
    ]);
    expect(json.items.length).toBeGreaterThan(2);
    const [first] = json.items;
    expect(first.address).toBe(`/records/visits/${first.key.id}`);
    expect([first.values.station_code, first.labels.station_code]).toEqual([
      "MV-014",
      expect.stringMatching(/^MV-014, /),
    ]);
    expect(first.values.visited_at).toMatch(/^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(\.\d+)?Z$/);
    const all = await ask("GET", "/visits");
    expect([all.json.items.length, all.json.count, all.json.previous]).toEqual([
      50,
      { number: 400, is: "exactly" },
      null,
    ]);
    const next = await ask("GET", all.json.next.replace("/records", ""));
    expect(next.json.items[0].key).not.toEqual(all.json.items[0].key);
    const back = await ask("GET", next.json.previous.replace("/records", ""));
    expect(back.json.items).toEqual(all.json.items);
    expect(problemOf(await ask("GET", "/stations?from.warning_m=high"))).toEqual([
      400,
      "application/problem+json; charset=utf-8",
      "urn:loyal-quill:problem:query-wrong",
      [{ parameter: "from.warning_m", detail: "Warning level must be a number, like 12.50." }],
    ]);
  });

  test("a record has its values to the digit, what they may be, and a tag", async () => {
    const { json, headers } = await ask("GET", "/stations/MV-014");
    expect(json).toMatchObject({
      address: "/records/stations/MV-014",
      key: { code: "MV-014" },
      editable: true,
      deletable: false,
      values: { code: "MV-014", warning_m: "3.37", telemetry: false, status: "live", river_id: expect.any(Number) },
    });
    expect(json.fields.status).toMatchObject({ title: "Status", enum: ["planned", "live", "suspended", "retired"] });
    expect(json.fields.river_id["x-choices"].length).toBe(12);
    expect(json.fields.code.readOnly).toBe(true);
    expect(headers.get("etag")).toMatch(/^"\d+\.[\w-]{11}"$/);
    const again = await ask("GET", "/stations/MV-014", undefined, { "if-none-match": headers.get("etag") ?? "" });
    expect([again.status, again.text, again.headers.get("etag")]).toEqual([304, "", headers.get("etag")]);
    const head = await fetch(`${origin}/records/stations/MV-014`, {
      method: "HEAD",
      headers: { accept: "application/json" },
    });
    expect([head.status, head.headers.get("etag"), await head.text()]).toEqual([200, headers.get("etag"), ""]);
  });

  test("people get pages from the same addresses", async () => {
    const page = await fetch(`${origin}/records/stations/MV-014`, { headers: { accept: "text/html,*/*;q=0.8" } });
    expect(page.headers.get("content-type")).toBe("text/html; charset=utf-8");
    const any = await fetch(`${origin}/records/stations/MV-014`);
    expect(any.headers.get("content-type")).toBe("text/html; charset=utf-8");
  });

  test("a change is one of the fields that are sent, tied to the tag, and stands in the log as any other", async () => {
    const before = await ask("GET", "/stations/MV-015");
    const changed = await change("/stations/MV-015", { warning_m: 3.6, notes: "by a program", telemetry: false });
    expect(changed.status).toBe(200);
    expect(changed.json.values).toMatchObject({ warning_m: "3.60", notes: "by a program", telemetry: false });
    expect(changed.headers.get("etag")).toBe(await tag("/stations/MV-015"));
    const { fields } = await trips.one<{ fields: { field: string }[] }>(
      "SELECT fields FROM quill_log.change WHERE record_key->>'code' = 'MV-015' ORDER BY id DESC LIMIT 1",
    );
    expect(fields.map(({ field }) => field).sort()).toEqual(["notes", "warning_m"]);
    const stale = await ask(
      "PATCH",
      "/stations/MV-015",
      { notes: null },
      { "if-match": before.headers.get("etag") ?? "" },
    );
    expect(problemOf(stale)).toEqual([
      412,
      "application/problem+json; charset=utf-8",
      "urn:loyal-quill:problem:changed-since",
      undefined,
    ]);
    expect((await ask("PATCH", "/stations/MV-015", { notes: null })).status).toBe(428);
    const any = await ask("PATCH", "/stations/MV-015", { notes: null }, { "if-match": "*", prefer: "return=minimal" });
    expect([any.status, any.text, any.headers.get("preference-applied")]).toEqual([204, "", "return=minimal"]);
    const same = await change("/stations/MV-015", { warning_m: "3.600", notes: null });
    expect([same.status, same.headers.get("etag")]).toEqual([200, await tag("/stations/MV-015")]);
  });

  test("what can't be saved is a problem with a pointer to each member, and nothing is saved", async () => {
    const kept = await tag("/stations/MV-025");
    const refused = await change("/stations/MV-025", {
      name: "",
      warning_m: "high",
      river_id: "999",
      grid_reference: { a: 1 },
      code: "MV-999",
      nothing: 1,
      alert_m: 1234567890.1234567,
    });
    expect([refused.status, refused.headers.get("content-type")]).toEqual([
      422,
      "application/problem+json; charset=utf-8",
    ]);
    expect(refused.json.errors.map(({ pointer }: { pointer: string }) => pointer).sort()).toEqual([
      "/code",
      "/nothing",
    ]);
    const second = await change("/stations/MV-025", {
      name: "",
      warning_m: "high",
      grid_reference: { a: 1 },
      alert_m: 1234567890.1234567,
    });
    expect(second.json.errors.map(({ pointer }: { pointer: string }) => pointer).sort()).toEqual([
      "/alert_m",
      "/grid_reference",
      "/name",
      "/warning_m",
    ]);
    expect((await change("/stations/MV-025", { river_id: 999 })).json.errors).toEqual([
      { pointer: "/river_id", detail: "River names a record that does not exist: choose another." },
    ]);
    expect((await change("/stations/MV-025", { warning_m: "0.01" })).json.errors).toEqual([
      { pointer: "/warning_m", detail: "The warning level must lie above the alert level." },
    ]);
    expect(await tag("/stations/MV-025")).toBe(kept);
  });

  test.each<[string, string, unknown, Record<string, string>, number]>([
    ["PATCH", "/stations/MV-025", "[1]", { "if-match": "*" }, 400],
    ["PATCH", "/stations/MV-025", "{", { "if-match": "*" }, 400],
    ["PATCH", "/stations/MV-025", "null", { "if-match": "*" }, 400],
    ["PATCH", "/stations/MV-025", "a=b", { "if-match": "*", "content-type": "text/plain" }, 415],
    ["PATCH", "/stations/MV-999", {}, { "if-match": "*" }, 404],
    ["PATCH", "/stations/MV-025", {}, { "if-match": "nonsense" }, 412],
    ["PATCH", "/stations/MV-025", { notes: "x" }, { "if-match": "*", "sec-fetch-site": "cross-site" }, 403],
    ["PATCH", "/stations/MV-025", { notes: "x" }, { "if-match": "*", origin: "https://elsewhere.example" }, 403],
    ["PATCH", "/stations/MV-025", { notes: "x" }, { "if-match": "*", origin: "null" }, 403],
    ["DELETE", "/stations/MV-025", undefined, { "if-match": "*", "sec-fetch-site": "same-site" }, 403],
    [
      "PATCH",
      "/stations/MV-025",
      { notes: "x" },
      { "if-match": "*", "sec-fetch-site": "cross-site", authorization: "Basic eDp5" },
      403,
    ],
    ["PUT", "/stations/MV-025", { notes: "x" }, { "if-match": "*" }, 405],
    ["POST", "/stations/MV-025", { notes: "x" }, {}, 405],
    ["PATCH", "/stations", { notes: "x" }, {}, 405],
    ["PATCH", "/stations/MV-025", { notes: "x".repeat(1_100_000) }, { "if-match": "*" }, 413],
    ["GET", "/stations/%FF", undefined, {}, 400],
    ["GET", "/bulletins", undefined, {}, 403],
  ])("%s %s with %.40j is a problem", async (method, path, body, headers, status) => {
    const sent = await ask(method, path, body, headers);
    expect([sent.status, sent.headers.get("content-type"), sent.json.status]).toEqual([
      status,
      "application/problem+json; charset=utf-8",
      status,
    ]);
  });

  test("what an address takes is said by OPTIONS and with 405", async () => {
    const asked = await ask("OPTIONS", "/stations/MV-025");
    expect([asked.status, asked.headers.get("allow")]).toEqual([204, "GET, HEAD, PATCH, DELETE, OPTIONS"]);
    expect((await ask("OPTIONS", "/stations")).headers.get("allow")).toBe("GET, HEAD, POST, OPTIONS");
    const put = await ask("PUT", "/stations/MV-025", {});
    expect(put.json.detail).toContain("A record is changed by PATCH");
    expect((await ask("PUT", "/stations/MV-025", {})).headers.get("allow")).toBe("GET, HEAD, PATCH, DELETE, OPTIONS");
  });

  test("a new record is made with what is sent, and deleted again", async () => {
    const begun = await ask("GET", "/stations/new");
    expect([begun.status, begun.json.values.status]).toEqual([200, "planned"]);
    const sent = {
      code: "MV-777",
      name: "Api Weir",
      river_id: 1,
      region_id: 3,
      grid_reference: "mv 1 2",
      alert_m: "1",
      warning_m: "2",
    };
    const made = await ask("POST", "/stations", sent);
    expect([made.status, made.headers.get("location")]).toEqual([201, "/records/stations/MV-777"]);
    expect(made.json.values).toMatchObject({
      grid_reference: "MV 1 2",
      alert_m: "1.00",
      status: "planned",
      telemetry: false,
    });
    expect((await ask("POST", "/stations", sent)).json.errors).toEqual([
      { pointer: "/code", detail: "Code is already used by another record: enter a different one." },
    ]);
    const missing = await ask("POST", "/stations", { code: "MV-778" });
    expect(missing.json.errors.map(({ pointer }: { pointer: string }) => pointer)).toContain("/name");
    const minimal = await ask(
      "POST",
      "/stations",
      { ...sent, code: "MV-778", grid_reference: "MV 1 3" },
      { prefer: "return=minimal" },
    );
    expect([minimal.status, minimal.text, minimal.headers.get("location")]).toEqual([
      201,
      "",
      "/records/stations/MV-778",
    ]);
    expect((await ask("DELETE", "/stations/MV-777")).status).toBe(428);
    const gone = await ask("DELETE", "/stations/MV-777", undefined, { "if-match": await tag("/stations/MV-777") });
    expect([gone.status, gone.text]).toEqual([204, ""]);
    expect((await ask("GET", "/stations/MV-777")).status).toBe(404);
    expect((await ask("DELETE", "/stations/MV-778", undefined, { "if-match": '"1.x"' })).status).toBe(412);
    // One that is live is not deleted.
    expect((await ask("DELETE", "/stations/MV-014", undefined, { "if-match": "*" })).status).toBe(403);
  });

  test("who may not is told so, in the page's language and without a way to sign in", async () => {
    actor = dara;
    expect(problemOf(await ask("GET", "/stations"))).toEqual([
      403,
      "application/problem+json; charset=utf-8",
      "urn:loyal-quill:problem:may-not-open",
      undefined,
    ]);
    actor = null;
    const nobody = await ask("GET", "/stations");
    expect([nobody.status, nobody.headers.get("www-authenticate")]).toEqual([401, "Bearer"]);
    actor = hollis;
    expect((await ask("GET", "/stations/MV-001")).status).toBe(404);
  });

  test("a reason is sent beside the fields, and changes are read", async () => {
    const sensor = (await ask("GET", "/sensors?is.in_service=true")).json.items[0].address.replace("/records", "");
    const without = await change(sensor, { in_service: false });
    expect(without.json.errors).toEqual([
      { pointer: "/quill.reason", detail: "Say why this is changed: a reason is needed here." },
    ]);
    expect((await change(sensor, { in_service: false, "quill.reason": "Broken" })).status).toBe(200);
    const { json } = await ask("GET", "/stations/MV-015/history");
    expect(json.items[0]).toMatchObject({ by: "Tamsin Okoro", operation: "update" });
  });

  test("a form that a script sends is answered with where it leads, and its line", async () => {
    const form = await trips.open("/stations/MV-018/edit", tamsin);
    const page = await (
      await fetch(`${origin}/records/stations/MV-018/edit`, { headers: { accept: "text/html" } })
    ).text();
    const [, token = ""] = /name="quill.token" value='([^']*)'/.exec(page) ?? [];
    const body = new URLSearchParams([...form]);
    body.set("quill.token", token.replaceAll("&#39;", "'").replaceAll("&amp;", "&"));
    body.set("notes", "by a script");
    const sent = await ask("POST", "/stations/MV-018/edit", body.toString(), {
      "content-type": "application/x-www-form-urlencoded",
    });
    expect(sent.json).toEqual({
      outcome: "saved",
      message: "MV-018, Ferryman's Weir, is saved.",
      location: "/records/stations",
    });
    expect(sent.headers.get("set-cookie")).toContain("quill_said=");
  });
});

describe("a form that a script sends", () => {
  const headers = { "content-type": "application/x-www-form-urlencoded" };
  const pageAt = async (path: string): Promise<string> =>
    (await fetch(`${origin}/records${path}`, { headers: { accept: "text/html" } })).text();
  const formIn = (text: string): URLSearchParams => new URLSearchParams([...formOf(text)]);

  test("gets the token for the next try after a conflict, by which it is written over what was stored meanwhile", async () => {
    const sent = formIn(await pageAt("/stations/MV-019/edit"));
    sent.set("notes", "mine");
    await trips.owner.query("UPDATE network.station SET notes = 'theirs' WHERE code = 'MV-019'");
    const refused = await ask("POST", "/stations/MV-019/edit", sent.toString(), headers);
    expect(refused.status).toBe(409);
    expect(refused.json).toMatchObject({ status: 409, errors: [{ pointer: "/notes", detail: "Stored now: theirs" }] });
    sent.set("quill.token", refused.json["quill.token"]);
    const saved = await ask("POST", "/stations/MV-019/edit", sent.toString(), headers);
    expect(saved.json).toMatchObject({ outcome: "saved", location: "/records/stations" });
  });

  test("may be a row of a list, or all of them: what is wrong has the row's number before it", async () => {
    const sent = formIn(await pageAt("/regions"));
    const [first = ""] = [...sent.keys()].filter((name) => name.endsWith(":name"));
    sent.set(first, "");
    sent.set("quill.together", "");
    const refused = await ask("POST", "/regions", sent.toString(), headers);
    expect([refused.status, refused.json.errors]).toEqual([
      422,
      [{ pointer: `/${first}`, detail: "Name is needed: enter a value." }],
    ]);
    const tokenName = first.replace("name", "quill.token");
    expect(refused.json[tokenName]).toEqual(expect.stringContaining("{"));
    sent.set(first, "Renamed by a script");
    sent.set(tokenName, refused.json[tokenName]);
    const saved = await ask("POST", "/regions", sent.toString(), headers);
    expect(saved.json).toMatchObject({ outcome: "saved", location: "/records/regions" });
  });
});

describe("the description of the pages as an API", () => {
  test("is OpenAPI 3.1 by another's judgement, and has the pages that the person may open", async () => {
    const { json, headers, text } = await ask("GET", "/openapi.json");
    expect(headers.get("content-type")).toBe("application/vnd.oai.openapi+json;version=3.1; charset=utf-8");
    expect(Object.keys(json.paths)).toEqual(
      expect.arrayContaining(["/stations", "/stations/{code}", "/sensors/{station_code}/{channel}"]),
    );
    expect(Object.keys(json.paths)).not.toContain("/bulletins");
    const config = await createConfig({
      rules: {
        struct: "error",
        "no-unresolved-refs": "error",
        "operation-operationId-unique": "error",
        "path-parameters-defined": "error",
        "no-schema-type-mismatch": "error",
      },
    });
    const found = await lintFromString({ source: text, absoluteRef: "openapi.json", config });
    expect(found.map(({ message, location }) => [message, location[0]?.pointer])).toEqual([]);
    actor = null;
    expect((await ask("GET", "/openapi.json")).status).toBe(401);
  });

  test("what is answered is as it says", async () => {
    const { json: description } = await ask("GET", "/openapi.json");
    const ajv = new Ajv2020({ strict: false });
    addFormats.default(ajv);
    ajv.addSchema({ $id: "api", components: description.components });
    const problems: unknown[] = [];
    const check = (name: string, value: unknown): void => {
      const validate = ajv.compile({ $ref: `api#/components/schemas/${name}` });
      if (!validate(value)) problems.push([name, validate.errors?.[0]]);
    };
    for (const [name, path] of [
      ["station", "/stations"],
      ["sensor", "/sensors"],
      ["visit", "/visits"],
      ["calibration", "/calibrations"],
      ["river", "/rivers"],
      ["loan", "/loans"],
    ] as const) {
      const { json } = await ask("GET", path);
      check(`${name}.List`, json);
      for (const { address } of json.items)
        check(`${name}.Record`, (await ask("GET", address.replace("/records", ""))).json);
    }
    check("Problem", (await ask("GET", "/stations/MV-999")).json);
    expect(problems).toEqual([]);
  }, 60_000);
});
