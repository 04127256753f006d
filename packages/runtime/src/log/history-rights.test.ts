import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { formOf } from "@loyal-quill/testing";
import { makeTrips, type Trips, tamsin } from "../testing/trips.js";

/** What somebody reads of a record's past: only what was written while it was theirs to see, and the same record. */

const north = { ...tamsin, id: "north", name: "Bryn Talbot", attributes: { region_id: 1 } };
const south = { ...tamsin, id: "south", name: "Lotte Haas", attributes: { region_id: 2 } };

const peg = `format: loyal-quill/page@1
title: "Peg {id}"
path: /pegs/{id}
record: { table: proof.peg, key: id, key-editable: true }
access: { rows: row.region_id == actor.region_id || actor.region_id == 9, new: true, delete: true, history: 'row.state != "sealed"' }
fields: [id, region_id, state, notes]
`;

let trips: Trips;
beforeAll(async () => {
  trips = await makeTrips({
    sql: [
      "CREATE SCHEMA proof",
      "CREATE TABLE proof.peg (id integer PRIMARY KEY, region_id integer NOT NULL, state text NOT NULL DEFAULT 'open', notes text)",
      "INSERT INTO proof.peg (id, region_id) VALUES (1, 1), (2, 1), (3, 1)",
      "GRANT USAGE ON SCHEMA proof TO quill_pages",
      "GRANT SELECT, INSERT, UPDATE, DELETE ON ALL TABLES IN SCHEMA proof TO quill_pages",
    ],
    files: { peg },
  });
});
afterAll(() => trips.close());

const all = { ...tamsin, id: "all", name: "Cato Nwosu", attributes: { region_id: 9 } };
const save = async (id: number, edits: Record<string, string>): Promise<void> => {
  const path = `/pegs/${id}/edit`;
  const saved = await trips.save(path, all, await trips.open(path, all), edits);
  expect(saved.recorded.outcome).toBe("saved");
};
const get = async (path: string, actor = south, query: Record<string, string> = {}) =>
  (await trips.send("GET", path, actor, null, trips.database, query)).response;
const lines = (html: string): string[] =>
  [
    ...html.matchAll(/<tr><th scope="row">(.*?)<\/th><td><bdi>(.*?)<\/bdi><\/td><td><bdi>(.*?)<\/bdi><\/td><\/tr>/g),
  ].map(([, label, old, now]) => `${label}: ${old} → ${now}`);

describe("a record that came from elsewhere", () => {
  test("tells those who see it now nothing of what was written there, and of its coming only what it became", async () => {
    await save(1, { notes: "of the north" });
    await save(1, { region_id: "2" });
    await save(1, { notes: "of the south" });
    const seen = lines((await get("/pegs/1/history")).body);
    expect(seen).toEqual(["Notes: of the north → of the south", "Region: (not shown) → 2"]);
    expect((await get("/pegs/1/history", north)).status).toBe(404);
    // Its way back is told to those of whom it was.
    await save(1, { region_id: "1", notes: "back in the north" });
    expect(lines((await get("/pegs/1/history", north)).body)).toEqual([
      "Region: (not shown) → 1",
      "Notes: (not shown) → back in the north",
      "Region: 1 → (not shown)",
      "Notes: – → of the north",
    ]);
  });

  test("does not open its form with what it was there", async () => {
    await save(2, { notes: "first of the north" });
    await save(2, { notes: "second of the north" });
    await save(2, { region_id: "2", notes: "for all to see" });
    const { rows } = await trips.owner.query<{ id: string }>(
      `SELECT id::text FROM quill_log.change WHERE record_key = '{"id":"2"}' ORDER BY id`,
    );
    for (const { id } of rows) {
      const form = formOf((await get("/pegs/2/edit", south, { old: id })).body);
      expect(form.get("notes")).toBe("for all to see");
    }
    expect(formOf((await get("/pegs/2/edit", all, { old: rows[1]?.id ?? "" })).body).get("notes")).toBe(
      "first of the north",
    );
  });

  test("says nothing of the time in which its changes were nobody's to see", async () => {
    await save(3, { state: "sealed" });
    await save(3, { notes: "under seal" });
    await save(3, { state: "open" });
    expect(lines((await get("/pegs/3/history", north)).body)).toEqual([
      "State: (not shown) → open",
      "State: open → (not shown)",
    ]);
  });
});

test("what was written of another record under the same key is not told: deleted and made anew, or moved away", async () => {
  await trips.owner.query("INSERT INTO proof.peg (id, region_id) VALUES (7, 2)");
  await save(7, { notes: "of the first one" });
  const form = await trips.open("/pegs/7/delete", all);
  expect((await trips.save("/pegs/7/delete", all, form)).recorded.outcome).toBe("saved");
  const made = await trips.open("/pegs/new", all);
  const begun = { id: "7", region_id: "2", notes: "of the second one" };
  expect((await trips.save("/pegs/new", all, made, begun)).recorded.outcome).toBe("saved");
  const seen = (await get("/pegs/7/history")).body;
  expect([seen.includes("of the first one"), seen.includes("of the second one")]).toEqual([false, true]);
  // Made anew past the log: what is in the log ends with the deletion.
  await trips.owner.query("INSERT INTO proof.peg (id, region_id, notes) VALUES (8, 2, 'past the log')");
  await save(8, { notes: "of the first one" });
  expect((await trips.save("/pegs/8/delete", all, await trips.open("/pegs/8/delete", all))).recorded.outcome).toBe(
    "saved",
  );
  await trips.owner.query("INSERT INTO proof.peg (id, region_id, notes) VALUES (8, 2, 'another')");
  expect((await get("/pegs/8/history")).body).not.toContain("of the first one");
});

test("a long past is read part by part, and its older entries by the same rights", async () => {
  await trips.owner.query("INSERT INTO proof.peg (id, region_id) VALUES (20, 1)");
  for (let index = 0; index < 30; index++) await save(20, { notes: `north ${index}` });
  await save(20, { region_id: "2" });
  for (let index = 0; index < 30; index++) await save(20, { notes: `south ${index}` });
  const first = (await get("/pegs/20/history")).body;
  const [, upto = ""] = /upto=(\d+)/.exec(first) ?? [];
  const rest = (await get("/pegs/20/history", south, { upto })).body;
  expect([lines(first).length, lines(rest).length, rest.includes("upto=")]).toEqual([20, 11, false]);
  expect(lines(rest).at(-1)).toBe("Region: (not shown) → 2");
  expect(rest.replace("north 29", "")).not.toContain("north");
});
