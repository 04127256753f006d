import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import type { TableAnswer } from "./api/answers/database.js";
import type { TrailAnswer } from "./api/answers/people.js";
import type { DraftAnswer } from "./api/answers/sheet.js";
import { type Builder, people, startWorkbench, type TestWorkbench } from "./testing/workbench.js";

/** What people at the workbench look at leaves a trace that can be read; and a table that no page serves is a steward's. */

let bench: TestWorkbench;
let ines: Builder;
let maud: Builder;
beforeAll(async () => {
  bench = await startWorkbench();
  [ines, maud] = [await bench.builder("ines"), await bench.builder("maud")];
});
afterAll(() => bench.close());

const trail = async (action = ""): Promise<TrailAnswer["entries"]> =>
  (await ines.send<TrailAnswer>("GET", `/trail?action=${action}&person=${people.maud.id}`)).said.entries;
/** What the trail tells, with how often in all: a quarter of an hour may end in the middle of a test. */
async function lines(action = ""): Promise<string[]> {
  const sums = new Map<string, number>();
  for (const { what, subject, times } of await trail(action))
    sums.set(`${what} ${subject}`, (sums.get(`${what} ${subject}`) ?? 0) + times);
  return [...sums].map(([told, times]) => `${told} ×${times}`).toSorted();
}
const textOf = async (name: string): Promise<string> =>
  (await maud.send<DraftAnswer>("GET", `/drafts/${name}`)).said.text;

describe("what somebody looks at", () => {
  test("is one line a person, place and quarter of an hour, with how often", async () => {
    for (let turn = 0; turn < 5; turn++) {
      await maud.send("GET", "/pages");
      await maud.send("GET", "/requests/newest");
    }
    await Promise.all(Array.from({ length: 6 }, () => maud.send("GET", "/pages/station/records?q=MV")));
    await maud.send("GET", "/requests/newest?page=sensor");
    const seen = await lines();
    expect(seen.filter((line) => line.includes("requests") || line.includes("records"))).toEqual([
      "searched records station ×6",
      "viewed values of recorded requests all pages ×10",
      "viewed values of recorded requests sensor ×1",
    ]);
    const [entry] = await trail("records.");
    expect(entry).toMatchObject({ by: "maud", byId: people.maud.id, subjectId: "station", last: expect.any(String) });
  });

  test("tells of drafts, trials with whom and which key, lists, conditions, rehearsals and censuses", async () => {
    const text = await textOf("station");
    const changed = await maud.send<DraftAnswer>("PUT", "/drafts/station", { was: text, text: `${text}# one\n` });
    await maud.send("PUT", "/drafts/station", { was: `${text}# one\n`, text: `${text}# two\n` });
    const { revision } = (await maud.send<DraftAnswer>("GET", "/drafts/station")).said;
    expect(changed.status).toBe(200);
    const as = people.hollis.id;
    expect((await maud.send("POST", "/drafts/station/trial", { text, key: ["MV-014"], as })).status).toBe(200);
    expect((await maud.send("POST", "/drafts/station/trial", { text, key: ["MV-014"], as })).status).toBe(200);
    expect((await maud.send("POST", "/drafts/station/list", { text, as })).status).toBe(200);
    const question = { text, source: "row.region_id == 2", place: "row", key: ["MV-015"] };
    expect((await maud.send("POST", "/drafts/station/condition", question)).status).toBe(200);
    // What is refused has not happened.
    for (const path of ["census", "rehearsal"])
      expect((await maud.send("POST", `/drafts/station/${path}`, { text: "fields: []" })).status).toBe(422);
    expect((await maud.send("POST", "/drafts/station/census", { text })).status).toBe(202);
    expect((await maud.send("POST", "/drafts/station/rehearsal", { text, quick: true })).status).toBe(202);
    expect((await maud.send("DELETE", "/drafts/station", { revision })).status).toBe(200);
    expect(await lines("draft.")).toEqual([
      "changed the draft station ×2",
      "discarded the draft station ×1",
      "ran a trial of the page station MV-014 as hollis ×2",
      "ran a trial of the page station MV-015 ×1",
      "ran a trial of the page station, its list as hollis ×1",
      "rehearsed the page station ×1",
    ]);
    expect(await lines("census.")).toEqual(["ran a census of the stored rows station ×1"]);
  });

  test("tells of changes that were searched, by which field and not by which value", async () => {
    const before = (await ines.send<TrailAnswer>("GET", `/trail?action=changes.&person=${people.ines.id}`)).said
      .entries;
    await ines.send("GET", "/changes/entries?table=network.station&field=notes&value=a-secret-value");
    await ines.send("GET", "/changes?containing=a-secret-value");
    const { entries } = (await ines.send<TrailAnswer>("GET", `/trail?action=changes.&person=${people.ines.id}`)).said;
    expect(entries.slice(0, entries.length - before.length).map(({ subject }) => subject)).toEqual([
      "all tables, by a value of any field",
      "network.station, by a value of notes",
    ]);
    expect(JSON.stringify(entries)).not.toContain("a-secret-value");
  });
});

