import { readdir, readFile, rm, writeFile } from "node:fs/promises";
import path from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { renamedColumn } from "@loyal-quill/authoring";
import { bodyOf, formOf, untilAnswered } from "@loyal-quill/testing";
import pg from "pg";
import type { DatabaseAnswer } from "../api/answers/database.js";
import type { DraftAnswer, DraftTrialAnswer, PageSummary, VersionAnswer } from "../api/answers/sheet.js";
import { type Builder, people, startWorkbench, type TestWorkbench } from "../testing/workbench.js";

let workbench: TestWorkbench;
let ines: Builder;
let maud: Builder;

beforeAll(async () => {
  workbench = await startWorkbench();
  [ines, maud] = await Promise.all([workbench.builder("ines"), workbench.builder("maud")]);
});

afterAll(() => workbench.close());

const onDisk = (name: string): Promise<string> => readFile(path.join(workbench.directory, `${name}.page.yaml`), "utf8");

const draftOf = async (name: string): Promise<DraftAnswer> =>
  (await ines.send<DraftAnswer>("GET", `/drafts/${name}`)).said;

const change = async (by: Builder, name: string, was: string, text: string): Promise<DraftAnswer> =>
  (await by.send<DraftAnswer>("PUT", `/drafts/${name}`, { was, text })).said;

describe("a draft from a table", () => {
  test("is complete, runs at once, is published, and serves", async () => {
    const { status, said } = await ines.send<DraftAnswer>("POST", "/drafts", { table: "office.person" });
    expect([status, said.name, said.revision, said.published]).toEqual([201, "person", 1, null]);
    const tried = await ines.send<DraftTrialAnswer>("POST", "/drafts/person/trial", {
      text: said.text,
      key: ["5e0c7a10-4b1d-4c55-9d0e-000000000001"],
    });
    expect(tried.said.trial?.recorded.outcome).toBe("shown");
    expect(tried.said.sheet.findings.map(({ code }) => code)).toEqual(["open-to-everybody"]);
    const pages = (await ines.send<PageSummary[]>("GET", "/pages")).said;
    expect(pages.find((page) => page.name === "person")).toMatchObject({ published: false, draft: { by: "ines" } });
    expect((await workbench.signIn("hollis")).status).toBe(303);
    const { client } = await workbench.signIn("hollis");
    expect((await client.get("/person")).status).toBe(404);
    expect((await ines.send("POST", "/drafts/person/publish", { revision: 1 })).status).toBe(409);
    expect((await ines.send("POST", "/drafts/person/publish", { revision: 1, everybody: true })).status).toBe(200);
    expect(await onDisk("person")).toBe(said.text);
    expect((await client.get("/person/5e0c7a10-4b1d-4c55-9d0e-000000000001/edit")).status).toBe(200);
    expect((await readdir(workbench.directory)).filter((file) => !file.endsWith(".page.yaml"))).toEqual([]);
  });

  test("of a table without a safe key, or that is not there, is refused with the reason", async () => {
    expect((await ines.send("POST", "/drafts", { table: "network.nothing" })).said).toMatchObject({
      status: 422,
      detail: "There is no table network.nothing that this connection may read.",
    });
  });

  test("never takes the name of a page that is there", async () => {
    const { said } = await ines.send<DraftAnswer>("POST", "/drafts", { table: "network.station" });
    expect([said.name, /^path: "?\/station-2\/\{code\}"?$/m.test(said.text)]).toEqual(["station-2", true]);
    await ines.send("DELETE", "/drafts/station-2", { revision: 1 });
  });
});

