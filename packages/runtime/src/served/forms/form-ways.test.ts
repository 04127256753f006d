import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { bodyOf, formOf } from "@loyal-quill/testing";
import { makeTrips, type Trips, tamsin } from "../../testing/trips.js";

const file = (answer: string): string => `format: loyal-quill/page@1
title: "Post {id}"
path: /posts/{id}
record: { table: proof.post, key: id }
access: { delete: true }
list: { columns: [id, name, height], sort: height, filter: [height] }
fields: [name, height, note]
answer: ${answer}
`;

let trips: Trips;
beforeAll(async () => {
  trips = await makeTrips({
    sql: [
      "CREATE SCHEMA proof",
      "CREATE TABLE proof.post (id integer PRIMARY KEY, name text NOT NULL, height numeric, note text)",
      "INSERT INTO proof.post VALUES (1, 'Alder', 3, 'a'), (2, 'Beck', NULL, 'b'), (3, 'Cove', 1, 'c'), (4, 'Dale', 3, 'd')",
      "ANALYZE proof.post",
      "GRANT USAGE ON SCHEMA proof TO quill_pages",
      "GRANT SELECT, INSERT, UPDATE, DELETE ON ALL TABLES IN SCHEMA proof TO quill_pages",
    ],
    files: { post: file("{ saved: next }") },
  });
});
afterAll(() => trips.close());

type Query = Readonly<Record<string, string>>;
const get = async (path: string, query: Query = {}) =>
  (await trips.send("GET", path, tamsin, null, trips.database, query)).response;
const post = (path: string, body: string, query: Query = {}) =>
  trips.send("POST", path, tamsin, body, trips.database, query);

describe("from one record of a list to the next", () => {
  test.each<[string, string, Query, string]>([
    ["~next", "3", {}, "/posts/1/edit"],
    ["~next", "1", {}, "/posts/4/edit"],
    // Those without a height come last, in the order of the key.
    ["~next", "4", {}, "/posts/2/edit"],
    ["~previous", "2", {}, "/posts/4/edit"],
    ["~previous", "1", {}, "/posts/3/edit"],
    ["~next", "1", { sort: "-name" }, "/posts/1/edit?sort=-name"],
    ["~previous", "1", { sort: "-name" }, "/posts/2/edit?sort=-name"],
    ["~next", "3", { "from.height": "2" }, "/posts/1/edit?from.height=2"],
    ["~next", "1", { q: "dale", other: "x" }, "/posts/4/edit?q=dale"],
  ])("%s of %s with %j is %s", async (way, key, query, to) => {
    const { status, headers } = await get(`/posts/${way}/${key}`, query);
    expect([status, headers.location]).toEqual([303, to]);
  });

  test("at the end of the list the same record comes again and says so", async () => {
    const { headers } = await get("/posts/~next/2");
    expect(headers.location).toBe("/posts/2/edit");
    expect(decodeURIComponent(headers["set-cookie"] ?? "")).toContain("This is the last record of the list.");
    expect((await get("/posts/~next/9")).status).toBe(404);
  });

  test("a save leads to the next one, with how the list was looked at, and from the last one to the list", async () => {
    const query = { "from.height": "2" };
    const form = formOf((await get("/posts/1/edit", query)).body);
    const first = await post("/posts/1/edit", bodyOf(form, { note: "seen" }), query);
    expect(first.response.headers.location).toBe("/posts/4/edit?from.height=2#field-3");
    const last = await post("/posts/4/edit", bodyOf(formOf((await get("/posts/4/edit")).body)), query);
    expect([last.recorded.outcome, last.response.headers.location]).toEqual(["unchanged", "/posts?from.height=2"]);
  });

  test("the way to a form, its cancel, its deletion and its answer keep how the list was looked at", async () => {
    const query = { q: "a", sort: "-name" };
    expect((await get("/posts", query)).body).toContain('href="/posts/1/edit?q=a&amp;sort=-name"');
    const { body } = await get("/posts/1/edit", query);
    for (const address of ["/posts?q", "/posts/1/edit?q", "/posts/1/delete?q", "/posts/~next/1?q"])
      expect(body).toContain(`"${address}=a&amp;sort=-name"`);
    expect((await get("/posts/1/delete", query)).body).toContain('action="/posts/1/delete?q=a&amp;sort=-name"');
  });

  test("a save leads to an address of the application's own, with values of the record as parts of it", async () => {
    await trips.reloadWith({ post: file('{ to: "/map?post={id}&name={name}" }') });
    const form = await trips.open("/posts/3/edit", tamsin);
    const { response } = await trips.save("/posts/3/edit", tamsin, form, { name: "Cove & Sons" });
    expect([response.headers.location, response.headers["set-cookie"]]).toEqual([
      "/map?post=3&name=Cove%20%26%20Sons",
      undefined,
    ]);
    await trips.reloadWith({ post: file('{ to: "//elsewhere.example/" }') });
    expect(trips.site().files[0]?.findings[0]?.message).toContain("must be an address on the same host");
    await trips.reloadWith({ post: file("{ saved: page }") });
  });
});

