import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import type { Rehearsal } from "@loyal-quill/authoring/rehearsal";
import type { Actor } from "@loyal-quill/core";
import { rehearsed } from "../testing/rehearsed.js";
import { dara, hollis, makeTrips, type Trips, tamsin } from "../testing/trips.js";

let trips: Trips;

beforeAll(async () => {
  trips = await makeTrips();
});
afterAll(() => trips.close());

const run = (name: string, people: readonly Actor[]): Promise<Rehearsal> => rehearsed(trips, name, { people });

describe.each(["station", "sensor", "visit", "calibration", "loan", "region", "river", "reading-note", "bulletin"])(
  "the page %s, as the demo's people",
  (name) => {
    test("is rehearsed without a fault", async () => {
      const found = await run(name, [hollis, tamsin, dara]);
      expect(
        found.cases.filter(({ verdict }) => verdict === "otherwise").map(({ id, because }) => ({ id, because })),
      ).toEqual([]);
    });
  },
);

test("where nobody is known, people are made as the page's conditions speak of them", async () => {
  // None of the three above has a team, so that none of them sees a bulletin.
  const found = await run("bulletin", []);
  expect(found.cases.flatMap(({ id, verdict }) => (verdict === "otherwise" ? [id] : []))).toEqual([]);
  expect(found.actor?.name).toBe("somebody who is duty-officer, hydrologist");
  expect(found.counts["as expected"]).toBeGreaterThan(100);
});