describe("a draft of a published page", () => {
  test("leaves what is served alone until it is published, and keeps what the file was as a version", async () => {
    const { text } = await draftOf("visit");
    const after = text.replace("plural: Visits", "plural: Visits to stations");
    expect(after).not.toBe(text);
    const draft = await change(ines, "visit", text, after);
    expect(draft).toMatchObject({
      revision: 1,
      by: "ines",
      differs: ["list title: “Visits” becomes “Visits to stations”"],
    });
    expect(await onDisk("visit")).toBe(text);
    expect((await ines.send("POST", "/drafts/visit/publish", { revision: 2 })).status).toBe(409);
    expect((await ines.send("POST", "/drafts/visit/publish", { revision: 1 })).status).toBe(200);
    expect(await onDisk("visit")).toBe(after);
    const versions = (await ines.send<VersionAnswer[]>("GET", "/drafts/visit/versions")).said;
    expect(versions.map(({ by, differs }) => [by, differs])).toEqual([
      ["ines", ["list title: “Visits” becomes “Visits to stations”"]],
      [null, []],
    ]);
    const { revision } = await change(ines, "visit", after, versions[1]?.text ?? "");
    expect((await ines.send("POST", "/drafts/visit/publish", { revision })).status).toBe(200);
    expect(await onDisk("visit")).toBe(text);
  });

  test("with errors is not published, and says where", async () => {
    const { text } = await draftOf("loan");
    const { revision } = await change(ines, "loan", text, text.replace("fields:", "feilds:"));
    expect((await ines.send("POST", "/drafts/loan/publish", { revision })).said).toMatchObject({
      status: 422,
      detail: expect.stringMatching(/^Line \d+, column 1: "fields" is missing/),
    });
    expect(await onDisk("loan")).toBe(text);
    expect((await ines.send("DELETE", "/drafts/loan", { revision })).status).toBe(200);
    expect((await draftOf("loan")).revision).toBe(0);
  });

  test("two people change it at once and none of it is lost", async () => {
    const { text } = await draftOf("sensor");
    const ours = Array.from({ length: 6 }, (_, index) =>
      change(
        index % 2 ? ines : maud,
        "sensor",
        text,
        text
          .replace(
            `- ${["channel", "kind", "settings:", "remarks:", "offset_m:", "serial_number:"][index]}`,
            (found) =>
              `- ${["channel", "kind", "settings:", "remarks:", "offset_m:", "serial_number:"][index]}${found.endsWith(":") ? "" : `: { help: changed ${index} }`}`,
          )
          .replace("plural: Sensors", `plural: Sensors\n# remark ${index}`),
      ),
    );
    await Promise.all(ours);
    const draft = await draftOf("sensor");
    expect(draft.text).toContain("- channel: { help: changed 0 }");
    expect(draft.text).toContain("- kind: { help: changed 1 }");
  });

  test("the same setting changed by both is said, and the first one stays", async () => {
    const { text } = await draftOf("station");
    await change(maud, "station", text, text.replace("label: Station name", "label: Gauge name"));
    const { conflicts, text: kept } = await change(
      ines,
      "station",
      text,
      text.replace("label: Station name", "label: Title"),
    );
    expect(conflicts).toEqual([
      { path: ["fields", "name", "label"], before: "Station name", mine: "Title", theirs: "Gauge name" },
    ]);
    expect(kept).toContain("label: Gauge name");
  });

  test("a file that changes on disk meanwhile shows up, is served, and is merged field by field", async () => {
    const { text } = await draftOf("bulletin");
    await change(ines, "bulletin", text, text.replace("label: Publish at", "label: Goes out at"));
    await writeFile(
      path.join(workbench.directory, "bulletin.page.yaml"),
      text.replace("label: Author", "label: Written by"),
    );
    const seen = await untilAnswered(
      () => draftOf("bulletin"),
      ({ fileChanged }) => fileChanged !== null,
    );
    expect(seen.fileChanged).toEqual(["label of author_id: “Author” becomes “Written by”"]);
    expect((await ines.send("POST", "/drafts/bulletin/publish", { revision: seen.revision })).status).toBe(409);
    const { said } = await ines.send<DraftAnswer>("POST", "/drafts/bulletin/bring-in", {});
    expect(said).toMatchObject({ conflicts: [], fileChanged: null });
    expect(said.text).toContain("label: Goes out at");
    expect(said.text).toContain("label: Written by");
    const versions = await untilAnswered(
      async () => (await ines.send<VersionAnswer[]>("GET", "/drafts/bulletin/versions")).said,
      ({ length }) => length > 1,
    );
    expect(versions[0]).toMatchObject({ by: null, differs: ["label of author_id: “Author” becomes “Written by”"] });
  });

  test("a file that is deleted meanwhile is told of, and its draft can become a new page", async () => {
    const { text } = await draftOf("calibration");
    const after = text.replace("plural: Calibrations", "plural: Calibrations of sensors");
    expect(after).not.toBe(text);
    await change(ines, "calibration", text, after);
    await rm(path.join(workbench.directory, "calibration.page.yaml"));
    const seen = await untilAnswered(
      () => draftOf("calibration"),
      ({ fileChanged }) => fileChanged !== null,
    );
    expect(seen.fileChanged).toEqual(["it was deleted: nothing is served under this name"]);
    expect((await ines.send("POST", "/drafts/calibration/publish", { revision: seen.revision })).status).toBe(409);
    const { said } = await ines.send<DraftAnswer>("POST", "/drafts/calibration/bring-in", {});
    expect(said).toMatchObject({ text: after, published: null, fileChanged: null });
    expect((await ines.send("POST", "/drafts/calibration/bring-in", {})).status).toBe(409);
    expect((await ines.send("POST", "/drafts/calibration/publish", { revision: said.revision })).status).toBe(200);
    expect(await onDisk("calibration")).toBe(after);
  });
});

