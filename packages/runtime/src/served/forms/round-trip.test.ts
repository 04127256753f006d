import { afterAll, beforeAll, beforeEach, describe, expect, test } from "@jest/globals";
import { formOf } from "@loyal-quill/testing";
import { dara, hollis, makeTrips, type Trips, tamsin } from "../../testing/trips.js";

let trips: Trips;
beforeAll(async () => {
  trips = await makeTrips({ poolSize: 20 });
});
afterAll(() => trips.close());

const send: Trips["send"] = (...given) => trips.send(...given);
const open: Trips["open"] = (...given) => trips.open(...given);
const save: Trips["save"] = (...given) => trips.save(...given);
const one: Trips["one"] = (...given) => trips.one(...given);

const station = (code: string) =>
  one<Record<string, string | null>>(
    "SELECT to_jsonb(s) ->> 'warning_m' AS warning_m, name, notes, telemetry::text, status::text, xmin::text AS version FROM network.station s WHERE code = $1",
    [code],
  );
const entries = async (): Promise<number> =>
  Number((await one<{ count: string }>("SELECT count(*) FROM quill_log.change")).count);
const allRows = async (): Promise<string> =>
  (
    await one<{ all: string }>(
      "SELECT md5(string_agg(r, '' ORDER BY r)) AS all FROM (SELECT s::text || s.xmin::text AS r FROM network.station s UNION ALL SELECT s::text || s.xmin::text FROM network.sensor s) AS x",
    )
  ).all;

const mv014 = "/stations/MV-014/edit";

describe("the demo's pages over the demo's tables", () => {
  test("are sound", () => {
    expect(trips.site().files.map((file) => [file.name, file.findings])).toEqual([
      ["bulletin", []],
      ["calibration", []],
      ["loan", []],
      ["reading-note", []],
      ["region", []],
      ["river", []],
      ["sensor", []],
      ["station", []],
      ["visit", []],
    ]);
  });

  test("every table of Marrow Vale is read from the catalogs", () => {
    expect(trips.site().catalog.tables.map((table) => `${table.schema}.${table.name}`)).toEqual([
      "field.calibration",
      "field.reading_note",
      "field.visit",
      "legacy.InstrumentLoan",
      "network.region",
      "network.river",
      "network.sensor",
      "network.station",
      "office.bulletin",
      "office.person",
    ]);
  });

  test("keys, types, references and constraints are those of the schema", () => {
    const find = (name: string) => trips.site().catalog.tables.find((table) => table.name === name);
    expect(find("bulletin")?.keys.map((key) => key.columns)).toEqual([["id"], ["slug"]]);
    expect(find("sensor")?.keys.map((key) => key.columns)).toEqual([["station_code", "channel"], ["serial_number"]]);
    const station = find("station");
    expect(station?.columns.find((column) => column.name === "alert_m")?.type).toMatchObject({
      shown: "numeric(5,2)",
      cast: "numeric",
      kind: "decimal",
      precision: 5,
      scale: 2,
    });
    expect(station?.columns.find((column) => column.name === "status")?.type.labels).toEqual([
      "planned",
      "live",
      "suspended",
      "retired",
    ]);
    expect(station?.references.map((each) => [each.columns, each.to.table])).toEqual([
      [["region_id"], "region"],
      [["river_id"], "river"],
    ]);
    expect(station?.constraints.map((each) => each.constraint)).toEqual([
      "station_code_form",
      "station_levels",
      "station_grid_reference_key",
    ]);
    const loan = find("InstrumentLoan");
    expect(loan?.columns.find((column) => column.name === "InstrumentCode")?.type).toMatchObject({
      shown: "character(8)",
      cast: "bpchar",
      maxLength: 8,
    });
    expect(find("river")?.columns.find((column) => column.name === "id")?.written).toBe("always");
  });
});

