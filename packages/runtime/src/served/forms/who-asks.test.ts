import { mkdtemp, rm, writeFile } from "node:fs/promises";
import os from "node:os";
import path from "node:path";
import { afterAll, afterEach, beforeAll, describe, expect, test } from "@jest/globals";
import type { Actor, RecordedRequest } from "@loyal-quill/core";
import { bodyOf, Client, formOf } from "@loyal-quill/testing";
import { createPages, type Pages, type PagesOptions } from "../../index.js";
import { type Served, serve } from "../../testing/served.js";
import { demoPages, hollis, makeTrips, type Trips } from "../../testing/trips.js";

/** What an application says of who asks, and what the pages make of it. */

const [older, newer] = ["an older key for tests, 32 bytes long", "a newer key for tests, 32 bytes long"];

let trips: Trips;
const running: { served: Served; pages: Pages }[] = [];
beforeAll(async () => {
  trips = await makeTrips();
});
afterEach(async () => {
  for (const { served, pages } of running.splice(0)) {
    await served.stop();
    await pages.close();
  }
});
afterAll(() => trips.close());

async function start(more: Partial<PagesOptions>): Promise<{ client: Client; origin: string }> {
  const options = { database: trips.pool, pages: demoPages, signingKey: newer, actor: () => hollis, ...more };
  const pages = await createPages(options);
  const served = await serve(pages, "/records");
  running.push({ served, pages });
  return { client: new Client(served.origin), origin: served.origin };
}

const address = "/records/stations/MV-014/edit";

describe("a session's own identifier", () => {
  const id = "s3ssion.of.hollis";

  test("stands in no form and in no recorded request, and binds the form all the same", async () => {
    const recorded: RecordedRequest[] = [];
    let session = id;
    const { client } = await start({ session: () => session, onRequest: (each) => recorded.push(each) });
    const { text } = await client.get(address);
    expect(text).not.toContain(id);
    const form = formOf(text);
    expect((await client.post(address, bodyOf(form, { notes: "of this session" }))).status).toBe(303);
    expect(JSON.stringify(recorded)).not.toContain(id);
    // Nothing that anybody could make of it without the key.
    const { createHash } = await import("node:crypto");
    const digest = createHash("sha256").update(id);
    const { session: mark } = JSON.parse(form.get("quill.token")?.replace(/^[^.]*\./, "") ?? "{}") as {
      session: string;
    };
    expect(mark).toMatch(/^[\w-]{22}$/);
    expect(digest.digest("base64url")).not.toContain(mark);
    const second = formOf((await client.get(address)).text);
    session = "another";
    const late = await client.post(address, bodyOf(second, { notes: "of the first one" }));
    expect([late.status, late.text.includes("of the first one")]).toEqual([422, true]);
    expect(JSON.stringify(recorded)).not.toContain(id);
  });

  test("binds forms that an older key has signed, too, and those that were made before marks were", async () => {
    const before = await start({ session: () => id, signingKey: older });
    const form = formOf((await before.client.get(address)).text);
    const now = await start({ session: () => id, signingKey: [newer, older] });
    expect((await now.client.post(address, bodyOf(form, { notes: "by an older key" }))).status).toBe(303);
    const foreign = await start({ session: () => "another", signingKey: [newer, older] });
    const again = formOf((await before.client.get(address)).text);
    expect((await foreign.client.post(address, bodyOf(again, { notes: "by another" }))).status).toBe(422);
  });
});

describe("JSON from another site", () => {
  const patch = (origin: string, headers: Record<string, string>) =>
    fetch(`${origin}/records/stations/MV-014`, {
      method: "PATCH",
      headers: { "content-type": "application/json", "if-match": "*", "sec-fetch-site": "cross-site", ...headers },
      body: JSON.stringify({ notes: "from another site" }),
    }).then(({ status }) => status);

  test("is taken where a token alone can have signed it in, whatever headers stand there beside a cookie", async () => {
    const { origin } = await start({});
    expect(await patch(origin, {})).toBe(403);
    expect(await patch(origin, { authorization: "Bearer x", cookie: "session=1" })).toBe(403);
    expect(await patch(origin, { authorization: "Basic eDp5" })).toBe(403);
    expect(await patch(origin, { authorization: "Bearer x" })).toBe(200);
  });

  test("is taken as the application says by what it has signed in", async () => {
    const byCookie = await start({ byToken: () => false });
    expect(await patch(byCookie.origin, { authorization: "Bearer x" })).toBe(403);
    const byToken = await start({ byToken: (request) => request.get("x-api-key") === "k" });
    expect(await patch(byToken.origin, { "x-api-key": "k", cookie: "session=1" })).toBe(200);
  });
});