describe("a table that changes under its page", () => {
  test("is told of, stops what would be saved wrongly, and is mended by the proposal", async () => {
    const owner = new pg.Client(workbench.made.owner);
    await owner.connect();
    const { client } = await workbench.signIn("hollis");
    const form = bodyOf(formOf((await client.get("/sensors/MV-001/1/edit")).text), { kind: "flow" });
    await owner.query("ALTER TABLE network.sensor RENAME COLUMN remarks TO notes");
    await owner.query("ALTER TABLE network.sensor ADD COLUMN mounted_on date");
    const before = (await owner.query("SELECT sum(length(s::text)) AS n FROM network.sensor s")).rows[0] as unknown;
    // Nothing was asked of the tables yet: the save itself finds it out, and saves nothing.
    const save = await client.post("/sensors/MV-001/1/edit", form);
    expect(save.status).toBe(503);
    expect((await owner.query("SELECT sum(length(s::text)) AS n FROM network.sensor s")).rows[0]).toEqual(before);
    const drifted = await untilAnswered(
      () => draftOf("sensor"),
      ({ drift }) => drift.length > 0,
    );
    expect(drifted.drift.map(({ what }) => what)).toEqual([
      "remarks is called notes now",
      "new column mounted_on, date",
    ]);
    const pages = (await ines.send<PageSummary[]>("GET", "/pages")).said;
    expect(pages.find((page) => page.name === "sensor")).toMatchObject({
      served: false,
      drift: [expect.any(String), expect.any(String)],
    });
    const [rename] = drifted.drift;
    if (!rename?.repair || !("rename" in rename.repair)) throw new Error("no proposal");
    const text = renamedColumn(drifted.text, rename.repair.rename.from, rename.repair.rename.to);
    const { revision } = await change(ines, "sensor", drifted.text, text);
    expect((await ines.send("POST", "/drafts/sensor/publish", { revision })).status).toBe(200);
    expect((await client.get("/sensors/MV-001/1/edit")).status).toBe(200);
    expect((await draftOf("sensor")).drift).toEqual([]);
    await owner.query("ALTER TABLE network.sensor RENAME COLUMN notes TO remarks");
    await owner.end();
  });
});

describe("a page over a table of the schema public, named without it", () => {
  test("has versions with their table, drift, conditions and a place in Database, like any other", async () => {
    const owner = new pg.Client(workbench.made.owner);
    await owner.connect();
    await owner.query(
      "CREATE TABLE public.buoy (id integer PRIMARY KEY, name text); GRANT SELECT, UPDATE ON buoy TO quill_pages",
    );
    await owner.query("INSERT INTO buoy VALUES (1, 'Red')");
    const text = `format: loyal-quill/page@1
title: "Buoy {id}"
path: /buoys/{id}
record: { table: buoy, key: id }
fields: [name]
`;
    await workbench.application.pages.reload();
    await writeFile(path.join(workbench.directory, "buoy.page.yaml"), text);
    await untilAnswered(
      async () => (await ines.send<VersionAnswer[]>("GET", "/drafts/buoy/versions")).said,
      (versions) => versions.length === 1,
    );
    await owner.query("ALTER TABLE buoy ADD COLUMN colour text");
    await workbench.application.pages.reload();
    const drifted = await untilAnswered(
      () => draftOf("buoy"),
      ({ drift }) => drift.length > 0,
    );
    expect(drifted.drift.map(({ what }) => what)).toEqual(["new column colour, text"]);
    const judged = await ines.send<{ problem: unknown; rows: unknown }>("POST", "/drafts/buoy/condition", {
      text,
      source: 'row.name == "Red"',
      place: "row",
      key: ["1"],
    });
    expect(judged.said).toMatchObject({ problem: null, here: true });
    const database = (await ines.send<DatabaseAnswer>("GET", "/database")).said;
    expect(database.tables.find(({ table }) => table === "public.buoy")?.pages).toEqual(["buoy"]);
    await rm(path.join(workbench.directory, "buoy.page.yaml"));
    await owner.query("DROP TABLE buoy");
    await owner.end();
  });
});

