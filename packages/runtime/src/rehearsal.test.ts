import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { type Rehearsal, rehearse } from "@loyal-quill/authoring/rehearsal";
import { type Actor, handle, route } from "@loyal-quill/core";
import { databaseOver } from "./index.js";
import { dara, hollis, makeTrips, signer, type Trips, tamsin } from "./testing/trips.js";

let trips: Trips;

beforeAll(async () => {
  trips = await makeTrips();
});
afterAll(() => trips.close());

const run = (name: string, people: readonly Actor[], quick = true): Promise<Rehearsal> => {
  const site = trips.site();
  const page = site.pages.find((each) => each.name === name);
  if (!page) throw new Error(`no page ${name}`);
  return rehearse({
    page,
    site,
    people,
    quick,
    database: databaseOver(trips.pool),
    signer,
    now: () => new Date(),
    newId: () => crypto.randomUUID(),
    elapsed: () => performance.now(),
    engine: { route, handle },
  });
};

describe.each(["station", "sensor", "visit", "calibration", "loan", "region", "river", "reading-note", "bulletin"])(
  "the page %s",
  (name) => {
    test("is rehearsed without a fault", async () => {
      const found = await run(name, [hollis, tamsin, dara]);
      if (process.env.REHEARSAL_TOLD) {
        console.log(
          `${name}: ${Math.round(found.ms)} ms, ${JSON.stringify(found.counts)}, as ${found.actor?.name}, ${found.records.editable} editable, ${found.cases.flatMap((c) => c.evidence).length} requests\n` +
            found.cases
              .filter((c) => c.verdict !== "as expected")
              .map((c) => `${c.verdict.toUpperCase()} ${c.id}: ${c.because.slice(0, 3).join(" | ").slice(0, 500)}`)
              .join("\n") +
            `\nNOTES ${[...new Set(found.cases.flatMap((c) => c.notes))].join(" | ")}\n${found.left.join("\n")}`,
        );
      }
      expect(
        found.cases.filter(({ verdict }) => verdict === "otherwise").map(({ id, because }) => ({ id, because })),
      ).toEqual([]);
    });
  },
);
