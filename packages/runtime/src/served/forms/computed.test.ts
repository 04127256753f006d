import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { formOf } from "@loyal-quill/testing";
import { hollis, makeTrips, type Trips, tamsin } from "../../testing/trips.js";

/** Values that a page computes from what the form comes to: on every way of saving, and whoever saves in between. */

const page = (set: string, list = "columns: [name, hours, rate, total]"): string => `format: loyal-quill/page@1
title: "Job {id}"
path: /jobs/{id}
record: { table: proof.job, key: id }
access: { new: true }
set: ${set}
list: { ${list} }
fields: [name, hours, rate, total, pin]
`;
const sum = "{ total: form.hours * form.rate + 1, changed_by: actor.name }";

let trips: Trips;
beforeAll(async () => {
  trips = await makeTrips({
    sql: [
      "CREATE SCHEMA proof",
      `CREATE TABLE proof.job (id integer PRIMARY KEY, name text NOT NULL, hours integer, rate numeric(6,2), total numeric(10,2), changed_by text, pin text)`,
      "CREATE SEQUENCE proof.job_id START 100",
      "ALTER TABLE proof.job ALTER COLUMN id SET DEFAULT nextval('proof.job_id')",
      "CREATE TABLE proof.counted (id integer PRIMARY KEY, name text, notes text, place text, lock_version integer NOT NULL DEFAULT 0)",
      "INSERT INTO proof.counted VALUES (1, 'One')",
      "INSERT INTO proof.job SELECT n, 'Job ' || n, n, 10.50, 0 FROM generate_series(1, 9) AS n",
      "GRANT USAGE ON SCHEMA proof TO quill_pages",
      "GRANT USAGE ON SEQUENCE proof.job_id TO quill_pages",
      "GRANT SELECT, INSERT, UPDATE, DELETE ON ALL TABLES IN SCHEMA proof TO quill_pages",
    ],
    files: {
      job: page(sum),
      counted: `format: loyal-quill/page@1
title: "{name}"
path: /counted/{id}
record: { table: proof.counted, key: id }
access: { new: true }
set: { lock_version: { to: form.lock_version + 1, on: save } }
fields: [id, name, notes, place]
`,
    },
  });
});
afterAll(() => trips.close());

const job = (id: number) =>
  trips.one<{ hours: number | null; rate: string; total: string | null; by: string | null }>(
    "SELECT hours, rate::text, total::text, changed_by AS by FROM proof.job WHERE id = $1",
    [id],
  );