describe("a trial of a save", () => {
  test("runs through every step and leaves nothing behind", async () => {
    const text = await onDisk("station");
    const open = await ines.send<DraftTrialAnswer>("POST", "/drafts/station/trial", {
      text,
      key: ["MV-014"],
      as: people.hollis.id,
    });
    const form = bodyOf(formOf(open.said.trial?.html ?? ""), { name: "Tried only" });
    const owner = new pg.Client(workbench.made.owner);
    await owner.connect();
    const state = async () =>
      (
        await owner.query(
          "SELECT (SELECT md5(string_agg(s::text, '')) FROM network.station s) AS rows, (SELECT count(*) FROM quill_log.change) AS log",
        )
      ).rows[0] as unknown;
    const before = await state();
    const save = await ines.send<DraftTrialAnswer>("POST", "/drafts/station/trial", {
      text,
      key: ["MV-014"],
      as: people.hollis.id,
      form,
    });
    expect(save.said.trial).toMatchObject({
      recorded: { operation: "save", outcome: "saved" },
      html: null,
      leadsTo: "/stations",
    });
    const wrong = bodyOf(formOf(open.said.trial?.html ?? ""), { name: "" });
    const refused = await ines.send<DraftTrialAnswer>("POST", "/drafts/station/trial", {
      text,
      key: ["MV-014"],
      as: people.hollis.id,
      form: wrong,
    });
    expect(refused.said.trial).toMatchObject({ recorded: { outcome: "invalid" }, leadsTo: null });
    expect(await state()).toEqual(before);
    await owner.end();
  });
});

describe("the workbench's API takes nothing that is not meant", () => {
  test("without the session's token", async () => {
    const { status, text } = await ines.client.send("/workbench/api/drafts", {
      method: "POST",
      body: "{}",
      headers: { "content-type": "application/json" },
    });
    expect([status, text.includes("Not from the workbench")]).toEqual([403, true]);
  });

  test("no 5xx for whatever is sent", async () => {
    const sent: unknown[] = [
      {},
      [],
      "text",
      { text: 1 },
      { text: "x".repeat(300_000), was: "" },
      { text: "\0", was: "\0" },
      { text: "&a [*a, *a]", was: "a: [" },
      { table: "\0" },
      { table: "x'; DROP TABLE network.station; --" },
      { name: "../../etc/x", text: "a: 1" },
      { name: "__proto__", text: "a: [" },
      { revision: -1 },
      { revision: 1e15 },
      { text: "format: loyal-quill/page@1", key: ["\0"], as: "\0", form: "%FF" },
      { text: await onDisk("station"), key: ["a", "b"], as: "nobody", form: "%FF" },
      { text: await onDisk("station"), key: ["MV-014"], as: "nobody", form: "%FF" },
    ];
    const where = [
      "POST /drafts",
      "PUT /drafts/nothing",
      "PUT /drafts/%00",
      "POST /drafts/station/trial",
      "POST /drafts/station/publish",
      "POST /drafts/__proto__/bring-in",
      "DELETE /drafts/station",
    ];
    const wrong: string[] = [];
    for (const each of where) {
      const [method = "", address = ""] = each.split(" ");
      for (const body of sent) {
        const { status } = await ines.send(method, address, body);
        if (status >= 500) wrong.push(`${each} ${JSON.stringify(body).slice(0, 60)}: ${status}`);
      }
    }
    expect(wrong).toEqual([]);
  });
});
