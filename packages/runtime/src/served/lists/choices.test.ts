import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { bodyOf } from "@loyal-quill/testing";
import { dara, makeTrips, type Trips, tamsin } from "../../testing/trips.js";

let trips: Trips;
let visit: string;
let calibration: string;
beforeAll(async () => {
  trips = await makeTrips({
    sql: [
      "CREATE TABLE field.part (number integer PRIMARY KEY, name text NOT NULL, sold boolean NOT NULL DEFAULT true)",
      "INSERT INTO field.part SELECT n, 'Part ' || n FROM generate_series(1, 600) AS n",
      "CREATE TABLE field.order_line (id integer PRIMARY KEY, part integer REFERENCES field.part, note text)",
      "INSERT INTO field.order_line VALUES (1, 17, NULL), (2, NULL, NULL)",
      "ANALYZE field.part",
      "GRANT SELECT, UPDATE ON field.part, field.order_line TO quill_pages",
    ],
  });
  await trips.reloadWith({
    order: `format: loyal-quill/page@1
title: "Line {id}"
path: /orders/{id}
record: { table: field.order_line, key: id }
fields: [{ part: { choices: { where: row.sold } } }, note]
`,
  });
  visit = (await trips.one<{ id: string }>("SELECT id FROM field.visit WHERE station_code = 'MV-014' LIMIT 1")).id;
  calibration = (
    await trips.one<{ id: string }>("SELECT id FROM field.calibration WHERE station_code = 'MV-014' AND channel = 1")
  ).id;
});
afterAll(() => trips.close());

const optionsIn = (html: string, name: string): string[] => {
  const select = new RegExp(`<select[^>]* name="${name}"[^>]*>(.*?)</select>`, "s").exec(html)?.[1] ?? "";
  return [...select.matchAll(/<option[^>]*>(.*?)<\/option>/g)].map((match) => match[1] ?? "");
};
const shown = async (path: string): Promise<string> => (await trips.send("GET", path, tamsin)).response.body;
const asked = async (path: string, query: Record<string, string>, actor = tamsin) => {
  const { response } = await trips.send("GET", path, actor, null, undefined, query);
  return { status: response.status, body: response.status === 200 ? JSON.parse(response.body) : null };
};

describe("choices among many records", () => {
  test("are made by searching, from the number that PostgreSQL estimates on, and show the label of what is stored", async () => {
    const html = await shown("/orders/1/edit");
    expect(optionsIn(html, "part")).toEqual(["–", "Part 17"]);
    expect(html).toContain('name="quill.find:part"');
  });

  test("a search without a script shows the form again with what was found, and saves nothing", async () => {
    const form = await trips.open("/orders/1/edit", tamsin);
    const before = await trips.one("SELECT xmin::text AS version FROM field.order_line WHERE id = 1");
    const { response, recorded } = await trips.send(
      "POST",
      "/orders/1/edit",
      tamsin,
      bodyOf(form, { note: "typed", "quill.find:part": "part 20", "quill.look": "part" }),
    );
    expect(response.status).toBe(200);
    expect(recorded.outcome).toBe("shown");
    // What contains the words as they were typed comes first, then what contains each of them somewhere.
    expect(optionsIn(response.body, "part")).toEqual(
      [
        "–",
        "Part 17",
        "Part 20",
        ...Array.from({ length: 10 }, (_, n) => `Part 20${n}`),
        ...["120", "220", "320", "420", "520"].map((n) => `Part ${n}`),
      ].filter((each, index, all) => all.indexOf(each) === index),
    );
    expect(response.body).toContain('value="typed"');
    expect(response.body).toContain("16 found: choose one.");
    expect(await trips.one("SELECT xmin::text AS version FROM field.order_line WHERE id = 1")).toEqual(before);
  });

  test("the enter key in the search field finds; the button Update saves, whatever stands in the search field", async () => {
    const form = await trips.open("/orders/1/edit", tamsin);
    const found = await trips.save("/orders/1/edit", tamsin, form, { "quill.find:part": "Part 600" });
    expect(found.recorded.outcome).toBe("shown");
    expect(optionsIn(found.response.body, "part")).toContain("Part 600");
    const saved = await trips.save("/orders/1/edit", tamsin, form, {
      part: "600",
      "quill.find:part": "Part 600",
      "quill.save": "",
    });
    expect(saved.recorded.outcome).toBe("saved");
    expect(await trips.one("SELECT part FROM field.order_line WHERE id = 1")).toEqual({ part: 600 });
  });

  test("a stored value that is no longer on offer stays selected and is marked with its label; untouched it may stay", async () => {
    await trips.owner.query("UPDATE field.part SET sold = false WHERE number = 600");
    const html = await shown("/orders/1/edit");
    expect(optionsIn(html, "part")).toEqual(["–", "Part 600 (no longer offered)"]);
    const form = await trips.open("/orders/1/edit", tamsin);
    expect((await trips.save("/orders/1/edit", tamsin, form, { note: "kept" })).response.status).toBe(303);
    const other = await trips.open("/orders/2/edit", tamsin);
    const refused = await trips.save("/orders/2/edit", tamsin, other, { part: "600" });
    expect(refused.response.status).toBe(422);
    expect(refused.response.body).toContain("Part must be one of the choices offered.");
  });

  test("are given to the script as JSON, only to those who may open the page, and only those on offer", async () => {
    const { body } = await asked("/orders/~choices/part", { q: "part 60" });
    expect(body.options.map(({ label }: { label: string }) => label).slice(0, 2)).toEqual(["Part 60", "Part 160"]);
    expect((await asked("/orders/~choices/part", { q: "60 art 1" })).body.options).toEqual([
      { value: "160", label: "Part 160" },
    ]);
    expect((await asked("/orders/~choices/part", { q: "%" })).body.options).toEqual([]);
    const many = (await asked("/orders/~choices/part", { q: "" })).body;
    expect([many.options.length, many.more]).toEqual([20, true]);
    expect((await asked("/orders/~choices/note", {})).status).toBe(404);
    expect((await asked("/visits/~choices/station_code", { q: "weir" }, dara)).status).toBe(403);
  });

  test("a page may ask for a search where there are few", async () => {
    const html = await shown(`/visits/${visit}/edit`);
    expect(optionsIn(html, "station_code")).toEqual(["MV-014, Otter Weir"]);
  });
});

