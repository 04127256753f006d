import { readFile } from "node:fs/promises";
import path from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { bodyOf, formOf, untilAnswered } from "@loyal-quill/testing";
import pg from "pg";
import { type Builder, people, startWorkbench, type TestWorkbench } from "../testing/workbench.js";
import type { ChangesAnswer } from "./answers/changes.js";
import type { ConnectionAnswer, DatabaseAnswer, TableAnswer } from "./answers/database.js";
import type { KeptPersonAnswer, MayAnswer, PersonAnswer } from "./answers/people.js";
import type { CensusAnswer } from "./answers/proof.js";
import type {
  AdoptTablesAnswer,
  ConditionAnswer,
  DraftAnswer,
  EffectAnswer,
  PageSummary,
  RecordChoice,
} from "./answers/sheet.js";
import type { AdoptAnswer, CodeAnswer } from "./types.js";

let workbench: TestWorkbench;
let ines: Builder;
let station: string;

beforeAll(async () => {
  workbench = await startWorkbench({ several: true });
  ines = await workbench.builder("ines");
  station = await readFile(path.join(workbench.directory, "station.page.yaml"), "utf8");
});

afterAll(() => workbench.close());

const get = async <T>(address: string): Promise<T> => (await ines.send<T>("GET", address)).said;

describe("people", () => {
  test("what each may do is counted in the database", async () => {
    const may = await get<MayAnswer[]>(`/people/${people.hollis.id}/may`);
    expect(may.find(({ page }) => page === "station")).toEqual({
      page: "station",
      plural: "Stations",
      opens: true,
      makes: false,
      sees: 12,
      edits: expect.any(Number),
      deletes: expect.any(Number),
      rows: 48,
    });
    const builder = await get<MayAnswer[]>(`/people/${people.ines.id}/may`);
    expect(builder.find(({ page }) => page === "station")).toMatchObject({ opens: false, sees: 0, edits: 0 });
  });

  test("an account is made, signs in with the password that is shown once, and is switched off", async () => {
    const { status, said } = await ines.send<KeptPersonAnswer>("POST", "/people", {
      name: "Orla New",
      email: "Orla@marrow-vale.example",
      roles: ["technician"],
      attributes: { region_id: 3 },
      active: true,
    });
    expect([status, said.person.email]).toEqual([201, "orla@marrow-vale.example"]);
    const { id: _, factor: __, elsewhere: ___, ...person } = said.person;
    const orla = await workbench.signIn("orla", { password: said.password ?? "" });
    // A password that somebody else made is changed first.
    expect(orla.location).toBe("/my-account?next=%2F");
    expect((await orla.client.get("/")).headers.get("location")).toBe("/sign-in");
    expect((await ines.send("POST", "/people", person)).status).toBe(409);
    expect(
      (await ines.send("PUT", `/people/${said.person.id}`, { ...person, active: false, was: person })).status,
    ).toBe(200);
    expect((await workbench.signIn("orla", { password: said.password ?? "" })).status).toBe(403);
    expect(JSON.stringify(await get<PersonAnswer[]>("/people"))).not.toContain("argon2");
  });

  test("two who change one account change what they changed, and what both changed is told to who comes second", async () => {
    const {
      said: {
        person: { id, factor: _, elsewhere: __, ...was },
      },
    } = await ines.send<KeptPersonAnswer>("POST", "/people", {
      name: "Pell Two",
      email: "pell@marrow-vale.example",
      roles: ["technician"],
      // A text that reads like a number, and a name before another.
      attributes: { region_id: 3, badge: "07" },
      active: true,
    });
    const change = (next: Partial<typeof was>) =>
      ines.send<KeptPersonAnswer & { detail: string }>("PUT", `/people/${id}`, { ...was, ...next, was });
    expect((await change({ active: false, roles: [] })).said.person).toMatchObject({ active: false, roles: [] });
    // Whoever still sees it switched on, and changes the name only, does not switch it on again.
    expect((await change({ name: "Pell Three" })).said.person).toEqual({
      id,
      ...was,
      name: "Pell Three",
      active: false,
      roles: [],
      factor: false,
      elsewhere: null,
    });
    const refused = await change({ name: "Pell Four", roles: ["technician", "auditor"] });
    expect(refused).toMatchObject({
      status: 409,
      said: { detail: "Somebody else has changed the name, the roles. Nothing was saved." },
    });
    // The same change twice is no conflict.
    expect((await change({ name: "Pell Three" })).status).toBe(200);
    const both = await Promise.all([
      change({ email: "one@marrow-vale.example" }),
      change({ email: "two@marrow-vale.example" }),
    ]);
    expect(both.map(({ status }) => status).sort()).toEqual([200, 409]);
    expect((await ines.send("PUT", `/people/${id}`, was)).status).toBe(400);
    // Pressed twice, an account is made once; and nobody is given an address that was taken at the same moment.
    const same = { ...was, email: "pell.again@marrow-vale.example" };
    const made = await Promise.all([1, 2, 3].map(() => ines.send("POST", "/people", same)));
    expect(made.map(({ status }) => status).sort()).toEqual([201, 409, 409]);
    const other = { ...was, email: "pell.third@marrow-vale.example" };
    const one = await Promise.all([ines.send("POST", "/people", other), change({ email: other.email })]);
    expect(one.map(({ status }) => status).sort()[1]).toBe(409);
  });

  test("the last administrator stays one, and nothing malformed is kept", async () => {
    const self = (await get<PersonAnswer[]>("/people")).find(({ id }) => id === people.ines.id);
    const { id, factor: _, elsewhere: __, ...person } = self as PersonAnswer;
    expect((await ines.send("PUT", `/people/${id}`, { ...person, roles: [], was: person })).said).toMatchObject({
      status: 409,
    });
    for (const wrong of [
      {},
      { ...person, email: "x" },
      { ...person, attributes: { "a b": 1 } },
      { ...person, name: "\0" },
    ])
      expect((await ines.send("POST", "/people", wrong)).status).toBe(400);
    expect((await ines.send("GET", "/people/nobody/may")).status).toBe(404);
  });
});