describe("saving", () => {
  test("one field of one record: one row is touched, one entry tells who, what and from what to what", async () => {
    const before = await station("MV-014");
    const count = await entries();
    const { response, recorded } = await save(mv014, hollis, await open(mv014, hollis), { warning_m: "4.41" });
    expect(response.status).toBe(303);
    expect(response.headers.location).toBe("/stations");
    const after = await station("MV-014");
    expect({ ...after, version: "" }).toEqual({ ...before, warning_m: "4.41", version: "" });
    const touched = await one<{ count: string }>("SELECT count(*) FROM network.station WHERE xmin::text = $1", [
      after.version,
    ]);
    expect(touched.count).toBe("1");
    expect(await entries()).toBe(count + 1);
    const entry = await one(
      "SELECT actor_id, actor_name, page, table_name, record_key, operation, fields, way, request_id FROM quill_log.change ORDER BY id DESC LIMIT 1",
    );
    expect(entry).toEqual({
      actor_id: "hollis",
      actor_name: "Hollis Brandt",
      page: "station",
      table_name: "network.station",
      record_key: { code: "MV-014" },
      operation: "update",
      fields: [{ field: "warning_m", old: before.warning_m, new: "4.41" }],
      way: "page",
      request_id: recorded?.id,
    });
    expect(recorded?.steps.map((step) => step.step)).toEqual([
      "route",
      "key",
      "access",
      "read",
      "check",
      "compare",
      "write",
      "answer",
    ]);
  });

  test("every station and sensor untouched writes nothing at all", async () => {
    const before = await allRows();
    const count = await entries();
    const { rows } = await trips.owner.query<{ path: string }>(
      "SELECT '/stations/' || code || '/edit' AS path FROM network.station WHERE status <> 'retired' UNION ALL SELECT '/sensors/' || station_code || '/' || channel || '/edit' FROM network.sensor",
    );
    expect(rows.length).toBeGreaterThan(150);
    for (const { path } of rows) {
      const { recorded } = await save(path, tamsin, await open(path, tamsin));
      expect([path, recorded?.outcome]).toEqual([path, "unchanged"]);
    }
    expect(await allRows()).toBe(before);
    expect(await entries()).toBe(count);
  });

  test("awkward text goes to the form and back to the letter", async () => {
    for (const text of [
      "\n\nthree lines\n",
      " spaces at both ends ",
      "<b>&amp;</b> \"quoted\" 'too'",
      "tab\there",
      "\r\nCR LF\r\n",
      "lone\rCR",
      "‏مرحبا‎ 🌊 é",
    ]) {
      await trips.owner.query("UPDATE network.station SET notes = $1 WHERE code = 'MV-014'", [text]);
      const { recorded } = await save(mv014, hollis, await open(mv014, hollis));
      expect([text, recorded?.outcome]).toEqual([text, "unchanged"]);
      expect((await station("MV-014")).notes).toBe(text);
    }
  });

  test("a box that is unticked is switched off, a box that is ticked is switched on", async () => {
    await trips.owner.query("UPDATE network.station SET telemetry = true WHERE code = 'MV-014'");
    await save(mv014, hollis, await open(mv014, hollis), { telemetry: null });
    expect((await station("MV-014")).telemetry).toBe("false");
    await save(mv014, hollis, await open(mv014, hollis), { telemetry: "true" });
    expect((await station("MV-014")).telemetry).toBe("true");
  });

  test("microseconds, trailing zeros and the composite key of a sensor", async () => {
    await trips.owner.query(
      "UPDATE network.sensor SET calibrated_at = '2026-07-01 09:30:00.123456+00', offset_m = 0.0120 WHERE station_code = 'MV-014' AND channel = 2",
    );
    const path = "/sensors/MV-014/2/edit";
    const form = await open(path, tamsin);
    expect(form.get("calibrated_at")).toBe("2026-07-01 10:30:00.123456");
    expect(form.get("offset_m")).toBe("0.0120");
    const { recorded } = await save(path, tamsin, form, { offset_m: "0.0121" });
    expect(recorded?.outcome).toBe("saved");
    const entry = await one<{ fields: unknown; record_key: unknown }>(
      "SELECT fields, record_key FROM quill_log.change ORDER BY id DESC LIMIT 1",
    );
    expect(entry).toEqual({
      fields: [{ field: "offset_m", old: "0.0120", new: "0.0121" }],
      record_key: { station_code: "MV-014", channel: "2" },
    });
  });
});

