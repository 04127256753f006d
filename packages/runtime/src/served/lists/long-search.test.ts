import { mkdtemp, rm, writeFile } from "node:fs/promises";
import os from "node:os";
import path from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { bodyOf, formOf } from "@loyal-quill/testing";
import { createPages, type Pages } from "../../index.js";
import { ownFrame, type Served, serve } from "../../testing/served.js";
import { makeTrips, type Trips, tamsin } from "../../testing/trips.js";

/*
 * Searches that no index helps: they stop in time, say how far they came, and go on from there. A policy that waits a millisecond for each record makes a
 * small table take as long as a large one, however fast the machine is.
 */

const file = (name: string, list: string, more = ""): string => `format: loyal-quill/page@1
title: "Entry {id}"
plural: Entries
path: /${name}/{id}
record: { table: proof.entry, key: id }
list: ${list}
fields: [code, seen, note]
${more}`;

const records = 700;
/** The records that contain what is looked for, one of them without a value to be sorted by. */
const hidden = [40, 300, 301, records];

/** What each record waits for, in seconds, before it is looked at. */
const slowly = (seconds: number): string =>
  `CREATE OR REPLACE FUNCTION proof.slowly() RETURNS boolean LANGUAGE plpgsql COST 10000 AS 'BEGIN PERFORM pg_sleep(${seconds}); RETURN true; END'`;

let trips: Trips;
let pages: Pages;
let served: Served;
let directory = "";

beforeAll(async () => {
  trips = await makeTrips({
    sql: [
      "CREATE SCHEMA proof",
      "CREATE TABLE proof.entry (id integer PRIMARY KEY, code text NOT NULL, seen date, note text NOT NULL) WITH (autovacuum_enabled = false)",
      // Before it is filled: how many records there are is known to nobody then, and it does not count as a small table.
      "CREATE INDEX ON proof.entry (code)",
      "CREATE INDEX ON proof.entry (seen, id)",
      `INSERT INTO proof.entry SELECT n, 'C-' || n, CASE WHEN n % 100 > 0 THEN date '2000-01-01' + n END, CASE WHEN n IN (${hidden.join(", ")}) THEN 'an otter' ELSE 'nothing of it' END
       FROM generate_series(1, ${records}) AS n`,
      "ALTER TABLE proof.entry ENABLE ROW LEVEL SECURITY",
      slowly(0.001),
      "CREATE POLICY slowly ON proof.entry USING (proof.slowly())",
      "GRANT USAGE ON SCHEMA proof TO quill_pages",
      "GRANT SELECT, INSERT, UPDATE, DELETE ON ALL TABLES IN SCHEMA proof TO quill_pages",
    ],
    files: {},
  });
  directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-long-search-"));
  const write = (name: string, text: string): Promise<void> =>
    writeFile(path.join(directory, `${name}.page.yaml`), text);
  await write("entries", file("entries", "{ columns: [id, code, note] }"));
  await write(
    "seen",
    file("seen", "{ columns: [id, seen, code], search: [note], sort: -seen }", "answer: { saved: next }\n"),
  );
  pages = await createPages({
    database: trips.database,
    pages: directory,
    signingKey: "a key for tests, thirty-two bytes long",
    actor: () => tamsin,
    session: () => "one",
    frame: ownFrame,
  });
  served = await serve(pages);
}, 60_000);
afterAll(async () => {
  await served.stop();
  await rm(directory, { recursive: true });
  await trips.close();
});

const plain = (text: string): string =>
  text.replaceAll("&amp;", "&").replaceAll("&#39;", "'").replaceAll("&quot;", '"').replaceAll("&#34;", '"');
const get = async (address: string, { origin } = served) => {
  const response = await fetch(origin + address, { redirect: "manual", headers: { accept: "text/html" } });
  const body = await response.text();
  const link = (text: string): string | undefined => {
    const found = [...body.matchAll(/<a (?:rel="\w+" )?href="([^"]*)"(?: autofocus)?>([^<]*)<\/a>/g)].find(
      (match) => match[2] === text,
    );
    return found?.[1] === undefined ? undefined : plain(found[1]);
  };
  return {
    status: response.status,
    body,
    link,
    /** The numbers of the records that it shows. */
    found: [...body.matchAll(/class="quill-record" href="\/\w+\/(\d+)[^"]*"/g)].map((match) => Number(match[1])),
    said: /<p class="quill-(?:looked|empty)" role="status">([^<]*)/.exec(body)?.[1]?.trim(),
  };
};

