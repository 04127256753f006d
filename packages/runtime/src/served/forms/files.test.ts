import { createHash } from "node:crypto";
import { mkdtemp, rm, writeFile } from "node:fs/promises";
import os from "node:os";
import path from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { formOf } from "@loyal-quill/testing";
import { createPages, type Pages } from "../../index.js";
import { ownFrame, type Served, serve } from "../../testing/served.js";
import { makeTrips, type Trips, tamsin } from "../../testing/trips.js";

const file = `format: loyal-quill/page@1
title: "Post {id}"
path: /posts/{id}
record: { table: proof.post, key: id }
access: { new: true, history: true }
list: { columns: [id, photo] }
fields:
  - name
  - photo: { control: file, rules: [{ max-size: 300000 }, { media-types: [image/*] }] }
  - plan: { control: file }
`;

let trips: Trips;
let pages: Pages;
let served: Served;
let origin = "";
let directory = "";
let signedIn = true;

beforeAll(async () => {
  trips = await makeTrips({
    sql: [
      "CREATE SCHEMA proof",
      "CREATE TABLE proof.post (id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY, name text, photo bytea, plan text NOT NULL DEFAULT 'none')",
      "INSERT INTO proof.post (name, photo) VALUES ('one', '\\x00ff10'), ('two', NULL)",
      "GRANT USAGE ON SCHEMA proof TO quill_pages",
      "GRANT SELECT, INSERT, UPDATE, DELETE ON ALL TABLES IN SCHEMA proof TO quill_pages",
    ],
    files: { post: file },
  });
  directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-files-"));
  await writeFile(path.join(directory, "post.page.yaml"), file);
  pages = await createPages({
    database: trips.database,
    pages: directory,
    signingKey: "a key for tests, thirty-two bytes long",
    actor: () => (signedIn ? tamsin : null),
    session: () => "one",
    frame: ownFrame,
  });
  served = await serve(pages);
  origin = served.origin;
});
afterAll(async () => {
  await served.stop();
  await rm(directory, { recursive: true });
  await trips.close();
});

const get = async (address: string) => {
  const response = await fetch(origin + address, { redirect: "manual" });
  return { status: response.status, headers: response.headers, bytes: Buffer.from(await response.arrayBuffer()) };
};

/** Sends a record's form in parts, as a browser does. */
async function send(address: string, files: Record<string, Blob | null>, edits: Record<string, string> = {}) {
  const page = (await get(address)).bytes.toString();
  expect(page).toContain('enctype="multipart/form-data"');
  const body = new FormData();
  for (const [name, value] of formOf(page))
    if (!["photo", "plan"].includes(name) && !name.startsWith("quill.remove")) body.append(name, value);
  for (const [name, value] of Object.entries(edits)) body.set(name, value);
  for (const [name, blob] of Object.entries(files)) body.append(name, blob ?? new Blob([]), blob ? "a file.bin" : "");
  const response = await fetch(origin + address, { method: "POST", body, redirect: "manual" });
  return { status: response.status, text: await response.text(), location: response.headers.get("location") };
}

const large = Buffer.from(Array.from({ length: 290_000 }, (_, index) => (index * 7) % 251));
const image = (bytes: Buffer | string): Blob => new Blob([bytes as never], { type: "image/png" });
const stored = (id = 1) =>
  trips.one<{ photo: Buffer | null; plan: string; name: string }>(
    "SELECT photo, plan, name FROM proof.post WHERE id = $1",
    [id],
  );
const problems = (text: string): string[] =>
  [...text.matchAll(/<p class="quill-problem"[^>]*>(.*?)<\/p>/g)].map(([, said]) => said ?? "");