describe("a form that is refused", () => {
  let before = "";
  beforeEach(async () => {
    before = await allRows();
  });

  const refused = async (edits: Record<string, string>): Promise<string> => {
    const { response } = await save(mv014, hollis, await open(mv014, hollis), edits);
    expect(response.status).toBe(422);
    expect(await allRows()).toBe(before);
    return response.body;
  };

  test("comes back with what was typed and a message at each field", async () => {
    const page = await refused({ warning_m: "abc", name: "", installed_on: "last spring" });
    expect(formOf(page).get("warning_m")).toBe("abc");
    expect(formOf(page).get("installed_on")).toBe("last spring");
    expect(page).toContain("Fix 3 errors");
  });

  test("can be put right and sent again, with the same certainty about the others", async () => {
    const page = await refused({ warning_m: "abc", name: "Otter Weir East" });
    const { recorded } = await save(mv014, hollis, formOf(page), { warning_m: "4.10" });
    expect(recorded?.outcome).toBe("saved");
    expect(await station("MV-014")).toMatchObject({ warning_m: "4.10", name: "Otter Weir East" });
  });

  test("by the table's unique constraint gets the field's message", async () => {
    const { grid_reference } = await one<{ grid_reference: string }>(
      "SELECT grid_reference FROM network.station WHERE code = 'MV-013'",
    );
    expect(await refused({ grid_reference })).toContain("Grid reference is already used by another record");
  });

  test("gets all its messages at once, those of the table too", async () => {
    const { grid_reference } = await one<{ grid_reference: string }>(
      "SELECT grid_reference FROM network.station WHERE code = 'MV-013'",
    );
    const page = await refused({ grid_reference, river_id: "99999", name: "" });
    expect(page).toContain("Fix 3 errors");
    expect(page).toContain("Grid reference is already used by another record");
    expect(page).toContain("River names a record that does not exist");
  });

  test("does not count the record itself as another one", async () => {
    const { grid_reference } = await one<{ grid_reference: string }>(
      "SELECT grid_reference FROM network.station WHERE code = 'MV-014'",
    );
    await trips.owner.query("UPDATE network.station SET grid_reference = 'MV 000 000' WHERE code = 'MV-014'");
    const form = await open(mv014, hollis);
    await trips.owner.query("UPDATE network.station SET grid_reference = $1 WHERE code = 'MV-014'", [grid_reference]);
    const { response } = await save(mv014, hollis, form, { grid_reference, name: "" });
    expect(response.body).not.toContain("already used");
    before = await allRows();
  });

  test("by a foreign key gets the field's message and keeps the choice", async () => {
    const page = await refused({ river_id: "99999" });
    expect(page).toContain("River names a record that does not exist");
    expect(formOf(page).get("river_id")).toBe("99999");
  });

  test("by a check across fields gets it at the check's field", async () => {
    expect(await refused({ warning_m: "0.01" })).toContain("The warning level must lie above the alert level.");
  });

  test("by a range in the table's own CHECK is told the range, not the constraint", async () => {
    const page = await refused({ alert_m: "-1.00" });
    expect(page).toContain("Alert level is below 0.01: enter 0.01 or more.");
  });
});