/** Follows a search by the way on that it names, to its end. */
async function lookedThrough(address: string, way: string, by = served) {
  const parts: number[][] = [];
  const said: string[] = [];
  let at = await get(address, by);
  for (let turn = 0; turn < 100; turn++) {
    expect(at.status).toBe(200);
    parts.push(at.found);
    said.push(at.said ?? "");
    const on = at.said?.includes("ooked through") ? at.link(way) : undefined;
    if (on === undefined) return { found: parts.flat(), parts, said, at };
    at = await get(on, by);
  }
  throw new Error("it does not come to an end");
}

describe("a search that no index helps", () => {
  test("stops in time, says how far it came, and goes on from there until nothing is left", async () => {
    const { found, said, at } = await lookedThrough("/entries?q=an+otter", "Continue from there");
    expect(found).toEqual(hidden);
    expect(said.length).toBeGreaterThan(1);
    expect(said[0]).toMatch(/^(Looked|Nothing found yet: looked) through [\d,]+ records, as far as \d+\./);
    // The last part says nothing of that; or, where the end was just reached, that there is nothing more.
    expect(at.body).not.toContain("Continue from there");
  });

  test("goes through a list in its order, those without a value to sort by too, forward and from its end", async () => {
    const inOrder = [700, 300, 301, 40];
    const forward = await lookedThrough("/seen?q=an+otter", "Continue from there");
    expect(forward.found).toEqual(inOrder);
    expect(forward.said.length).toBeGreaterThan(1);
    const backward = await lookedThrough("/seen?q=an+otter&last=", "Continue from there");
    expect(backward.parts.toReversed().flat()).toEqual(inOrder);
    expect(backward.said.length).toBeGreaterThan(1);
  });

  test("goes on where the database is so slow that few records are looked through in its time", async () => {
    await trips.owner.query(slowly(0.01));
    try {
      let at = await get("/seen?q=kingfisher");
      const looked: number[] = [];
      for (let turn = 0; turn < 3; turn++) {
        looked.push(Number(/^Nothing found yet: looked through (\d+) records/.exec(at.said ?? "")?.[1]));
        at = await get(at.link("Continue from there") ?? "");
      }
      for (const records of looked) expect(records).toBeGreaterThanOrEqual(30);
    } finally {
      await trips.owner.query(slowly(0.001));
    }
  });

  test("that finds nothing says so only at the end", async () => {
    const { found, said, at } = await lookedThrough("/entries?q=kingfisher", "Continue from there");
    expect([found, said.slice(0, -1).every((each) => each.startsWith("Nothing found yet"))]).toEqual([[], true]);
    expect(at.said ?? at.body).toMatch(
      /Nothing more was found from here to the end of the list\.|Nothing here contains/,
    );
    expect(at.link("First") ?? at.link("First part")).toBeDefined();
  });

  test("of a code that is typed in full is answered by its own index, and can be gone through everywhere", async () => {
    const at = await get("/entries?q=C-600");
    expect([at.found, at.said]).toEqual([[600], "Only records where a column is exactly “C-600” are shown."]);
    const { found } = await lookedThrough(at.link("Search everywhere") ?? "", "Continue from there");
    expect(found).toEqual([600]);
  });

  test("is told to programs as well", async () => {
    const response = await fetch(`${served.origin}/entries?q=an+otter`, { headers: { accept: "application/json" } });
    const list = (await response.json()) as { items: { key: { id: string } }[]; next: string; looked: object };
    expect(response.status).toBe(200);
    expect(list.looked).toEqual({
      how: "stopped",
      records: expect.any(Number),
      until: expect.stringMatching(/^\d+$/),
      backward: false,
    });
    expect(list.next).toContain("after=");
    // Records that have a code in full are not taken for all that contain it.
    const coded = await fetch(`${served.origin}/entries?q=C-600`, { headers: { accept: "application/json" } });
    expect(((await coded.json()) as { looked: object }).looked).toMatchObject({ how: "stopped" });
  });

  test("after a save that goes on to the next record found, leads back to the list", async () => {
    const form = formOf(await (await fetch(`${served.origin}/seen/699/edit?q=kingfisher`)).text());
    const saved = await fetch(`${served.origin}/seen/699/edit?q=kingfisher`, {
      method: "POST",
      redirect: "manual",
      headers: { "content-type": "application/x-www-form-urlencoded" },
      body: bodyOf(form, { code: "C-forty" }),
    });
    expect([saved.status, saved.headers.get("location")]).toEqual([303, "/seen?q=kingfisher"]);
    expect(decodeURIComponent(saved.headers.get("set-cookie") ?? "")).toMatch(/is saved\.(?! It was the last)/);
    expect((await trips.one<{ code: string }>("SELECT code FROM proof.entry WHERE id = 699")).code).toBe("C-forty");
  });
});
