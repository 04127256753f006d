import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { bodyOf, everyTypePage, everyTypeRows, everyTypeSql, everyTypeTyped, formOf } from "@loyal-quill/testing";
import { hollis, makeTrips, type Trips } from "../../testing/trips.js";

let trips: Trips;
beforeAll(async () => {
  trips = await makeTrips({ sql: everyTypeSql, files: { "every-type": everyTypePage } });
});
afterAll(() => trips.close());

const send = (method: string, address: string, body: string | null = null) => trips.send(method, address, hollis, body);
const addressOf = (row: number): string => `/every-type/${row}/edit`;
const rowText = async (row: number): Promise<string> =>
  (
    await trips.one<{ text: string }>(
      'SELECT t::text || t.xmin::text AS text FROM proof."Every Type" AS t WHERE id = $1',
      [row],
    )
  ).text;

describe("a table with a column of every type", () => {
  test("gets a sound page", () => {
    expect(trips.site().files.flatMap((file) => file.findings.map(({ code }) => code))).toEqual(["open-to-everybody"]);
    expect(trips.site().pages).toHaveLength(1);
  });

  test.each(Array.from({ length: everyTypeRows }, (_, index) => index + 1))(
    "row %d opened and sent untouched changes nothing and writes nothing",
    async (row) => {
      const before = await rowText(row);
      const form = formOf((await send("GET", addressOf(row))).response.body);
      const { recorded, response } = await send("POST", addressOf(row), bodyOf(form));
      const touched = recorded?.steps
        .find((step) => step.step === "read")
        ?.values.filter((value) => value.note !== "untouched");
      expect(touched).toEqual([]);
      expect([response.status, recorded?.outcome]).toEqual([303, "unchanged"]);
      expect(await rowText(row)).toBe(before);
    },
  );

  test.each(everyTypeTyped)(
    "touching %j with %j stores %j, and the log says so of that field only",
    async (column, text, stored) => {
      const form = formOf((await send("GET", addressOf(1))).response.body);
      const { recorded } = await send("POST", addressOf(1), bodyOf(form, { [column]: text }));
      expect([recorded?.outcome, recorded?.steps.at(-1)?.stopped]).toEqual(["saved", null]);
      const { rows } = await trips.owner.query<{ fields: { field: string; new: string }[] }>(
        "SELECT fields FROM quill_log.change ORDER BY id DESC LIMIT 1",
      );
      expect(rows[0]?.fields.map((change) => [change.field, change.new])).toEqual([[column, stored]]);
    },
  );

  test.each([
    ["inet", "10.0.0.256", "Inet can't be stored: invalid input syntax for type inet"],
    ["range", "[7,3]", "Range can't be stored: range lower bound must be less than or equal to range upper bound"],
    ["code", "XX-1", "Code isn’t in the expected format."],
    ["code", "MV-13", "Code can't be stored: value for domain proof.code violates check constraint"],
    ["percent%", "100.50", "Percent% is above 100: enter 100 or less."],
    ["rate", "100.50", "Rate is above 100: enter 100 or less."],
    ["rate", "0.50", "Rate is below 1: enter 1 or more."],
    ["texts", "{a", "Texts can't be stored: malformed array literal"],
    ["xml", "<a", "XML can't be stored: invalid XML content"],
    ["day", "0044-02-30 BC", "Day can't be stored: date/time field value out of range"],
    ["nested", "{1,two}", "Nested can't be stored: invalid input syntax for type integer"],
    ["rounded", "3450", "Rounded must be a multiple of 100."],
    ["small", "32768", "Small is above 32767"],
  ])(
    "what PostgreSQL refuses of %j becomes the field's message, and what was typed stays: %j",
    async (column, text, message) => {
      const before = await rowText(2);
      const form = formOf((await send("GET", addressOf(2))).response.body);
      const { response } = await send("POST", addressOf(2), bodyOf(form, { [column]: text, select: "typed too" }));
      expect(response.status).toBe(422);
      expect(response.body.replaceAll("&#39;", "'")).toContain(message);
      expect(formOf(response.body).get(column)).toBe(text);
      expect(formOf(response.body).get("select")).toBe("typed too");
      expect(await rowText(2)).toBe(before);
    },
  );

  test("several refused values are told at once", async () => {
    const form = formOf((await send("GET", addressOf(2))).response.body);
    const { response } = await send("POST", addressOf(2), bodyOf(form, { inet: "x", mac: "y", bits: "z" }));
    expect(response.body).toContain("Fix 3 errors");
  });

  test("generated columns are shown and never written", async () => {
    const { response } = await send("GET", addressOf(1));
    expect(formOf(response.body).has("doubled")).toBe(false);
    expect(formOf(response.body).has("number")).toBe(false);
    const { recorded } = await send("POST", addressOf(1), bodyOf(formOf(response.body), { doubled: "7", number: "7" }));
    expect(recorded?.outcome).toBe("unchanged");
  });
});