describe("access", () => {
  test("another region's record is not found by a hydrologist, by form neither", async () => {
    const form = await open("/stations/MV-001/edit", tamsin);
    const opened = await send("GET", "/stations/MV-001/edit", hollis);
    expect(opened.response.status).toBe(404);
    expect(opened.recorded?.steps.at(-1)?.stopped).toContain("the record exists, but not under");
    const own = await open(mv014, hollis);
    const before = await allRows();
    for (const body of [form, own]) {
      const { response } = await save("/stations/MV-001/edit", hollis, body, { warning_m: "9.00" });
      expect([403, 404]).toContain(response.status);
    }
    expect(await allRows()).toBe(before);
  });

  test("the condition stands in the WHERE: a record that moves away meanwhile is not written", async () => {
    const form = await open("/stations/MV-020/edit", hollis);
    await trips.owner.query("UPDATE network.station SET region_id = 3 WHERE code = 'MV-020'");
    const { response } = await save("/stations/MV-020/edit", hollis, form, { name: "Mine still" });
    expect(response.status).toBe(404);
    expect((await station("MV-020")).name).not.toBe("Mine still");
    await trips.owner.query("UPDATE network.station SET region_id = 2 WHERE code = 'MV-020'");
  });

  test("a retired station is shown without a form, and a form made before is refused", async () => {
    const path = "/stations/MV-021/edit";
    const form = await open(path, hollis);
    await trips.owner.query("UPDATE network.station SET status = 'retired' WHERE code = 'MV-021'");
    const shown = await send("GET", path, hollis);
    expect(shown.response.status).toBe(200);
    expect(shown.response.body).toContain("A retired station is kept as it was.");
    expect(shown.response.body).not.toContain('method="post"');
    const { response } = await save(path, hollis, form, { name: "Changed all the same" });
    expect(response.status).toBe(403);
    expect((await station("MV-021")).name).not.toBe("Changed all the same");
  });

  test("a role that the page does not name is refused, by GET and by POST", async () => {
    const form = await open(mv014, hollis);
    expect((await send("GET", mv014, dara)).response.status).toBe(403);
    expect((await send("GET", "/stations", dara)).response.status).toBe(403);
    expect((await save(mv014, dara, form, { name: "x" })).response.status).toBe(403);
  });

  test("the list shows the actor's records only", async () => {
    const { response } = await send("GET", "/stations", hollis);
    expect(response.body).toContain("MV-014");
    expect(response.body).not.toContain("MV-001");
  });
});

