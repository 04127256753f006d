import { afterAll, beforeAll, expect, test } from "@jest/globals";
import { hollis, makeTrips, type Trips } from "../testing/trips.js";

/* Keys of types of which equal values can be written in several ways: each record has one address, at which its log and its form are found. */

const kinds: readonly (readonly [type: string, stored: string, others: readonly string[]])[] = [
  ["numeric", "1.50", ["1.5", "1.500", "01.50"]],
  ["numeric(6,2)", "1.50", ["1.5", "01.50"]],
  ["citext", "Ann", ["ann", "ANN"]],
  ["char(8)", "ab", ["ab%20", "ab%20%20%20"]],
  ["inet", "10.0.0.1", ["10.0.0.1%2F32"]],
  ["interval", "PT1H", ["1%20hour", "60%20minutes"]],
  ["time", "07:08:00", ["07:08"]],
  ["double precision", "1.5", ["1.50", "15e-1"]],
  ["timestamptz", "2026-05-06 07:08:00+00", ["2026-05-06%2009:08%2B02"]],
  ["date", "2026-05-06", []],
];

let trips: Trips;
beforeAll(async () => {
  trips = await makeTrips({
    sql: [
      "CREATE EXTENSION citext",
      "CREATE SCHEMA proof",
      "SET timezone TO 'UTC'",
      ...kinds.flatMap(([type, stored], index) => [
        `CREATE TABLE proof.kept_${index} (k ${type} PRIMARY KEY, note text)`,
        `INSERT INTO proof.kept_${index} VALUES ('${stored}', 'as it was')`,
      ]),
      "GRANT USAGE ON SCHEMA proof TO quill_pages",
      "GRANT SELECT, INSERT, UPDATE, DELETE ON ALL TABLES IN SCHEMA proof TO quill_pages",
    ],
    files: Object.fromEntries(
      kinds.map((_, index) => [
        `kept-${index}`,
        `format: loyal-quill/page@1\ntitle: "Kept {k}"\nplural: Kept ${index}\npath: /kept-${index}/{k}\nrecord: { table: proof.kept_${index}, key: k }\naccess: { open: "true", history: "true" }\nfields: [note]\n`,
      ]),
    ),
  });
});
afterAll(() => trips.close());

const get = async (address: string) => (await trips.send("GET", address, hollis, null)).response;

test.each(kinds.map(([type, stored, others], index) => ({ type, stored, others, index })))(
  "$type: from the list to the form, saved, and in the history, and by no other address",
  async ({ stored, others, index }) => {
    const list = await get(`/kept-${index}`);
    const address = new RegExp(`href="(/kept-${index}/[^"?/~]+)`).exec(list.body)?.[1] ?? "";
    expect(decodeURIComponent(address)).toBe(`/kept-${index}/${stored}`);
    const form = await trips.open(`${address}/edit`, hollis);
    const { response } = await trips.save(`${address}/edit`, hollis, form, { note: "as it is now" });
    expect(response.status).toBe(303);
    const history = await get(`${address}/history`);
    expect([history.status, history.body.includes("as it is now")]).toEqual([200, true]);
    for (const other of others)
      for (const path of ["", "/edit", "/history"]) {
        const { status, headers } = await get(`/kept-${index}/${other}${path}`);
        expect([other, status, headers.location]).toEqual([other, 308, `${address}${path}`]);
      }
  },
);