describe("what is wrong with an account", () => {
  const person = { name: "Orla Wrong", email: "wrong@marrow-vale.example", roles: [], attributes: {}, active: true };
  test.each<[string, object, string]>([
    ["no name", { name: " " }, "Name must not be empty."],
    ["a long name", { name: "x".repeat(201) }, "Name must have at most 200 characters."],
    ["no address", { email: "orla" }, "E-mail must be an e-mail address."],
    ["a role of nothing", { roles: [""] }, "Roles must not be empty."],
    [
      "an attribute's name",
      { attributes: { "region id": 2 } },
      "Attributes (region id) must have names of letters, digits and _, like region_id.",
    ],
    [
      "an attribute that is called like a member of every object",
      { attributes: JSON.parse('{"constructor": 2}') as object },
      "Attributes must not be called like a member of every JavaScript object, such as constructor.",
    ],
    ["an attribute's value", { attributes: { region: { id: 2 } } }, "Attributes (region) must be a text of at most"],
  ])("is told by its label: %s", async (_, wrong, told) => {
    const { status, said } = await ines.send<{ detail: string }>("POST", "/people", { ...person, ...wrong });
    expect([status, said.detail]).toEqual([400, expect.stringContaining(told)]);
  });
});

describe("the database", () => {
  test("is shown whole: pages, keys, sizes, and who is connected", async () => {
    const { tables } = await get<DatabaseAnswer>("/database");
    expect(tables.find(({ table }) => table === "network.station")).toMatchObject({
      rows: 48,
      columns: 11,
      keys: [["code"], ["grid_reference"]],
      pages: ["station"],
      because: null,
    });
    expect(tables.every(({ bytes }) => (bytes ?? 0) > 0)).toBe(true);
  });

  test("there may be several, each tested, with its rights, its own pages, drafts and log", async () => {
    const databases = await get<ConnectionAnswer[]>("/databases");
    expect(databases).toEqual([
      expect.objectContaining({
        name: "",
        mount: "",
        error: null,
        user: "quill_pages",
        superuser: false,
        log: "usable",
        pages: 9,
      }),
      expect.objectContaining({ name: "archive", mount: "/archive", error: null, log: "usable", pages: 0 }),
    ]);
    expect(databases[0]?.rights).toEqual({
      read: 10,
      insert: expect.any(Number),
      update: 10,
      delete: expect.any(Number),
    });

    const { said } = await ines.send<DraftAnswer>("POST", "/at/archive/drafts", { table: "network.station" });
    expect([said.name, said.published]).toEqual(["station", null]);
    expect((await get<DraftAnswer>("/drafts/station")).revision).toBe(0);
    // Nobody has said who may open it.
    expect((await ines.send("POST", "/at/archive/drafts/station/publish", { revision: 1 })).said).toMatchObject({
      status: 409,
      title: "Open to everybody",
    });
    const meant = { revision: 1, everybody: true };
    expect((await ines.send("POST", "/at/archive/drafts/station/publish", meant)).status).toBe(200);
    const pages = await get<PageSummary[]>("/at/archive/pages");
    expect(pages.map(({ name, listAddress }) => [name, listAddress])).toEqual([["station", "/archive/station"]]);

    const { client } = await workbench.signIn("hollis");
    const form = formOf((await client.get("/archive/station/MV-014/edit")).text);
    const save = await client.post("/archive/station/MV-014/edit", bodyOf(form, { name: "In the archive" }));
    expect([save.status, save.headers.get("location")]).toEqual([303, "/archive/station/MV-014"]);
    expect((await client.get("/stations/MV-014")).text).not.toContain("In the archive");
    const changes = await get<ChangesAnswer>("/at/archive/changes");
    expect(changes.changes[0]?.fields).toEqual([expect.objectContaining({ field: "name", new: "In the archive" })]);
    expect((await get<ChangesAnswer>("/changes")).changes[0]?.actorName).not.toBe("hollis");
    expect((await client.get("/")).text).toContain('href="/archive/station"');
    expect((await ines.send("GET", "/at/nowhere/pages")).status).toBe(404);
  });

  test("a table is shown with its columns, references and sample rows", async () => {
    const table = await get<TableAnswer>("/database/network.sensor");
    expect(table.fields.filter(({ key }) => key).map(({ name }) => name)).toEqual(["station_code", "channel"]);
    expect(table.references).toEqual([{ columns: ["station_code"], to: "network.station (code)" }]);
    expect(table.sample?.length).toBeGreaterThan(3);
    expect((await ines.send("GET", "/database/no.such")).status).toBe(404);
  });

  test("a form is held against a record by who may look at it, within limits", async () => {
    const asked = {
      table: "network.river",
      key: { id: "7" },
      html: '<form method="post"><label>Name <input name="name"></label></form>',
      handler: null,
      zones: ["Europe/London"],
    };
    const send = (more: object) => ines.send<AdoptAnswer>("POST", "/adopt", { ...asked, ...more });
    const { status, said } = await send({});
    expect([status, said.findings.map(({ code }) => code)]).toEqual([200, ["no-token", "no-key", "value-missing"]]);
    expect(said.page?.text).toContain("record: { table: network.river, key: id }");
    const others: readonly (readonly [object, number])[] = [
      [{ key: { id: "99999" } }, 422],
      [{ key: { id: "seven" } }, 422],
      [{ key: {} }, 422],
      [{ table: "no.such" }, 422],
      [{ html: "" }, 400],
      [{ html: "x".repeat(500_001) }, 400],
      [{ zones: ["Nowhere/Nothing"] }, 400],
      // Nested deeper than anything that people write.
      [{ html: `${"<div>".repeat(60_000)}<form method="post"><input name="name"></form>` }, 422],
      [{ html: `<form method="post"><input name="name">${"<b>".repeat(100_000)}` }, 422],
      [{ handler: `x = ${"(".repeat(40_000)}1${")".repeat(40_000)}` }, 200],
      [{ handler: `x = ${"'a'+".repeat(20_000)}'b'` }, 200],
    ];
    const answered: number[] = [];
    for (const [more] of others) answered.push((await send(more)).status);
    expect(answered).toEqual(others.map(([, wanted]) => wanted));
  });

  test("the table of a form is found by it, with the record that it shows, and no record is looked at", async () => {
    const found = async (html: string, handler: string | null = null) => {
      const { status, said } = await ines.send<AdoptTablesAnswer>("POST", "/adopt/tables", { html, handler });
      return status === 200 ? said.tables.map(({ table, key }) => [table, key]) : status;
    };
    const inputs = '<input name="name"><input name="length_km">';
    expect(await found(`<form method="post" action="/rivers/7/edit">${inputs}</form>`)).toEqual([
      ["network.river", { id: "7" }],
    ]);
    expect(await found(`<form method="post"><input type="hidden" name="id" value="12">${inputs}</form>`)).toEqual([
      ["network.river", { id: "12" }],
    ]);
    const sensor =
      '<form method="post" action="/sensors/MV%20014/2"><input name="serial_number"><input name="kind"></form>';
    expect(await found(sensor)).toEqual([["network.sensor", { station_code: "MV 014", channel: "2" }]]);
    expect(await found('<form method="post"><input name="nothing_of_it"></form>')).toEqual([]);
    const update = 'db.query("UPDATE network.region SET name = $1 WHERE id = $2", [req.body.name, req.params.id]);';
    expect(await found('<form method="post" action="/x/%E0"><input name="name"></form>', update)).toEqual([
      ["network.region", null],
    ]);
    expect(((await found('<form method="post"><input name="name"></form>')) as unknown[]).length).toBeGreaterThan(1);
    expect(await found("")).toBe(400);
    expect(await found(`${"<div>".repeat(60_000)}<form><input name="name"></form>`)).toBe(422);
  });

  test("records are found at their extremes and stepped through by keys", async () => {
    const extremes = await get<RecordChoice[]>("/pages/station/extremes");
    expect(extremes.map(({ extreme }) => extreme)).toEqual([
      "longest text",
      "most empty",
      "fullest",
      "oldest",
      "newest",
    ]);
    expect(await get("/pages/station/neighbour?key=MV-013&by=1")).toEqual(["MV-014"]);
    expect(await get("/pages/station/neighbour?key=MV-001&by=-1")).toBeNull();
    expect(await get(`/pages/station/first?as=${people.hollis.id}`)).not.toEqual(["MV-001"]);
    const [first] = await get<RecordChoice[]>("/pages/sensor/records");
    const key = (first?.key ?? []).map((part) => `key=${part}`).join("&");
    expect(await get(`/pages/sensor/neighbour?${key}&by=1`)).toEqual([first?.key[0], "2"]);
  });
});

