import { afterAll, beforeAll, expect, test } from "@jest/globals";
import { hollis, makeTrips, type Trips } from "../testing/trips.js";

/* A collation that is not deterministic: PostgreSQL takes texts for equal that are written otherwise, and has no patterns for them. */

const file = `format: loyal-quill/page@1
title: "Weir {name}"
plural: Weirs
path: /weirs/{code}
record: { table: proof.weir, key: code }
access: { open: "true", history: "true", edit: row.keeper != "nobody", rows: '!row.name.startsWith("gone")' }
list: { columns: [code, name, keeper], filter: [keeper] }
fields:
  - name
  - keeper
  - upstream: { choices: { by: search, where: row.code != "E" } }
`;

let trips: Trips;
beforeAll(async () => {
  trips = await makeTrips({
    sql: [
      "CREATE SCHEMA proof",
      "CREATE COLLATION proof.folded (provider = icu, locale = 'und-u-ks-level2', deterministic = false)",
      `CREATE TABLE proof.weir (code text COLLATE proof.folded PRIMARY KEY, name text COLLATE proof.folded NOT NULL UNIQUE,
        keeper text COLLATE proof.folded CHECK (keeper IN ('ines', 'rook', 'nobody')), upstream text COLLATE proof.folded REFERENCES proof.weir)`,
      `INSERT INTO proof.weir VALUES ('A', 'North Weir', 'Rook', NULL), ('B', 'south weir', 'nobody', 'A'), ('C', 'Old Sluice', 'Nobody', 'A'),
        ('D', 'Gone long ago', NULL, NULL), ('E', 'gone', NULL, NULL)`,
      "GRANT USAGE ON SCHEMA proof TO quill_pages",
      "GRANT SELECT, INSERT, UPDATE, DELETE ON ALL TABLES IN SCHEMA proof TO quill_pages",
    ],
    files: { weir: file },
  });
});
afterAll(() => trips.close());

test("the page is sound", () => {
  expect(trips.site().files.flatMap(({ findings }) => findings)).toEqual([]);
});

const get = async (address: string, query: Readonly<Record<string, string>> = {}) =>
  (await trips.send("GET", address, hollis, null, undefined, query)).response;
const named = (body: string): readonly string[] =>
  ["North Weir", "south weir", "Old Sluice", "Gone long ago"].filter((name) => body.includes(`>${name}<`));

test("a list is searched in either case, whatever signs are searched for", async () => {
  expect(named((await get("/weirs", { q: "WEIR" })).body)).toEqual(["North Weir", "south weir"]);
  expect(named((await get("/weirs", { q: "sluice OLD" })).body)).toEqual(["Old Sluice"]);
  for (const sign of ["%", "_", "\\", "'"]) {
    const { status, body } = await get("/weirs", { q: sign });
    expect([sign, status, named(body)]).toEqual([sign, 200, []]);
  }
});

test("a condition means the same in SQL as at the form: what is written otherwise is another text", async () => {
  expect(named((await get("/weirs")).body)).toEqual(["North Weir", "south weir", "Old Sluice", "Gone long ago"]);
  expect((await get("/weirs/E")).status).toBe(404);
  expect((await get("/weirs/D")).status).toBe(200);
  expect((await get("/weirs/B/edit")).body).not.toContain('method="post"');
  expect((await get("/weirs/C/edit")).body).toContain('method="post"');
});

test("choices are searched as well", async () => {
  const { status, body } = await get("/weirs/~choices/upstream", { q: "WEIR" });
  expect([status, body.includes("North Weir"), body.includes("Old Sluice")]).toEqual([200, true, false]);
});

test("what is only written otherwise is saved, with its entry, and what the table takes is taken", async () => {
  const form = await trips.open("/weirs/A/edit", hollis);
  const { response, recorded } = await trips.save("/weirs/A/edit", hollis, form, {
    name: "NORTH weir",
    keeper: "ROOK",
  });
  expect([response.status, recorded?.outcome]).toEqual([303, "saved"]);
  expect(await trips.one("SELECT name, keeper FROM proof.weir WHERE code = 'A'")).toEqual({
    name: "NORTH weir",
    keeper: "ROOK",
  });
  const { fields } = await trips.one<{ fields: readonly Record<string, string>[] }>(
    "SELECT fields FROM quill_log.change ORDER BY id DESC LIMIT 1",
  );
  expect(fields).toMatchObject([
    { field: "name", old: "North Weir", new: "NORTH weir" },
    { field: "keeper", old: "Rook", new: "ROOK" },
  ]);
});

test("what is the same to the table is refused as taken", async () => {
  const form = await trips.open("/weirs/A/edit", hollis);
  const { response } = await trips.save("/weirs/A/edit", hollis, form, { name: "SOUTH WEIR" });
  expect(response.status).toBe(422);
  expect(response.body).toContain("Name is already used by another record: enter a different one.");
});

test("a record whose key is written otherwise is led to at its one address, whoever may not see it", async () => {
  for (const path of ["", "/edit", "/history"]) {
    const { status, headers } = await get(`/weirs/a${path}`, { q: "x" });
    expect([status, headers.location]).toEqual([308, `/weirs/A${path}?q=x`]);
  }
  expect((await get("/weirs/e")).status).toBe(404);
  expect((await get("/weirs/none")).status).toBe(404);
});
