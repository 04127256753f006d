import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { formOf, freshDatabase } from "@loyal-quill/testing";
import pg from "pg";
import { connect, databaseOver } from "../../index.js";
import { dara, hollis, makeTrips, type Trips, tamsin } from "../../testing/trips.js";

const logPage = `format: loyal-quill/page@1
title: "Entry {id}"
path: /entries/{id}
record: { table: proof.entry, key: id }
time-zone: Europe/London
access: { edit: row.open }
list: { columns: [id, station, seen_at, open, day] }
fields: [station, seen_at, open, { day: { message: "A day, please, like 2026-03-31." } }, { seen_on: { control: text } }, count, text]
answer: { saved: page, message: "{text}" }
`;

let trips: Trips;
beforeAll(async () => {
  trips = await makeTrips({
    sql: [
      "CREATE SCHEMA proof",
      `CREATE TABLE proof.entry (id integer PRIMARY KEY, station text NOT NULL REFERENCES network.station, seen_at timestamptz NOT NULL,
         open boolean NOT NULL, day date, seen_on date, count integer, text text)`,
      `INSERT INTO proof.entry VALUES (1, 'MV-014', '2026-07-01 11:30:00+00', true, '2026-07-01'),
         (2, 'MV-001', '2026-01-01 11:30:00+00', false, 'infinity')`,
      "CREATE TABLE proof.bytes (id integer PRIMARY KEY, text text)",
      "GRANT USAGE ON SCHEMA proof TO quill_pages",
      "GRANT SELECT, UPDATE ON proof.entry, proof.bytes TO quill_pages",
    ],
    files: {
      entry: logPage,
      bytes: `format: loyal-quill/page@1
title: "{id}"
path: /bytes/{id}
record: { table: proof.bytes, key: id }
fields: [text]
`,
    },
  });
});
afterAll(() => trips.close());

const listed = async (q: string): Promise<string[]> => {
  const { response } = await trips.send("GET", "/entries", hollis, null, undefined, { q });
  return [...response.body.matchAll(/<a class="quill-record" href="\/entries\/(\d+)[?"]/g)].map(
    (match) => match[1] ?? "",
  );
};

describe("what a list shows can be found", () => {
  test.each([
    ["Yes", ["1"]],
    ["no", ["2"]],
    ["12:30", ["1"]],
    ["11:30", ["2"]],
    ["2026-07-01 12:30:00", ["1"]],
    ["yes MV-014", ["1"]],
    ["MV-014 2026-07", ["1"]],
    ["MV-001 yes", []],
    ["true", []],
    ["+00", []],
    ["%", []],
  ])("%s", async (q, found) => {
    expect(await listed(q)).toEqual(found);
  });
});

describe("the way in", () => {
  test("is Edit only where the record may be edited; the others are led to", async () => {
    const { body } = (await trips.send("GET", "/entries", hollis)).response;
    expect(body).toContain('<a href="/entries/1/edit">Edit<span class="quill-unseen"> 1</span></a>');
    expect(body).toContain('<a href="/entries/2">View<span class="quill-unseen"> 2</span></a>');
    expect(body).not.toContain("/entries/2/edit");
  });

  test("an address with a slash too many leads to the one without", async () => {
    const { response } = await trips.send("GET", "/entries/", hollis);
    expect([response.status, response.headers.location]).toEqual([308, "/entries"]);
  });

  test("what an address takes is told without a body, whoever asks", async () => {
    const { response } = await trips.send("OPTIONS", "/entries/1/edit", null);
    expect([response.status, response.headers.allow, response.body]).toEqual([204, "GET, HEAD, POST, OPTIONS", ""]);
  });

  test("a key that stands on no form is labelled, not named raw", async () => {
    const { body } = (await trips.send("GET", "/entries/1", hollis)).response;
    expect(body).toContain('<dl class="quill-key"><div><dt>ID</dt><dd>1</dd></div></dl>');
  });
});

describe("a form", () => {
  const attempt = async (edits: Record<string, string>) => {
    const form = await trips.open("/entries/1/edit", hollis);
    return trips.save("/entries/1/edit", hollis, form, edits);
  };

  test("has the page's own message for a text that is no value of its type", async () => {
    expect((await attempt({ day: "tomorrow" })).response.body).toContain("A day, please, like 2026-03-31.");
  });

  test("takes infinity where its control can show it, and not where it is a date", async () => {
    const refused = await attempt({ day: "infinity" });
    expect(refused.response.status).toBe(422);
    expect(refused.response.body).toContain("A day, please");
    expect((await attempt({ seen_at: "infinity" })).response.status).toBe(422);
    expect((await attempt({ seen_on: "infinity" })).recorded.outcome).toBe("saved");
    expect(await trips.one("SELECT seen_on::text FROM proof.entry WHERE id = 1")).toEqual({ seen_on: "infinity" });
  });

  test("a long line of what was done is cut, so that no header grows too long", async () => {
    const { response } = await attempt({ text: "Łódź ".repeat(4000) });
    expect(response.status).toBe(303);
    const cookie = response.headers["set-cookie"] ?? "";
    expect(Buffer.byteLength(cookie)).toBeLessThan(4096);
    expect(decodeURIComponent(cookie)).toMatch(/Łódź Łódź.*…/);
  });
});

describe("what is wrong with a form", () => {
  const attempt = async (edits: Record<string, string>) =>
    trips.save("/entries/1/edit", hollis, await trips.open("/entries/1/edit", hollis), edits);

  test("is told all at once, and nothing is written", async () => {
    const before = await trips.one("SELECT xmin::text FROM proof.entry WHERE id = 1");
    const { response, recorded } = await attempt({ count: "many", station: "", day: "" });
    expect([response.status, recorded.outcome]).toEqual([422, "invalid"]);
    expect(response.body).toContain("Fix 2 errors");
    expect(recorded.steps.at(-1)?.values.map(({ name }) => name)).toEqual(["station", "count"]);
    expect(await trips.one("SELECT xmin::text FROM proof.entry WHERE id = 1")).toEqual(before);
  });
});

describe("a record whose bytes are no text", () => {
  test("is told as what it is, not as a key that can't be right", async () => {
    const made = await freshDatabase("template0", "SQL_ASCII");
    const owner = new pg.Client(made.owner);
    await owner.connect();
    await owner.query("CREATE SCHEMA proof");
    await owner.query("CREATE TABLE proof.bytes (id integer PRIMARY KEY, text text)");
    await owner.query("INSERT INTO proof.bytes VALUES (1, E'Wei\\337')");
    await owner.query("GRANT USAGE ON SCHEMA proof TO quill_pages; GRANT SELECT ON proof.bytes TO quill_pages");
    const pool = connect(made.pages, 2);
    const { response } = await trips.send("GET", "/bytes/1/edit", hollis, null, databaseOver(pool));
    await Promise.all([pool.end(), owner.end()]);
    await made.drop();
    expect(response.status).toBe(503);
    expect(response.body).toContain("This record holds bytes that are no readable text");
    expect(response.body).not.toContain("The key in the address");
  });
});

test("people of different roles are told apart as before", async () => {
  expect((await trips.send("GET", "/entries", dara)).response.status).toBe(200);
  expect(formOf((await trips.send("GET", "/entries/1/edit", tamsin)).response.body).get("station")).toBe("MV-014");
});
