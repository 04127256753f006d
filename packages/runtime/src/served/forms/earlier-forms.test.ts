import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { formOf } from "@loyal-quill/testing";
import { demoFile, hollis, makeTrips, type Trips, tamsin } from "../../testing/trips.js";

let trips: Trips;
let station: string;
beforeAll(async () => {
  trips = await makeTrips();
  station = await demoFile("station");
});
afterAll(() => trips.close());

const address = "/stations/MV-014/edit";
const changed = (from: string, to: string): Record<string, string> => {
  expect(station).toContain(from);
  return { station: station.replace(from, to) };
};
const stored = () => trips.one("SELECT name, notes, alert_m FROM network.station WHERE code = 'MV-014'");

describe("a form of an earlier version of its page", () => {
  test("is taken where the page takes every field of it in the same way, by the page's new rules", async () => {
    const form = await trips.open(address, hollis);
    await trips.reloadWith(changed("rules: [{ max-length: 2000 }]", "rules: [{ max-length: 20 }]"));
    const long = await trips.save(address, hollis, form, { notes: "more than twenty characters" });
    expect(long.response.body).toContain("Notes has 27 characters; at most 20 fit.");
    expect((await trips.save(address, hollis, form, { notes: "short" })).recorded.outcome).toBe("saved");
    await trips.reloadWith({ station });
  });

  test("is shown again with what was typed where a field is taken otherwise, and nothing is written", async () => {
    const form = await trips.open(address, hollis);
    const before = await stored();
    await trips.reloadWith(changed("tidy: [trim, single-spaces], rules", "tidy: [trim, upper], rules"));
    const { response, recorded } = await trips.save(address, hollis, form, { name: "Otter Weir, new", notes: "typed" });
    expect([response.status, recorded.outcome]).toEqual([422, "invalid"]);
    expect(response.body).toContain("This page was changed since you opened the form.");
    expect(formOf(response.body).get("notes")).toBe("typed");
    expect(formOf(response.body).get("name")).toBe("OTTER WEIR, NEW");
    expect(await stored()).toEqual(before);
    expect((await trips.save(address, hollis, formOf(response.body))).recorded.outcome).toBe("saved");
    expect(await stored()).toMatchObject({ name: "OTTER WEIR, NEW", notes: "typed" });
    await trips.reloadWith({ station });
  });

  test("shows what somebody else stored meanwhile in the same field", async () => {
    const form = await trips.open(address, hollis);
    await trips.owner.query("UPDATE network.station SET notes = 'theirs' WHERE code = 'MV-014'");
    await trips.reloadWith(changed("grid_reference: { tidy: [trim", "grid_reference: { tidy: [lower, trim"));
    const { response, recorded } = await trips.save(address, hollis, form, { notes: "mine" });
    expect([response.status, recorded.outcome]).toEqual([409, "conflict"]);
    expect(response.body).toContain('<q dir="auto">theirs</q>');
    expect(formOf(response.body).get("notes")).toBe("mine");
    await trips.reloadWith({ station });
  });

  test("a deletion does not depend on the fields", async () => {
    await trips.owner.query("UPDATE network.station SET status = 'planned' WHERE code = 'MV-002'");
    for (const table of ["field.calibration", "network.sensor", "field.visit"])
      await trips.owner.query(`DELETE FROM ${table} WHERE station_code = 'MV-002'`);
    const form = formOf((await trips.send("GET", "/stations/MV-002/delete", tamsin)).response.body);
    await trips.reloadWith(changed("label: Station name,", "label: Name,"));
    const { response } = await trips.save("/stations/MV-002/delete", tamsin, form);
    expect(response.status).toBe(303);
    await trips.reloadWith({ station });
  });
});

describe("a form that is too old", () => {
  test("is shown again with what was typed, and taken then", async () => {
    const form = await trips.open(address, hollis);
    const later = new Date(Date.now() + 25 * 3_600_000);
    const { response } = await trips.save(address, hollis, form, { notes: "since yesterday" }, later);
    expect(response.status).toBe(422);
    expect(response.body).toContain("This form was opened a long time ago.");
    const again = formOf(response.body);
    expect(again.get("notes")).toBe("since yesterday");
    expect((await trips.save(address, hollis, again, {}, later)).recorded.outcome).toBe("saved");
  });

  test("a new record's too, and it is still made once", async () => {
    const form = await trips.open("/visits/new", tamsin);
    const later = new Date(Date.now() + 25 * 3_600_000);
    const edits = { station_code: "MV-014", visited_at: "2026-05-04T10:00", findings: "All well" };
    const { visitor } = await trips.one<{ visitor: string }>(
      "SELECT id AS visitor FROM office.person WHERE active LIMIT 1",
    );
    const { response } = await trips.save("/visits/new", tamsin, form, { ...edits, visitor_id: visitor }, later);
    expect(response.status).toBe(422);
    const again = formOf(response.body);
    expect(again.get("findings")).toBe("All well");
    const first = await trips.save("/visits/new", tamsin, again, {}, later);
    const second = await trips.save("/visits/new", tamsin, again, {}, later);
    expect([first.recorded.outcome, second.recorded.outcome]).toEqual(["saved", "unchanged"]);
  });
});