describe("a condition", () => {
  const judge = async (source: string, place = "row", more: object = {}): Promise<ConditionAnswer> =>
    (
      await ines.send<ConditionAnswer>("POST", "/drafts/station/condition", {
        text: station,
        source,
        place,
        key: ["MV-014"],
        ...more,
      })
    ).said;

  test("is held against the record and counted over all rows", async () => {
    const live = await judge('row.status == "live"');
    expect(live).toMatchObject({ problem: null, here: true, counted: { unknown: 0 } });
    expect((live.counted?.holds ?? 0) + (live.counted?.fails ?? 0)).toBe(48);
    // Of a value that is not there it is unknown what it is: such a row fails no check.
    const owner = new pg.Client(workbench.made.owner);
    await owner.connect();
    const { rowCount: none } = await owner.query("UPDATE network.station SET notes = NULL WHERE code LIKE 'MV-03_'");
    await owner.end();
    const unknown = await judge('form.notes != "Nothing to say"', "form");
    expect(none).toBe(10);
    expect(unknown.counted).toEqual({ holds: 38, fails: 0, unknown: 10 });
    expect(await judge("form.warning_m > 900.0", "form")).toMatchObject({
      here: false,
      counted: { holds: 0 },
    });
    expect(await judge('"technician" in actor.roles', "open", { as: people.hollis.id })).toMatchObject({
      here: false,
      counted: null,
    });
  });

  test("is told where it is wrong", async () => {
    expect((await judge("row.stattus")).problem).toMatchObject({ message: expect.stringContaining("status") });
    expect((await judge("row.status == 1", "open")).problem).not.toBeNull();
    expect((await judge("form.status")).problem?.message).toContain("form");
    expect(await judge("row.name.startsWith('A')", "choices", { field: "river_id" })).toMatchObject({
      problem: null,
      counted: { unknown: 0 },
    });
  });
});

