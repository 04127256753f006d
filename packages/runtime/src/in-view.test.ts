import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { Client, formOf } from "@loyal-quill/testing";
import express from "express";
import express4 from "express4";
import { createPages, type FormInView, html, type Pages } from "./index.js";
import { ownFrame, type Served, serveIn } from "./testing/served.js";
import { dara, demoPages, makeTrips, type Trips, tamsin } from "./testing/trips.js";

/* Several forms and a list in one view of the application's own, as a browser without scripts goes. */

const versions = [
  ["5", express],
  ["4", express4 as unknown as typeof express],
] as const;

describe.each(versions)("a view with several forms, on Express %s", (_, make) => {
  let trips: Trips;
  let pages: Pages;
  let served: Served;
  let client: Client;
  let actor = tamsin;
  let view: "there" | "gone" | "broken" = "there";
  const told: string[] = [];
  let last: readonly FormInView[] = [];

  beforeAll(async () => {
    trips = await makeTrips();
    pages = await createPages({
      database: trips.database,
      pages: demoPages,
      signingKey: "a key for tests, thirty-two bytes long",
      mount: "/records",
      actor: () => actor,
      session: () => "one",
      frame: ownFrame,
      onError: (error) => void told.push((error as Error).message),
    });
    const app = make();
    // Another query than the view's own is no matter of the forms.
    app.get("/overview/:code", (request, response, next) => {
      if (view === "gone") return next();
      if (view === "broken") throw new Error("the view is broken");
      const code = String(request.params.code);
      Promise.all([
        pages.form(request, "station", { code }),
        pages.form(request, "sensor", { station_code: code, channel: 1 }),
        pages.form(request, "sensor", { station_code: code, channel: 2 }),
        pages.form(request, "visit", null, { station_code: code }),
      ]).then(async (forms) => {
        last = forms;
        const visits = await pages.list(request, "visit", { "is.station_code": code });
        const parts = [...forms, visits].map(({ html: part }) => part).join("\n");
        response.send(`<!doctype html><html lang="en"><head>${pages.head()}</head><body>${parts}</body></html>`);
      }, next);
    });
    served = await serveIn(app, pages, "/records");
    client = new Client(served.origin);
  });
  afterAll(async () => {
    await served.stop();
    await trips.close();
  });

  const formsIn = (text: string): ReadonlyMap<string, string> =>
    new Map(
      [
        ...text.matchAll(
          /<div class="quill" data-quill="([^"]*)">([\s\S]*?)(?=<div class="quill" data-quill|<\/body>)/g,
        ),
      ].map(([, name = "", inside = ""]) => [name, inside]),
    );
  const dataOf = (form: FormInView | undefined, edits: Record<string, string> = {}): string =>
    new URLSearchParams([
      ["quill.token", form?.token ?? ""],
      ...(form?.fields ?? [])
        .filter(({ isTaken }) => isTaken)
        .flatMap(({ control, box, value }): [string, string][] => [
          ...(box === null ? [] : [[box, "1"] as [string, string]]),
          ...(box !== null && value !== "true" ? [] : [[control, edits[control] ?? value] as [string, string]]),
        ]),
      ["quill.save", ""],
    ]).toString();

  test("has each prefilled, with ids of its own, and as data for a template", async () => {
    const { status, text } = await client.get("/overview/MV-014");
    expect(status).toBe(200);
    const [station, first, second, visit] = last;
    expect([station?.title, first?.title, second?.title, visit?.title]).toEqual([
      "Station MV-014, Otter Weir",
      "Sensor MV-014, channel 1",
      "Sensor MV-014, channel 2",
      "New in Visits",
    ]);
    expect(station?.action).toMatch(/^\/records\/stations\/MV-014\/edit\?back=/);
    expect(station?.fields.find(({ name }) => name === "status")).toMatchObject({
      label: "Status",
      kind: "choice",
      isTaken: true,
      choices: expect.arrayContaining([{ value: "live", label: "live" }]),
    });
    expect(visit?.fields.find(({ name }) => name === "station_code")?.value).toBe("MV-014");
    const ids = [...text.matchAll(/ id="([^"]*)"/g)].map(([, id]) => id);
    expect(ids.length).toBeGreaterThan(30);
    expect(new Set(ids).size).toBe(ids.length);
    expect(formsIn(text).get("visit-list")).toContain("Edit");
  });

  test("a save leads back to the view, with its message at that form and at no other", async () => {
    await client.get("/overview/MV-014?tab=levels");
    const [, first] = last;
    const { status, headers } = await client.post(first?.action ?? "", dataOf(first, { offset_m: "0.123" }));
    expect([status, headers.get("location")]).toEqual([303, "/overview/MV-014?tab=levels"]);
    const back = formsIn((await client.get("/overview/MV-014?tab=levels")).text);
    const said = [...back].filter(([, inside]) => inside.includes("quill-said")).map(([name]) => name);
    expect(said).toEqual(["sensor-MV-014-1-"]);
    expect(last[1]?.notice).toBe("Sensor MV-014, channel 1 is saved.");
    expect(last[1]?.fields.find(({ name }) => name === "offset_m")?.value).toBe("0.1230");
    // Told once.
    expect((await client.get("/overview/MV-014?tab=levels")).text).not.toContain("quill-said");
  });

  test("refused, the same view is shown with that form as it was typed and the others untouched", async () => {
    await client.get("/overview/MV-014");
    const [station] = last;
    const { status, text } = await client.post(
      station?.action ?? "",
      dataOf(station, { name: "", notes: "typed and refused" }),
    );
    expect(status).toBe(422);
    const parts = formsIn(text);
    expect(parts.get("station-MV-014-")).toContain("Station name is needed: enter a value.");
    expect(parts.get("station-MV-014-")).toContain("typed and refused");
    expect(parts.get("sensor-MV-014-1-")).not.toContain("quill-problem");
    expect(parts.get("visit-list")).toContain("Edit");
    expect(last[0]).toMatchObject({ status: 422, problems: [{ field: "name" }] });
    // What comes back can be sent again as it is.
    const again = await client.post(last[0]?.action ?? "", dataOf(last[0], { name: "Otter Weir" }));
    expect([again.status, again.headers.get("location")]).toEqual([303, "/overview/MV-014"]);
    expect((await trips.one<{ notes: string }>("SELECT notes FROM network.station WHERE code = 'MV-014'")).notes).toBe(
      "typed and refused",
    );
  });

  test("where the view is gone, or fails, the form stands alone as it was typed, and the developer is told", async () => {
    for (const [is, why] of [
      ["gone", /Nothing is served at \/overview\/MV-014 any more/],
      ["broken", /the view is broken/],
    ] as const) {
      await client.get("/overview/MV-014");
      const [station] = last;
      view = is;
      const { status, text } = await client.post(station?.action ?? "", dataOf(station, { name: "", notes: is }));
      view = "there";
      expect(status).toBe(422);
      expect(formOf(text).get("notes")).toBe(is);
      expect(text).toContain("Station name is needed: enter a value.");
      expect(told.pop()).toMatch(why);
      expect(told).toEqual([]);
    }
  });

  test("a view on another host, or one that nobody signed, is never led to", async () => {
    for (const back of ["//elsewhere.example/", "x.//elsewhere.example/", `${"A".repeat(43)}./overview/MV-014`]) {
      await client.get("/overview/MV-014");
      const [, first] = last;
      const action = `/records/sensors/MV-014/1/edit?back=${encodeURIComponent(back)}`;
      const { headers } = await client.post(action, dataOf(first, { remarks: `tried with ${back}` }));
      expect(headers.get("location")).toBe("/records/sensors");
    }
  });

  test("says in its place what somebody may not see, and what a page's name is", async () => {
    actor = dara;
    const { status, text } = await client.get("/overview/MV-014");
    actor = tamsin;
    expect(status).toBe(200);
    expect(text).not.toContain("Otter Weir");
    expect(last[0]).toMatchObject({ status: 403, token: null, fields: [] });
    await expect(pages.form({ originalUrl: "/" } as never, "statoin", null)).rejects.toThrow(
      /There is no page "statoin" that can be served\. There are: .*station/,
    );
    for (const key of ["MV-014", { station: "MV-014" }, { code: undefined }])
      await expect(pages.form({ originalUrl: "/" } as never, "station", key as never)).rejects.toThrow(
        "The key of a record of station is { code: … }, and its code is missing.",
      );
  });

  test("its requests are recorded as any other, and in a template html escapes", async () => {
    const seen: string[] = [];
    const end = pages.listen({ onRequest: ({ page, operation }) => void seen.push(`${page} ${operation}`) });
    await client.get("/overview/MV-014");
    end();
    expect(seen.sort()).toEqual(["sensor open", "sensor open", "station open", "visit list", "visit new"]);
    expect(html`<p>${"<b>"}</p>`.text).toBe("<p>&lt;b&gt;</p>");
  });
});