describe("a value that is computed from the form", () => {
  test("is stored with what was typed, shown and never taken, and stands in the entry", async () => {
    const form = await trips.open("/jobs/1/edit", tamsin);
    expect([form.has("hours"), form.has("total")]).toEqual([true, false]);
    const { recorded } = await trips.save("/jobs/1/edit", tamsin, form, { hours: "4", total: "999" });
    expect(recorded.outcome).toBe("saved");
    // One statement: what was shown and left untouched is what is stored.
    expect(recorded.steps.flatMap(({ statements }) => statements.map(({ purpose }) => purpose))).toEqual(["save"]);
    expect(await job(1)).toEqual({ hours: 4, rate: "10.50", total: "43.00", by: "Tamsin Okoro" });
    const { fields } = await trips.one<{ fields: { field: string; new: string }[] }>(
      "SELECT fields FROM quill_log.change ORDER BY id DESC LIMIT 1",
    );
    expect(fields.find(({ field }) => field === "total")?.new).toBe("43.00");
  });

  test("is computed from both where somebody else has changed another part meanwhile", async () => {
    const form = await trips.open("/jobs/2/edit", tamsin);
    expect(
      (await trips.save("/jobs/2/edit", hollis, await trips.open("/jobs/2/edit", hollis), { rate: "20" })).recorded
        .outcome,
    ).toBe("saved");
    expect((await trips.save("/jobs/2/edit", tamsin, form, { hours: "3" })).recorded.outcome).toBe("saved");
    expect(await job(2)).toEqual({ hours: 3, rate: "20.00", total: "61.00", by: "Tamsin Okoro" });
  });

  test("is nothing where a part of it is, and is left as it is where nothing was changed", async () => {
    await trips.save("/jobs/3/edit", tamsin, await trips.open("/jobs/3/edit", tamsin), { hours: "" });
    expect(await job(3)).toMatchObject({ hours: null, total: null });
    await trips.owner.query("UPDATE proof.job SET total = 7 WHERE id = 4");
    expect((await trips.save("/jobs/4/edit", tamsin, await trips.open("/jobs/4/edit", tamsin))).recorded.outcome).toBe(
      "unchanged",
    );
    expect(await job(4)).toMatchObject({ total: "7.00", by: null });
  });

  test("is computed on a new record", async () => {
    const form = formOf((await trips.send("GET", "/jobs/new", tamsin)).response.body);
    const { response } = await trips.save("/jobs/new", tamsin, form, { name: "Made", hours: "2", rate: "1.25" });
    expect(response.status).toBe(303);
    expect(await trips.one("SELECT total::text FROM proof.job WHERE name = 'Made'")).toEqual({ total: "3.50" });
  });

  test("is computed for each of the rows that are saved together, from its own", async () => {
    await trips.reloadWith({
      job: page(sum, "columns: [name, hours, rate, total], edit: [hours], together: true, sort: id"),
    });
    const form = formOf((await trips.send("GET", "/jobs", tamsin)).response.body);
    const at = (id: number): string => `r${id - 1}:hours`;
    const { recorded } = await trips.save("/jobs", tamsin, form, {
      [at(5)]: "10",
      [at(6)]: "20",
      "quill.together": "",
    });
    expect(recorded.outcome).toBe("saved");
    expect([await job(5), await job(6), await job(7)]).toMatchObject([
      { hours: 10, total: "106.00", by: "Tamsin Okoro" },
      { hours: 20, total: "211.00", by: "Tamsin Okoro" },
      { hours: 7, total: "0.00", by: null },
    ]);
  });

  test("is made of no stored row, and tells nothing that is sensitive", async () => {
    const findings = async (set: string) => {
      await trips.reloadWith({ job: page(set) });
      return trips.site().files.flatMap((each) => each.findings.map(({ message }) => message));
    };
    expect((await findings("{ total: row.hours + 1 }")).join()).toContain('"row" is not known here');
    expect((await findings("{ changed_by: form.pin }")).join()).toContain(
      "pin is sensitive: changed_by would tell of it.",
    );
    expect((await findings("{ total: form.ours }")).join()).toContain('has no column "ours". Did you mean "hours"?');
  });
});

test("a version number is one more after each save, whoever saves at the same moment, and what the table gives it on a new record", async () => {
  const version = async (id: number) =>
    (await trips.one<{ version: number }>("SELECT lock_version AS version FROM proof.counted WHERE id = $1", [id]))
      .version;
  const typed = [{ name: "A" }, { notes: "B" }, { place: "C" }];
  const forms = await Promise.all(typed.map(() => trips.open("/counted/1/edit", tamsin)));
  const saves = await Promise.all(
    typed.map((edits, index) => trips.save("/counted/1/edit", tamsin, forms[index] as (typeof forms)[0], edits)),
  );
  expect(saves.map(({ recorded }) => recorded.outcome)).toEqual(["saved", "saved", "saved"]);
  expect(await version(1)).toBe(3);
  const same = await trips.save("/counted/1/edit", tamsin, await trips.open("/counted/1/edit", tamsin), {});
  expect([same.recorded.outcome, await version(1)]).toEqual(["unchanged", 3]);
  await trips.save("/counted/new", tamsin, await trips.open("/counted/new", tamsin), { id: "2", name: "Two" });
  expect(await version(2)).toBe(0);
});