describe("what was typed and what is stored", () => {
  const told = (body: string): string[] =>
    [...body.matchAll(/<p class="quill-(?:replaced|conflict)"[^>]*>(.*?)<\/p>/g)].map(([, text]) =>
      (text ?? "").replaceAll(/<[^>]*>/g, ""),
    );

  test("a form that comes back says what is stored beside each field that differs, and puts it back by a button", async () => {
    const form = await trips.open("/posts/1/edit", tamsin);
    const refused = await trips.save("/posts/1/edit", tamsin, form, { name: "", height: "high" });
    expect(refused.response.status).toBe(422);
    expect(told(refused.response.body)).toEqual(["Stored: Alder Put back (Name)", "Stored: 3 Put back (Height)"]);
    const again = formOf(refused.response.body);
    const back = await trips.save("/posts/1/edit", tamsin, again, { "quill.take": "height" });
    expect(back.response.status).toBe(200);
    const shown = formOf(back.response.body);
    expect([shown.get("height"), shown.get("name")]).toEqual(["3", ""]);
    expect(told(back.response.body)).toEqual(["Stored: Alder Put back (Name)"]);
    const saved = await trips.save("/posts/1/edit", tamsin, shown, { name: "Alder Post" });
    expect(saved.recorded.outcome).toBe("saved");
    expect(await trips.one("SELECT name, height::text FROM proof.post WHERE id = 1")).toEqual({
      name: "Alder Post",
      height: "3",
    });
  });

  test("in a conflict theirs is taken field by field; what is not decided stays told", async () => {
    const form = await trips.open("/posts/4/edit", tamsin);
    await trips.owner.query("UPDATE proof.post SET name = 'Theirs', note = 'theirs' WHERE id = 4");
    const conflict = await trips.save("/posts/4/edit", tamsin, form, { name: "Mine", note: "mine", height: "5" });
    expect(conflict.response.status).toBe(409);
    expect(told(conflict.response.body)).toEqual([
      "Stored now: Theirs Take theirs (Name)",
      "Stored: 3 Put back (Height)",
      "Stored now: theirs Take theirs (Note)",
    ]);
    const taken = await trips.save("/posts/4/edit", tamsin, formOf(conflict.response.body), { "quill.take": "name" });
    expect(told(taken.response.body)).toEqual(["Stored: 3 Put back (Height)", "Stored now: theirs Take theirs (Note)"]);
    const shown = formOf(taken.response.body);
    expect([shown.get("name"), shown.get("note")]).toEqual(["Theirs", "mine"]);
    const saved = await trips.save("/posts/4/edit", tamsin, shown);
    expect(saved.recorded.outcome).toBe("saved");
    expect(await trips.one("SELECT name, note, height::text FROM proof.post WHERE id = 4")).toEqual({
      name: "Theirs",
      note: "mine",
      height: "5",
    });
  });

  test("what is no field of the form is taken from nowhere", async () => {
    const form = await trips.open("/posts/3/edit", tamsin);
    const { recorded } = await trips.save("/posts/3/edit", tamsin, form, {
      "quill.take": "id",
      "quill.conflicts": "[1",
    });
    expect(recorded.outcome).toBe("unchanged");
  });
});
