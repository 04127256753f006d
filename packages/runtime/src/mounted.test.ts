import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { bodyOf, Client, formOf, until } from "@loyal-quill/testing";
import express, { type ErrorRequestHandler, type RequestHandler } from "express";
import express4 from "express4";
import { createPages, type Pages, type PagesOptions } from "./index.js";
import { ownFrame, type Served, serveIn } from "./testing/served.js";
import { demoPages, makeTrips, type Trips, tamsin } from "./testing/trips.js";

const versions = [
  ["5", express],
  ["4", express4 as unknown as typeof express],
] as const;

/** What applications read bodies with before the pages do. */
const readers: readonly (readonly [string, (make: typeof express) => readonly RequestHandler[]])[] = [
  ["nothing", () => []],
  ["a parser of JSON alone", (make) => [make.json()]],
  ["parsers of JSON and forms", (make) => [make.json(), make.urlencoded({ extended: true })]],
  ["a reader of texts", (make) => [make.text({ type: ["application/x-www-form-urlencoded", "application/*+json"] })]],
  ["a reader of bytes", (make) => [make.raw({ type: ["application/x-www-form-urlencoded", "application/*+json"] })]],
];

describe.each(versions)("in an application on Express %s", (version, make) => {
  let trips: Trips;
  let pages: Pages;
  let served: Served;
  let client: Client;
  let signedIn = true;

  /** An application of somebody's own: parses every body itself, and has other things to serve. */
  beforeAll(async () => {
    trips = await makeTrips();
    pages = await createPages({
      database: trips.database,
      pages: demoPages,
      signingKey: "a key for tests, thirty-two bytes long",
      actor: () => (signedIn ? tamsin : null),
      signIn: "/own/sign-in",
      session: () => "one",
      frame: ownFrame,
    });
    served = await serveIn(make(), pages, "/records", make.urlencoded({ extended: false }));
    served.app.post("/other", (request, response) => void response.json(request.body));
    client = new Client(served.origin);
  });
  afterAll(async () => {
    await served.stop();
    await trips.close();
  });

  /** Another application of theirs, with what its developer is told. */
  async function another(options: Partial<PagesOptions>, ...before: readonly RequestHandler[]) {
    const errors: string[] = [];
    const opened = await createPages({
      database: trips.database,
      pages: demoPages,
      signingKey: "a key for tests, thirty-two bytes long",
      actor: () => tamsin,
      onError: (error) => void errors.push((error as Error).message),
      ...options,
    });
    const own = await serveIn(make(), opened, "/records", ...before);
    return { errors, opened, own, theirs: new Client(own.origin) };
  }

  test("is of that version", () => {
    // Express 5 has no deprecated `app.del` any more.
    expect("del" in served.app).toBe(version === "4");
  });

  describe.each(readers)("that reads bodies with %s", (_, before) => {
    test("forms, forms with files and JSON come through", async () => {
      const { errors, theirs, own } = await another({}, ...before(make));
      const address = "/records/stations/MV-014/edit";
      const form = formOf((await theirs.get(address)).text);
      const notes = `${version}, ${Math.random()}`;
      expect((await theirs.post(address, bodyOf(form, { notes }))).status).toBe(303);
      expect(await trips.one("SELECT notes FROM network.station WHERE code = 'MV-014'")).toEqual({ notes });

      const { id } = await trips.one<{ id: string }>("SELECT id::text FROM field.visit LIMIT 1");
      const visit = formOf((await theirs.get(`/records/visits/${id}/edit`)).text);
      const sent = new FormData();
      for (const [name, value] of visit) sent.append(name, name === "findings" ? notes : value);
      const file = await theirs.send(`/records/visits/${id}/edit`, { method: "POST", body: sent });
      expect(file.status).toBe(303);
      expect(await trips.one("SELECT findings FROM field.visit WHERE id = $1", [id])).toEqual({ findings: notes });

      const asked = { accept: "application/json", "content-type": "application/merge-patch+json" };
      const etag = (await theirs.send("/records/stations/MV-014", { headers: asked })).headers.get("etag") ?? "";
      const patched = await theirs.send("/records/stations/MV-014", {
        method: "PATCH",
        body: JSON.stringify({ notes: "by JSON" }),
        headers: { ...asked, "if-match": etag },
      });
      await own.stop();
      expect(patched.status).toBe(200);
      expect(errors).toEqual([]);
    });
  });

  test("whose own code has read a form's files already, its developer is told", async () => {
    const { errors, theirs, own } = await another({}, (request, _response, next) => {
      request.body = {};
      request.resume().once("end", next);
    });
    const sent = new FormData();
    sent.append("findings", "read by somebody else");
    const { id } = await trips.one<{ id: string }>("SELECT id::text FROM field.visit LIMIT 1");
    const { status } = await theirs.send(`/records/visits/${id}/edit`, { method: "POST", body: sent });
    await own.stop();
    expect(status).toBe(415);
    expect(errors).toEqual([expect.stringContaining("Mount the pages before")]);
  });

  test("whose listeners throw, or reject later, everything goes on, and its developer is told", async () => {
    const heard: string[] = [];
    const { errors, theirs, own, opened } = await another({
      onRequest: async ({ operation }) => {
        heard.push(operation);
        throw new Error("rejected");
      },
      onLoad: () => {
        throw new Error("thrown");
      },
    });
    const end = opened.listen({
      onRequest: () => {
        throw new Error("thrown by another");
      },
    });
    expect((await theirs.get("/records/stations/MV-014/edit")).status).toBe(200);
    await opened.reload();
    await until(async () => errors.length === 3);
    end();
    await own.stop();
    expect(heard).toEqual(["open"]);
    expect(errors.sort()).toEqual(["rejected", "thrown", "thrown by another"]);
  });

  test.each<[string, Partial<PagesOptions>, RegExp]>([
    ["session is nothing for somebody who is signed in", { session: () => undefined as never }, /session .* undefined/],
    ["session answers later", { session: (async () => "one") as never }, /session .* with a promise/],
    ["frame answers later", { frame: (async () => ({})) as never }, /frame .* with a promise/],
    ["byToken answers later", { byToken: (async () => false) as never }, /byToken .* with a promise/],
  ])("whose %s: its developer is told, and nothing is taken for less than was asked for", async (_, wrong, said) => {
    const { errors, theirs, own } = await another(wrong);
    own.app.use(((error: Error, _request, response, _next) => {
      errors.push(error.message);
      response.status(500).send("went wrong");
    }) satisfies ErrorRequestHandler);
    const json = { "content-type": "application/merge-patch+json", "sec-fetch-site": "cross-site" };
    const sent = { method: "PATCH", body: "{}", headers: json };
    expect((await theirs.send("/records/stations/MV-014", sent)).status).toBe(500);
    expect((await theirs.get("/records/stations/MV-014/edit")).status).toBe("byToken" in wrong ? 200 : 500);
    await own.stop();
    expect(errors.length).toBeGreaterThan(0);
    for (const error of errors) expect(error).toMatch(said);
  });

  test.each<[string, (failing: <Value>(value: Value) => Value) => Partial<PagesOptions>]>([
    ["actor", (failing) => ({ actor: () => failing(tamsin) })],
    ["session", (failing) => ({ session: () => failing("one") })],
    ["frame", (failing) => ({ frame: (request, actor) => failing(ownFrame(request, actor)) })],
  ])("whose %s fails while a form is sent: what was typed is left for its error handler", async (_, wrong) => {
    let isFailing = false;
    const { theirs, own } = await another(
      wrong((value) => {
        if (isFailing) throw new Error("The sessions are away.");
        return value;
      }),
    );
    own.app.use(((error: Error, request, response, _next) => {
      response.status(503).send(`${error.message} Typed: ${new URLSearchParams(String(request.body)).get("notes")}`);
    }) satisfies ErrorRequestHandler);
    const address = "/records/stations/MV-014/edit";
    const sent = bodyOf(formOf((await theirs.get(address)).text), { notes: "Typed & kept" });
    isFailing = true;
    const { status, text } = await theirs.post(address, sent);
    await own.stop();
    expect([status, text]).toEqual([503, "The sessions are away. Typed: Typed & kept"]);
  });

  test("that has steps or a template for a page that there is not, its developer is told, once", async () => {
    const { errors, own, opened } = await another({
      steps: { statoin: { check: () => {} } },
      forms: { sensors: () => "" },
    });
    await opened.reload();
    await own.stop();
    expect(errors.sort()).toEqual([
      'the form of sensors: there is no sensors.page.yaml, so nothing uses it. Did you mean "sensor"?',
      'the steps of statoin: there is no statoin.page.yaml, so nothing uses it. Did you mean "station"?',
    ]);
  });

  test("behind a proxy that gives its host another name, JSON is taken where the proxy is trusted, and only there", async () => {
    const { own, theirs } = await another({});
    const headers = {
      ...{ "content-type": "application/merge-patch+json", accept: "application/json" },
      ...{ origin: "http://records.example", "x-forwarded-host": "records.example" },
    };
    const change = async (): Promise<number> => {
      const etag = (await theirs.send("/records/stations/MV-014", { headers })).headers.get("etag") ?? "";
      const body = JSON.stringify({ notes: `by a proxy, ${Math.random()}` });
      const sent = { method: "PATCH", body, headers: { ...headers, "if-match": etag } };
      return (await theirs.send("/records/stations/MV-014", sent)).status;
    };
    expect(await change()).toBe(403);
    own.app.set("trust proxy", "loopback");
    expect(await change()).toBe(200);
    await own.stop();
  });

  describe("pages mounted in an application of somebody's own", () => {
    test("keep a form on the answer when nobody is signed in any more, whatever its sign-in knows of them", async () => {
      const address = "/records/stations/MV-013/edit";
      const form = formOf((await client.get(address)).text);
      const body = bodyOf(form, { notes: "typed & kept" });
      signedIn = false;
      const refused = await client.post(address, body);
      expect(refused.status).toBe(401);
      expect(refused.text).toContain(`<form method="post" action="${address}">`);
      expect(refused.text).toContain('<input type="hidden" name="notes" value="typed &amp; kept">');
      expect(refused.text).toContain(
        '<a href="/own/sign-in?next=%2Frecords%2Fstations%2FMV-013%2Fedit" target="_blank"',
      );
      signedIn = true;
      expect((await client.post(address, body)).status).toBe(303);
    });

    test("open and save below their mount, though the application has read the body already", async () => {
      const opened = await client.get("/records/stations/MV-014/edit");
      expect(opened.text).toContain('action="/records/stations/MV-014/edit"');
      const saved = await client.post(
        "/records/stations/MV-014/edit",
        bodyOf(formOf(opened.text), { name: "Otter & Weir + 100 %", notes: "two\r\nlines" }),
      );
      expect([saved.status, saved.headers.get("location")]).toEqual([303, "/records/stations"]);
      expect(await trips.one("SELECT name, notes FROM network.station WHERE code = 'MV-014'")).toEqual({
        name: "Otter & Weir + 100 %",
        notes: "two\nlines",
      });
    });

    test("bring their style sheet and their script, and leave everything else to the application", async () => {
      const page = (await client.get("/records/visits/new")).text;
      for (const [, address = ""] of page.matchAll(/(?:href|src)="(\/records\/quill-[^"]+)"/g)) {
        const file = await client.get(address);
        expect([file.status, file.headers.get("x-content-type-options")]).toEqual([200, "nosniff"]);
      }
      expect([...page.matchAll(/\/records\/quill-[0-9a-f]+\.(css|js)/g)]).toHaveLength(2);
      expect((await client.post("/other", "a=1&b=2")).text).toBe('{"a":"1","b":"2"}');
      expect((await client.get("/records/nothing")).status).toBe(404);
    });

    test("refuse what is no form, and what is too large", async () => {
      const send = (body: string, type: string) =>
        client.send("/records/stations/MV-014/edit", { method: "POST", body, headers: { "content-type": type } });
      // JSON is spoken here, but not by forms: a change of a record must say which version it is of.
      expect((await send("{}", "application/json")).status).toBe(428);
      expect((await send("a=1", "text/plain")).status).toBe(415);
    });
  });
});
