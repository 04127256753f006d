import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { bodyOf, Client, formOf } from "@loyal-quill/testing";
import express from "express";
import express4 from "express4";
import { createPages, databaseOver, type Pages } from "./index.js";
import { ownFrame, type Served, serveIn } from "./testing/served.js";
import { demoPages, makeTrips, type Trips, tamsin } from "./testing/trips.js";

const versions = [
  ["5", express],
  ["4", express4 as unknown as typeof express],
] as const;

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
      database: databaseOver(trips.pool),
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

  test("is of that version", () => {
    // Express 5 has no deprecated `app.del` any more.
    expect("del" in served.app).toBe(version === "4");
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