describe("choices that depend on another field", () => {
  test("are those of the stored record when it is opened", async () => {
    const html = await shown(`/calibrations/${calibration}/edit`);
    expect(optionsIn(html, "channel").every((option) => /^\d+, /.test(option))).toBe(true);
    const { count } = await trips.one<{ count: string }>(
      "SELECT count(*) FROM network.sensor WHERE station_code = 'MV-014'",
    );
    expect(optionsIn(html, "channel")).toHaveLength(Number(count));
  });

  test("follow the form: by a button without a script, by JSON with one", async () => {
    const { rows } = await trips.owner.query<{ channel: number; kind: string }>(
      "SELECT channel, kind FROM network.sensor WHERE station_code = 'MV-002' ORDER BY channel",
    );
    const expected = rows.map(({ channel, kind }) => `${channel}, ${kind}`);
    const form = await trips.open("/calibrations/new", tamsin);
    const { response } = await trips.save("/calibrations/new", tamsin, form, {
      station_code: "MV-002",
      "quill.look": "channel",
    });
    expect(response.status).toBe(200);
    expect(optionsIn(response.body, "channel")).toEqual(["–", ...expected]);
    const { body } = await asked("/calibrations/~choices/channel", { "form.station_code": "MV-002" });
    expect(body.options.map((each: { label: string }) => each.label)).toEqual(expected);
    expect((await asked("/calibrations/~choices/channel", { "form.station_code": "'; --" })).body.options).toEqual([]);
  });

  test("a number that another station has, too, does not go by that one's name", async () => {
    await trips.owner.query("DELETE FROM network.sensor AS s WHERE station_code = 'MV-002' AND channel = 3");
    const form = await trips.open(`/calibrations/${calibration}/edit`, tamsin);
    const { response } = await trips.save(`/calibrations/${calibration}/edit`, tamsin, form, {
      station_code: "MV-002",
      channel: "3",
      "quill.look": "channel",
    });
    expect(optionsIn(response.body, "channel").filter((label) => label.startsWith("3"))).toEqual([
      expect.stringMatching(/^3 \(/),
    ]);
  });

  test("a pair that does not exist is refused at the field", async () => {
    const form = await trips.open(`/calibrations/${calibration}/edit`, tamsin);
    const { response } = await trips.save(`/calibrations/${calibration}/edit`, tamsin, form, { channel: "16" });
    expect(response.status).toBe(422);
    expect(response.body).toContain("Channel names a record that does not exist");
  });
});