test("an actor of whom nothing further is known needs no attributes", async () => {
  const { client } = await start({
    actor: () => ({ id: "h", name: "Hollis", roles: ["technician"] }),
  });
  expect((await client.get("/records/stations")).status).toBe(200);
  const narrow = await start({
    actor: () => ({ id: "h", name: "Hollis", roles: ["technician"], pages: ["river"] }),
  });
  expect((await narrow.client.get("/records/stations")).status).toBe(403);
});

test("an actor may be an object of the application's own, with getters over what is private", async () => {
  class Person {
    readonly #roles = ["technician"];
    readonly id = "h";
    readonly name = "Hollis";
    get roles(): readonly string[] {
      return this.#roles;
    }
  }
  const { client } = await start({ actor: () => new Person() });
  expect((await client.get("/records/stations")).status).toBe(200);
});

describe("attributes as the application has them", () => {
  const text = `format: loyal-quill/page@1
title: "Station {code}"
path: /stations/{code}
record: { table: network.station, key: code }
access: { open: "true", rows: row.region_id in actor.regions, edit: "!(row.code in actor.closed)" }
fields: [code, notes]
`;
  let pages: string;
  beforeAll(async () => {
    pages = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-"));
    await writeFile(path.join(pages, "station.page.yaml"), text);
  });
  afterAll(() => rm(pages, { recursive: true }));
  const of = async (attributes: object) => {
    class Person {
      readonly name = "Hollis";
      readonly roles = [];
      readonly attributes = attributes;
      get id(): string {
        return "h";
      }
    }
    return start({ pages, actor: () => new Person() as unknown as Actor });
  };

  test("numbers in a list are regions, whether they are read or written by", async () => {
    const { client } = await of({ regions: [1, 2n], closed: [] });
    const { status, text: shown } = await client.get(address);
    expect([status, (await client.get("/records/stations?quill.search=MV-014")).text.includes("MV-014")]).toEqual([
      200,
      true,
    ]);
    const form = bodyOf(formOf(shown), { notes: "by one of region 2" });
    expect((await client.post(address, form)).status).toBe(303);
    expect((await (await of({ regions: [1], closed: [] })).client.get(address)).status).toBe(404);
  });

  test("what is none is told by its name, and nothing is opened", async () => {
    const { client } = await of({ regions: [2], closed: [{ code: "MV-014" }] });
    const { status, text: told } = await client.get(address);
    expect([status, told.includes("The attribute closed must be a text, a number")]).toEqual([500, true]);
  });
});

describe("an actor that conditions can't be asked about", () => {
  test.each([
    [{ id: "h", name: "Hollis", attributes: {} }, "roles, a list of strings, which may be empty"],
    [{ id: "h", name: "Hollis", roles: "builder", attributes: {} }, "roles, a list of strings, which may be empty"],
    [{ id: 7, name: "Hollis", roles: [], attributes: {} }, "id, a string"],
    [{ id: "h", roles: [], attributes: {} }, "name, a string"],
    [{ id: "h", name: "Hollis", roles: [], attributes: "none" }, "attributes, an object, which may be empty"],
  ])("%j is told at once, by the name of the option", async (actor, without) => {
    const { client } = await start({ actor: () => actor as unknown as Actor });
    for (const path of [address, "/records/", "/records/openapi.json", "/records/stations/~csv"]) {
      const { status, text } = await client.get(path);
      expect([
        path,
        status,
        text.includes(`The option actor of createPages handed in somebody without ${without}.`),
      ]).toEqual([path, 500, true]);
    }
  });
});