describe("two people at once", () => {
  const path = "/stations/MV-018/edit";

  test("different fields merge, both keep their work", async () => {
    const [mine, theirs] = [await open(path, hollis), await open(path, tamsin)];
    expect((await save(path, tamsin, theirs, { notes: "Theirs." })).recorded?.outcome).toBe("saved");
    expect((await save(path, hollis, mine, { name: "Mine Weir" })).recorded?.outcome).toBe("saved");
    expect(await station("MV-018")).toMatchObject({ name: "Mine Weir", notes: "Theirs." });
  });

  test("the same field comes back as a conflict with both values and who, and nothing is written", async () => {
    const [mine, theirs] = [await open(path, hollis), await open(path, tamsin)];
    await save(path, tamsin, theirs, { name: "Theirs Weir" });
    const { response, recorded } = await save(path, hollis, mine, { name: "My Own Weir", notes: "Also mine." });
    expect(response.status).toBe(409);
    expect(recorded?.outcome).toBe("conflict");
    expect(response.body).toMatch(/Stored now by Tamsin Okoro at [^<]+: <q dir="auto">Theirs Weir<\/q>/);
    expect(formOf(response.body).get("name")).toBe("My Own Weir");
    expect((await station("MV-018")).name).toBe("Theirs Weir");
    const again = await save(path, hollis, formOf(response.body));
    expect(again.recorded?.outcome).toBe("saved");
    expect(await station("MV-018")).toMatchObject({ name: "My Own Weir", notes: "Also mine." });
  });

  test("a conflict tells a choice by its label and a moment as its field shows it, in the page's time zone", async () => {
    const [mine, theirs] = [await open(path, hollis), await open(path, tamsin)];
    const rivers = await trips.owner.query<{ id: string; name: string }>(
      "SELECT id::text, name FROM network.river WHERE id::text <> $1 ORDER BY id LIMIT 2",
      [mine.get("river_id")],
    );
    const [first, second] = rivers.rows;
    await save(path, tamsin, theirs, { river_id: first?.id ?? "" });
    const river = await save(path, hollis, mine, { river_id: second?.id ?? "" });
    expect(river.response.status).toBe(409);
    expect(river.response.body).toContain(`<q dir="auto">${first?.name}</q>`);
    const sensor = "/sensors/MV-014/3/edit";
    await trips.owner.query(
      "UPDATE network.sensor SET calibrated_at = '2026-07-01 09:30:00+00' WHERE station_code = 'MV-014' AND channel = 3",
    );
    const [ours, others] = [await open(sensor, tamsin), await open(sensor, tamsin)];
    await save(sensor, tamsin, others, { calibrated_at: "2026-07-02T12:00" });
    const moment = await save(sensor, tamsin, ours, { calibrated_at: "2026-07-03T12:00" });
    expect(moment.response.status).toBe(409);
    expect(moment.response.body).toMatch(
      / at \d{4}-\d\d-\d\d \d\d:\d\d:\d\d \(Europe\/London\): <q dir="auto">2026-07-02 12:00:00<\/q>/,
    );
  });

  test("the same change by both is no change by the second", async () => {
    const [mine, theirs] = [await open(path, hollis), await open(path, tamsin)];
    await save(path, tamsin, theirs, { warning_m: "5.55" });
    const count = await entries();
    expect((await save(path, hollis, mine, { warning_m: "5.55" })).recorded?.outcome).toBe("unchanged");
    expect(await entries()).toBe(count);
  });

  test("two changes that are sound alone but not together are refused", async () => {
    await trips.owner.query("UPDATE network.station SET alert_m = 2.00, warning_m = 3.00 WHERE code = 'MV-018'");
    const [mine, theirs] = [await open(path, hollis), await open(path, tamsin)];
    await save(path, tamsin, theirs, { alert_m: "2.80" });
    const { response } = await save(path, hollis, mine, { warning_m: "2.50" });
    expect(response.status).toBe(422);
    expect((await station("MV-018")).warning_m).toBe("3.00");
  });

  test("a double click saves once", async () => {
    const form = await open(path, hollis);
    const count = await entries();
    const outcomes = await Promise.all([1, 2, 3].map(() => save(path, hollis, form, { notes: `Once ${count}.` })));
    expect(outcomes.map((each) => each.response.status)).toEqual([303, 303, 303]);
    expect(await entries()).toBe(count + 1);
  });

  test("many at once: each is stored or told, none is lost, the log has each once", async () => {
    const form = await open(path, hollis);
    const count = await entries();
    const saves = await Promise.all(
      Array.from({ length: 20 }, (_, index) =>
        save(path, hollis, form, index % 2 ? { name: `Name ${index}` } : { notes: `Notes ${index}` }),
      ),
    );
    const outcomes = saves.map((each) => each.recorded?.outcome);
    const stored = outcomes.filter((outcome) => outcome === "saved").length;
    expect(stored).toBe(2);
    expect(outcomes.filter((outcome) => outcome === "conflict")).toHaveLength(18);
    expect(await entries()).toBe(count + 2);
  });
});

describe("the pages' own rights", () => {
  test.each([
    ["DELETE FROM quill_log.change", "42501"],
    ["UPDATE quill_log.change SET actor_name = 'nobody'", "42501"],
    ['DELETE FROM legacy."InstrumentLoan"', "42501"],
    ["CREATE TABLE network.other (id integer)", "42501"],
  ])("%s is refused by the database", async (text, code) => {
    await expect(trips.pool.query(text)).rejects.toMatchObject({ code });
  });
});
