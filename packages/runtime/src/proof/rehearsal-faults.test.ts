import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import type { Played, Rehearsal, RehearsalOptions } from "@loyal-quill/authoring/rehearsal";
import type { Page } from "@loyal-quill/core";
import { engineFaults, pageFaults, pageText, people, schema, tableFaults } from "../testing/planted.js";
import { pageOf, rehearsed } from "../testing/rehearsed.js";
import { makeTrips, type Trips } from "../testing/trips.js";

let trips: Trips;
/** The page as it was published, on the table as it was then. */
let published: Page;

const pageNow = (): Page => pageOf(trips, "gauge");

const run = (more: Partial<RehearsalOptions> = {}): Promise<Rehearsal> =>
  rehearsed(trips, "gauge", { people, ...more });

/** The case by which a planted fault is noticed; QUILL_REHEARSE_ALL plays all of them, as `npm run test:long` does. */
const noticing = ({ by }: { readonly by: string }): Partial<RehearsalOptions> =>
  process.env.QUILL_REHEARSE_ALL ? {} : { only: ({ id }) => id === by };

/** The cases by which a fault was noticed: what the table does by itself, with a page or without, is noted and no alarm. */
const noticed = ({ cases, changed }: Rehearsal): string[] => [
  ...cases.flatMap(({ id, verdict }) => (verdict === "otherwise" ? [id] : [])),
  ...cases.flatMap(({ id, notes }) =>
    notes.some((note) => note.endsWith("the table does that.")) ? [`${id} (noted)`] : [],
  ),
  ...changed.map(({ id }) => `${id} (differs)`),
];

beforeAll(async () => {
  trips = await makeTrips({ sql: [schema], files: { gauge: pageText } });
  published = pageNow();
});
afterAll(() => trips.close());

test("the sound page on the sound table has no fault, and leaves nothing", async () => {
  const before = await trips.owner.query("SELECT t::text FROM proof.gauge AS t ORDER BY 1");
  const told: Played[] = [];
  const found = await run({ published, quick: false, onPlayed: (_done, _all, played) => told.push(played) });
  // Each case has an id of its own while it goes on, those of the published page too, and is known for one of these.
  expect(new Set(told.map(({ id }) => id)).size).toBe(told.length);
  const own = told.filter(({ isOfPublished }) => !isOfPublished);
  expect(own.map(({ id }) => id)).toEqual(found.cases.map(({ id }) => id));
  expect(told.length).toBe(2 * own.length);
  expect(
    found.cases.filter(({ verdict }) => verdict === "otherwise").map(({ id, because }) => ({ id, because })),
  ).toEqual([]);
  expect(found.changed.map(({ id, because }) => ({ id, because }))).toEqual([]);
  expect((await trips.owner.query("SELECT t::text FROM proof.gauge AS t ORDER BY 1")).rows).toEqual(before.rows);
  expect(
    (await trips.one<{ count: string }>("SELECT count(*) FROM quill_log.change WHERE table_name = 'proof.gauge'"))
      .count,
  ).toBe("0");
  const ofFiles = found.cases.filter(({ id }) => id.startsWith("file."));
  expect(ofFiles.map(({ id, verdict }) => [id, verdict])).toEqual(ofFiles.map(({ id }) => [id, "as expected"]));
  expect(ofFiles).toHaveLength(8);
  expect(new Set(found.cases.map(({ kind }) => kind)).size).toBeGreaterThanOrEqual(60);
});

describe("a fault in the page file is noticed", () => {
  afterAll(() => trips.reloadWith({ gauge: pageText }));

  test.each(pageFaults)("$name", async ({ from, to, by }) => {
    expect(pageText).toContain(from);
    await trips.reloadWith({ gauge: pageText.replace(from, to) });
    const found = await run({ published, ...noticing({ by }) });
    expect(noticed(found)).not.toEqual([]);
  });
});

describe("a fault in the table is noticed", () => {
  afterAll(async () => {
    await trips.owner.query(schema);
    await trips.reloadWith({ gauge: pageText });
  });

  test.each(tableFaults)("$name", async ({ sql, by }) => {
    await trips.owner.query(schema);
    for (const statement of sql) await trips.owner.query(statement);
    await trips.reloadWith({ gauge: pageText });
    const found = await run({ published, ...noticing({ by }) });
    expect(noticed(found)).not.toEqual([]);
  });
});

describe("a fault in the engine is noticed", () => {
  test.each(engineFaults)("$name", async ({ engine, by }) => {
    const found = await run({ engine, ...noticing({ by }) });
    expect(noticed(found)).not.toEqual([]);
  });
});