describe("before publishing", () => {
  test("it is told for whom what changes", async () => {
    const text = station.replace("row.region_id == actor.region_id", "true");
    const { said } = await ines.send<DraftAnswer>("PUT", "/drafts/station", { was: station, text });
    expect(await get<EffectAnswer[]>("/drafts/station/effects")).toEqual([
      { name: "hollis", lines: expect.arrayContaining(["sees 48 records instead of 12"]) },
    ]);
    await ines.send("DELETE", "/drafts/station", { revision: said.revision });
  });

  test("a page is exported as plain code, as its text stands; what can't be is told with the reason", async () => {
    const { said } = await ines.send<CodeAnswer>("POST", "/drafts/station/code", {
      text: station.replace("Station name", "Name of the station"),
    });
    expect(said.because).toBeNull();
    expect(said.files.map((file) => file.path)).toEqual(
      expect.arrayContaining(["station/routes.ts", "station/routes.test.ts", "shared/html.ts"]),
    );
    expect(said.files.find((file) => file.path === "station/form.ts")?.text).toContain('name: "Name of the station"');
    const sensitive = station.replace("- grid_reference: {", "- grid_reference: { sensitive: true,");
    expect((await ines.send<CodeAnswer>("POST", "/drafts/station/code", { text: sensitive })).said).toEqual({
      files: [],
      left: [],
      because: "grid_reference is sensitive",
      packages: [],
      types: [],
    });
    expect((await ines.send("POST", "/drafts/station/code", { text: "a: [" })).status).toBe(422);
  });

  test("a census runs in the background and is cancelled by another", async () => {
    expect((await ines.send("POST", "/drafts/station/census", { text: station })).status).toBe(202);
    const answer = await untilAnswered(
      () => get<CensusAnswer | null>("/drafts/station/census"),
      (census) => census?.state === "done",
    );
    expect(answer).toMatchObject({ state: "done", done: 1, census: { rows: 48 } });
    expect((await ines.send("POST", "/drafts/station/census", { text: "a: [" })).status).toBe(422);
    expect(await get("/drafts/sensor/census")).toBeNull();
  });
});