describe("a file of a record", () => {
  test("is shown by its size, with the way to it, and never sent along otherwise", async () => {
    const page = (await get("/posts/1/edit")).bytes.toString();
    expect(page).toContain('<a href="/posts/~file/1?column=photo" download>Download (3 byte)');
    expect(page).not.toContain("00ff10");
    const taken = await get("/posts/~file/1?column=photo");
    expect([taken.status, taken.headers.get("content-type"), taken.headers.get("x-content-type-options")]).toEqual([
      200,
      "application/octet-stream",
      "nosniff",
    ]);
    expect(taken.headers.get("content-disposition")).toContain('attachment; filename="post-1-photo"');
    expect(taken.bytes).toEqual(Buffer.from([0, 255, 16]));
    expect((await get("/posts")).bytes.toString()).toContain("3 byte");
    for (const address of [
      "/posts/~file/2?column=photo",
      "/posts/~file/1?column=name",
      "/posts/~file/9?column=photo",
      "/posts/~file/1",
    ])
      expect([address, (await get(address)).status]).toEqual([address, 404]);
  });

  test("is left alone where none is chosen, replaced where one is, and comes back as it was, of any size", async () => {
    expect((await send("/posts/1/edit", { photo: null, plan: null })).status).toBe(303);
    expect((await stored()).photo).toEqual(Buffer.from([0, 255, 16]));
    expect((await send("/posts/1/edit", { photo: image(large) }, { name: "renamed" })).status).toBe(303);
    expect(await stored()).toMatchObject({ photo: large, name: "renamed" });
    expect((await get("/posts/~file/1?column=photo")).bytes.equals(large)).toBe(true);
    // The same again is no change.
    const { count } = await trips.one<{ count: string }>("SELECT count(*) FROM quill_log.change");
    expect((await send("/posts/1/edit", { photo: image(large) })).status).toBe(303);
    expect((await trips.one<{ count: string }>("SELECT count(*) FROM quill_log.change")).count).toBe(count);
  });

  test("stands in the log by its digest and size, not by its content", async () => {
    const { fields } = await trips.one<{ fields: { field: string; new: string }[] }>(
      "SELECT fields FROM quill_log.change WHERE page = 'post' ORDER BY id DESC LIMIT 1",
    );
    const digest = createHash("sha256").update(large).digest("hex");
    expect(fields.find(({ field }) => field === "photo")?.new).toBe(`sha256:${digest}:290000`);
    expect((await get("/posts/1/history")).bytes.toString()).toContain("290 kB");
  });

  test("is refused where it breaks a rule; the rest of the form stays", async () => {
    const refused = await send(
      "/posts/1/edit",
      { photo: new Blob([Buffer.alloc(300_001)], { type: "text/plain" }) },
      { name: "typed" },
    );
    expect([refused.status, problems(refused.text)]).toEqual([422, ["Photo is too large: at most 300 kB."]]);
    expect(refused.text).toContain('value="typed"');
    expect(problems((await send("/posts/1/edit", { photo: new Blob(["x"], { type: "text/plain" }) })).text)).toEqual([
      "Photo must be a file of one of these types: image/*.",
    ]);
    expect(problems((await send("/posts/1/edit", { plan: new Blob([Buffer.from([255, 254])]) })).text)).toEqual([
      "Plan must be a file of text in UTF-8.",
    ]);
    expect((await stored()).photo).toEqual(large);
    expect((await send("/posts/1/edit", { photo: image(Buffer.alloc(17_000_000)) })).status).toBe(413);
    const half = image(Buffer.alloc(9_000_000));
    expect((await send("/posts/1/edit", { photo: half, plan: half })).status).toBe(413);
    // The texts of a form, too, however many it is cut into.
    const texts = Object.fromEntries(Array.from({ length: 5 }, (_, at) => [`more.${at}`, "x".repeat(250_000)]));
    expect((await send("/posts/1/edit", {}, texts)).status).toBe(413);
  });

  test("is taken from nobody who is not signed in", async () => {
    const before = await stored();
    const body = new FormData();
    body.append("photo", image(Buffer.alloc(17_000_000)), "x.png");
    body.append("name", "typed <before>");
    signedIn = false;
    const refused = await fetch(`${origin}/posts/1/edit`, { method: "POST", body, redirect: "manual" });
    signedIn = true;
    expect(refused.status).toBe(401);
    // What was typed beside it is not lost, and of the file it is told that it is.
    const said = await refused.text();
    expect(said).toContain("typed &lt;before&gt;");
    expect(said).toContain("x.png. A file can’t be kept: choose it again after you have signed in.");
    expect(await stored()).toEqual(before);
  });

  test("of text is text", async () => {
    expect((await send("/posts/1/edit", { plan: new Blob(["Übersicht\r\n二"]) })).status).toBe(303);
    expect((await stored()).plan).toBe("Übersicht\r\n二");
    const taken = await get("/posts/~file/1?column=plan");
    expect([taken.headers.get("content-type"), taken.bytes.toString()]).toEqual([
      "text/plain; charset=utf-8",
      "Übersicht\r\n二",
    ]);
  });

  test("is removed by its box, where there may be none", async () => {
    expect(
      (await send("/posts/1/edit", {}, { "quill.remove:photo": "true", "quill.remove:plan": "true" })).status,
    ).toBe(422);
    expect((await send("/posts/1/edit", {}, { "quill.remove:photo": "true" })).status).toBe(303);
    expect((await stored()).photo).toBeNull();
  });

  test("comes with a new record", async () => {
    const made = await send("/posts/new", { photo: image("abc") }, { name: "three" });
    expect(made.status).toBe(303);
    expect(await stored(3)).toMatchObject({ name: "three", photo: Buffer.from("abc"), plan: "none" });
  });

  test("in JSON is its digest and size", async () => {
    const response = await fetch(`${origin}/posts/3`, { headers: { accept: "application/json" } });
    const { values } = (await response.json()) as { values: Record<string, unknown> };
    expect(values.photo).toEqual({ sha256: createHash("sha256").update("abc").digest("hex"), size: 3 });
  });

  test("a form in parts that is none is refused", async () => {
    const response = await fetch(`${origin}/posts/1/edit`, {
      method: "POST",
      body: "x",
      headers: { "content-type": "multipart/form-data" },
    });
    expect(response.status).toBe(415);
    const cut = await fetch(`${origin}/posts/1/edit`, {
      method: "POST",
      body: "--x\r\nContent-Dis",
      headers: { "content-type": "multipart/form-data; boundary=x" },
    });
    expect(cut.status).toBe(415);
  });

  test.each([
    [
      "two files of one control",
      'name="photo"; filename="a.png"|image/png|a',
      'name="photo"; filename="b.png"|image/png|b',
    ],
    ["a part without a file's name that says it is none of text", 'name="name"|application/octet-stream|lost'],
    [
      "a text that is written in another way than it is",
      'name="name"|text/plain\r\nContent-Transfer-Encoding: base64|bG9zdA==',
    ],
  ])("%s: the form is refused, and nothing of it dropped or taken for something else", async (_, ...written) => {
    const before = await stored();
    const form = formOf((await get("/posts/1/edit")).bytes.toString());
    const parts = [...form].flatMap(([name, value]) =>
      ["photo", "plan", "name"].includes(name) || name.startsWith("quill.remove")
        ? []
        : [`name="${name}"|text/plain|${value}`],
    );
    const lines = [...parts, ...written].map((part) => {
      const [name, type, value] = part.split("|");
      return `--x\r\nContent-Disposition: form-data; ${name}\r\nContent-Type: ${type}\r\n\r\n${value}\r\n`;
    });
    const send = (body: string) =>
      fetch(`${origin}/posts/1/edit`, {
        method: "POST",
        body,
        redirect: "manual",
        headers: { "content-type": "multipart/form-data; boundary=x" },
      });
    expect((await send(`${lines.join("")}--x--\r\n`)).status).toBe(415);
    expect(await stored()).toEqual(before);
    expect((await send(`${lines.slice(0, parts.length).join("")}--x--\r\n`)).status).toBe(303);
  });
});