describe("a table that no page serves", () => {
  const file =
    'format: loyal-quill/page@1\ntitle: "{id}"\npath: /people/{id}\nrecord: { table: office.person, key: id }\nfields: [name]\n';

  test("is drafted by a steward, and looked at by nobody else: by its name, or by the text of a page", async () => {
    const asked: readonly [string, string, unknown][] = [
      ["POST", "/drafts", { table: "office.person" }],
      ["POST", "/drafts", { name: "person-2", text: file }],
      ["PUT", "/drafts/station", { was: await textOf("station"), text: file }],
      ["POST", "/drafts/station/trial", { text: file, key: ["1"] }],
      ["POST", "/drafts/station/list", { text: file }],
      ["POST", "/drafts/station/condition", { text: file, source: "row.id == 1", place: "row", key: ["1"] }],
      ["POST", "/drafts/station/review", { text: file }],
      ["POST", "/drafts/station/census", { text: file }],
      ["POST", "/drafts/station/rehearsal", { text: file, quick: true }],
      ["POST", "/drafts/station/replay", { text: file, query: {} }],
      ["POST", "/adopt", { table: "office.person", key: { id: "1" }, html: "<form>", handler: null, zones: [] }],
    ];
    for (const [method, path, body] of asked) {
      const { status, said } = await maud.send<{ title: string }>(method, path, body);
      expect([method, path, status, said.title]).toEqual([method, path, 403, "No page serves this table yet"]);
    }
    const { said: closed } = await maud.send<TableAnswer>("GET", "/database/office.person");
    expect([closed.sample, closed.isServed, closed.fields.length > 0]).toEqual([null, false, true]);
    const { said: open } = await maud.send<TableAnswer>("GET", "/database/network.station");
    expect([open.sample?.length, open.isServed]).toEqual([8, true]);
    expect((await ines.send<TableAnswer>("GET", "/database/office.person")).said.sample?.length).toBe(8);
  });

  test("can't be looked at by somebody else's draft of it either, nor published", async () => {
    const { status, said } = await ines.send<DraftAnswer>("POST", "/drafts", { table: "office.person" });
    expect(status).toBe(201);
    for (const path of [`records?q=a`, "extremes", "first", "neighbour?key=1&by=1"])
      expect([path, (await maud.send("GET", `/pages/${said.name}/${path}`)).status]).toEqual([path, 403]);
    const { revision, name } = said;
    expect((await maud.send("POST", `/drafts/${name}/publish`, { revision, everybody: true })).status).toBe(403);
    expect((await ines.send("POST", `/drafts/${name}/publish`, { revision, everybody: true })).status).toBe(200);
    // It is served now.
    expect((await maud.send("GET", `/pages/${name}/records?q=`)).status).toBe(200);
  });
});
