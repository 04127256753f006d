import { mkdtemp, rm, writeFile } from "node:fs/promises";
import os from "node:os";
import path from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { bodyOf, Client, formOf } from "@loyal-quill/testing";
import express, { type ErrorRequestHandler, type RequestHandler } from "express";
import { createPages, type FormParts, html, type LayoutParts, type PagesOptions } from "../index.js";
import { type Served, serveIn } from "../testing/served.js";
import { demoPages, hollis, makeTrips, type Trips } from "../testing/trips.js";

let trips: Trips;
const opened: Served[] = [];
const errors: string[] = [];
let views: string;

beforeAll(async () => {
  trips = await makeTrips();
  views = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-views-"));
});
afterAll(async () => {
  await Promise.all(opened.map((each) => each.stop()));
  await trips.close();
  await rm(views, { recursive: true });
});

/** What an application does with an error that comes out of its handlers. */
const lastResort: ErrorRequestHandler = (error: Error, _request, response, _next) => {
  errors.push(error.message);
  response.status(500).send("went wrong");
};

async function mounted(options: Partial<PagesOptions>, ...before: readonly RequestHandler[]): Promise<Client> {
  const pages = await createPages({
    database: trips.database,
    pages: demoPages,
    signingKey: "a key for tests, thirty-two bytes long",
    actor: () => hollis,
    ...options,
  });
  const app = express();
  app.set("views", views);
  const served = await serveIn(app, pages, "/records", ...before);
  app.use(lastResort);
  opened.push(served);
  return new Client(served.origin);
}

const address = "/records/stations/MV-014/edit";

const layout = ({ title, head, heading, notice, content, pages, language, direction }: LayoutParts): string =>
  `<!doctype html><html lang="${language}" dir="${direction}"><head><title>${title} - Own</title>${head}</head><body><nav>${pages
    .map((each) => `<a href="${each.href}"${each.isCurrent ? ' aria-current="page"' : ""}>${each.title}</a>`)
    .join("")}</nav>${notice}<main>${heading}${content}</main></body></html>`;

describe("a layout", () => {
  test("stands around every page, and a form in it saves", async () => {
    const client = await mounted({ layout });
    const { text, headers, status } = await client.get(address);
    expect(status).toBe(200);
    expect(headers.get("content-length")).toBe(String(Buffer.byteLength(text)));
    expect(text).toContain("<title>Station MV-014, Otter Weir - Own</title>");
    expect(text).toMatch(/<link rel="stylesheet" href="\/records\/quill-[0-9a-f]+\.css"><script src=/);
    expect(text).toContain('<a href="/records/stations" aria-current="page">Stations</a>');
    expect(text).not.toContain("quill-document");
    const saved = await client.post(address, bodyOf(formOf(text), { notes: "by a layout" }));
    expect(saved.status).toBe(303);
    const next = await client.get(saved.headers.get("location") ?? "");
    expect(next.text).toMatch(/<\/nav><div class="quill" data-quill><p class="quill-said" role="status">[^<]*saved/);
  });

  test("gets refusals and what is wrong as well, with their status", async () => {
    const seen: [string | null, number][] = [];
    const client = await mounted({
      layout: (parts) => {
        seen.push([parts.page, parts.status]);
        return layout(parts);
      },
    });
    const { text } = await client.get(address);
    const wrong = await client.post(address, bodyOf(formOf(text), { name: "" }));
    expect(wrong.status).toBe(422);
    expect(wrong.text).toMatch(/<\/nav><div class="quill" data-quill><section class="quill-summary"[\s\S]*<main>/);
    expect((await client.get("/records/stations/nothing/edit")).status).toBe(404);
    expect(seen).toEqual([
      ["station", 200],
      ["station", 422],
      ["station", 404],
    ]);
  });

  test("that fails around a refused form loses nothing that was typed: the form stands alone, and the developer is told", async () => {
    let isBroken = false;
    const told: string[] = [];
    const saved: string[] = [];
    const client = await mounted({
      layout: (parts) => {
        if (isBroken) throw new Error("the layout is broken");
        return layout(parts);
      },
      developer: false,
      onError: (error) => void told.push((error as Error).message),
      onRequest: ({ outcome }) => void saved.push(outcome),
    });
    const form = formOf((await client.get(address)).text);
    isBroken = true;
    const refused = await client.post(address, bodyOf(form, { name: "", notes: "typed, and kept" }));
    expect(refused.status).toBe(422);
    expect(formOf(refused.text).get("notes")).toBe("typed, and kept");
    expect(refused.text).not.toContain("the layout is broken");
    expect(told).toEqual(["the layout is broken"]);
    expect((await client.get(address)).status).toBe(500);
    expect(errors.pop()).toBe("the layout is broken");
    // What could not be shown is recorded all the same.
    expect(saved).toEqual(["shown", "invalid", "shown"]);
    isBroken = false;
    expect((await client.post(address, bodyOf(formOf(refused.text), { name: "Otter Weir" }))).status).toBe(303);
  });

  test("stands around a page that is called like what every object has", async () => {
    await trips.owner.query("CREATE TABLE network.constructor (id integer PRIMARY KEY, label text)");
    await trips.owner.query("INSERT INTO network.constructor VALUES (1, 'a maker of gauges')");
    await trips.owner.query("GRANT SELECT, UPDATE ON network.constructor TO PUBLIC");
    const pages = await mkdtemp(path.join(views, "pages-"));
    await writeFile(
      path.join(pages, "constructor.page.yaml"),
      'format: loyal-quill/page@1\ntitle: "Maker {id}"\nplural: Makers\npath: /makers/{id}\nrecord: { table: network.constructor, key: id }\nfields: [label]\n',
    );
    const { status, text } = await (await mounted({ layout, pages })).get("/records/makers/1/edit");
    expect([status, formOf(text).get("label")]).toEqual([200, "a maker of gauges"]);
  });

  test("may be a view of the application's engine", async () => {
    await writeFile(
      path.join(views, "admin.ejs"),
      "<!doctype html><html><head><title><%= title %></title><%- head %></head><body><%- notice %><%- heading %><%- content %><p><%= own %></p></body></html>",
    );
    const client = await mounted({ layout: "admin.ejs" }, (_request, response, next) => {
      response.locals.own = "a local of the application's";
      next();
    });
    const { text } = await client.get(address);
    expect(text).toContain("<title>Station MV-014, Otter Weir</title>");
    expect(text).toContain("<p>a local of the application&#39;s</p>");
    expect(formOf(text).get("code") ?? formOf(text).get("name")).toBeDefined();
  });

  test("made with html escapes what is text, and puts in what is HTML", async () => {
    await trips.owner.query("UPDATE network.station SET name = '<b>Bold</b>' WHERE code = 'MV-020'");
    const client = await mounted({
      layout: ({ title, head, notice, content, pages }) =>
        html`<!doctype html><html><head><title>${title}</title>${head}</head><body>${pages.map((each) => html`<a href="${each.href}">${each.title}</a>`)}${notice}${content}</body></html>`,
    });
    const { text } = await client.get("/records/stations/MV-020/edit");
    expect(text).toContain("<title>Station MV-020, &lt;b&gt;Bold&lt;/b&gt;</title>");
    expect(text).toContain('<a href="/records/stations">Stations</a>');
    expect(formOf(text).get("name")).toBe("<b>Bold</b>");
  });

  test.each(["head", "notice", "content"] as const)(
    "that leaves %s out, or escapes it, is told so loudly",
    async (name) => {
      errors.length = 0;
      const client = await mounted({ layout: (parts) => layout({ ...parts, [name]: html`${"<"}` }) });
      expect((await client.get(address)).status).toBe(500);
      expect(errors).toEqual([expect.stringContaining(`The layout left out "${name}"`)]);
    },
  );

  test("does without our style sheet where the look is bare", async () => {
    const bare = await mounted({ layout, look: "bare" });
    const { text } = await bare.get(address);
    expect(text).not.toContain("stylesheet");
    expect(text).toContain("<script src=");
    expect((await (await mounted({ look: "bare" })).get(address)).text).not.toContain("stylesheet");
  });
});

describe("a template of a form", () => {
  const inTwo = (form: FormParts): string =>
    `<div class="two"><div>${form.field("name")}</div><div>${form.field("status")}</div></div>${form.rest()}${form.actions()}`;

  test("puts fields where it wants them; what is sent is the same", async () => {
    const client = await mounted({ forms: { station: inTwo } });
    const { text } = await client.get(address);
    expect(text).toMatch(/<div class="two"><div><div class="quill-field" data-field="name">/);
    expect(text).toContain("quill-document");
    expect((await client.post(address, bodyOf(formOf(text), { notes: "in two columns" }))).status).toBe(303);
    expect(await trips.one("SELECT notes FROM network.station WHERE code = 'MV-014'")).toEqual({
      notes: "in two columns",
    });
    // Another page is as it was.
    expect((await client.get("/records/rivers")).status).toBe(200);
  });

  test.each([
    [(form: FormParts) => html`${form.field("name")}${form.actions()}`, /forgot form\.field\("[a-z_]+"\), form\.field/],
    [(form: FormParts) => form.rest(), /forgot form\.actions\(\)/],
    [(form: FormParts) => form.field("nothing"), /has no field "nothing" here\. It has: /],
    [
      (form: FormParts) => html`${form.field("name")}${form.field("name")}`,
      /"name" of station was put into the form twice/,
    ],
  ])("that forgets or repeats something is told so loudly", async (template, told) => {
    errors.length = 0;
    const client = await mounted({ forms: { station: template } });
    expect((await client.get(address)).status).toBe(500);
    expect(errors).toEqual([expect.stringMatching(told)]);
  });

  test("may be a view, and stands in a layout as well", async () => {
    await writeFile(
      path.join(views, "station.ejs"),
      '<p>own</p><%- form.field("name") %><%- form.rest() %><%- form.actions() %>',
    );
    const client = await mounted({ forms: { station: "station.ejs" }, layout });
    const { text } = await client.get(address);
    expect(text).toMatch(
      /<form class="quill-sheet"[^>]*>[\s\S]*<p>own<\/p><div class="quill-field" data-field="name">/,
    );
    expect(text).toContain("- Own</title>");
  });
});

describe("what the application has set for all of its answers", () => {
  test("is joined: its policy, its nonce, its referrer policy", async () => {
    const client = await mounted({ layout }, (_request, response, next) => {
      response.set({
        "content-security-policy": "default-src 'none'; script-src 'nonce-abc123' 'strict-dynamic'",
        "referrer-policy": "no-referrer",
      });
      next();
    });
    const { headers, text } = await client.get(address);
    expect(headers.get("content-security-policy")).toBe(
      "default-src 'none'; script-src 'nonce-abc123' 'strict-dynamic'; connect-src 'self'; style-src 'self'; img-src data:",
    );
    expect(headers.get("referrer-policy")).toBe("no-referrer");
    expect(text).toMatch(/<script src="[^"]+" type="module" nonce="abc123">/);
  });

  test("where it has set none, ours holds", async () => {
    const client = await mounted({});
    const { headers } = await client.get(address);
    expect(headers.get("content-security-policy")).toMatch(/^default-src 'none'; script-src 'self'/);
    expect(headers.get("referrer-policy")).toBe("same-origin");
  });
});

describe("where the pages are mounted", () => {
  test("stands what leads to all that is open to somebody, in the layout as well", async () => {
    const own = await (await mounted({})).get("/records/");
    expect(own.status).toBe(200);
    expect(own.text).toContain('<li><a href="/records/stations">Stations</a><p>Where the gauges stand');
    expect(own.text).toContain('<a class="quill-home" href="/records/">');
    expect((await (await mounted({ layout })).get("/records")).text).toContain("<title>Pages - Own</title>");
    const nobody = await (await mounted({ actor: () => ({ ...hollis, roles: ["duty-officer"] }) })).get("/records");
    expect(nobody.text).toContain("/records/bulletins");
    expect(nobody.text).not.toContain("/records/stations");
  });

  test("somebody who is not signed in is sent to the sign-in, or told so", async () => {
    const sent = await (await mounted({ actor: () => null, signIn: "/own" })).get("/records/");
    expect([sent.status, sent.headers.get("location")]).toEqual([303, "/own?next=%2Frecords%2F"]);
    const told = await (await mounted({ actor: () => undefined })).get("/records/");
    expect([told.status, told.text.includes("<h1>")]).toEqual([401, true]);
  });
});
