import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { formOf } from "@loyal-quill/testing";
import { makeTrips, type Trips, tamsin } from "../../testing/trips.js";

const file = `format: loyal-quill/page@1
title: "Posten {height}"
plural: Posten
path: /posten/{id}
record: { table: proof.post, key: id }
language: de
time-zone: Europe/Berlin
access: { new: true }
list: { columns: [id, height, since, seen, tags], filter: [height], sort: id }
names: { height: hoehe, kind: art, open: auf }
fields:
  - height: { label: Höhe, hint: "zum Beispiel 3,37", rules: [{ max: 12.5 }] }
  - depth: { label: Tiefe }
  - since: { control: text, label: Seit }
  - seen
  - kind: { control: radio }
  - open
  - tags
  - names
  - settings
answer: { message: "Höhe {height}, seit {since}." }
`;

let trips: Trips;
beforeAll(async () => {
  trips = await makeTrips({
    sql: [
      "CREATE SCHEMA proof",
      `CREATE TABLE proof.post (id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY, height numeric(6,2), depth double precision, since date, seen timestamptz,
        kind text CHECK (kind IN ('mast', 'weir')), open boolean NOT NULL DEFAULT false, tags text[] NOT NULL DEFAULT '{}', names varchar(20)[], settings jsonb)`,
      `INSERT INTO proof.post (height, depth, since, seen, kind, tags, names, settings) VALUES
        (3.37, -0.25, '2026-03-31', '2026-07-01 09:30:00.5+00', 'mast', '{weir,"two words","a,\\"b\\""}', '{a,NULL}', '{"a": 1}'),
        (1234.50, 'Infinity', 'infinity', NULL, NULL, '{}', NULL, NULL)`,
      "ANALYZE proof.post",
      "GRANT USAGE ON SCHEMA proof TO quill_pages",
      "GRANT SELECT, INSERT, UPDATE, DELETE ON ALL TABLES IN SCHEMA proof TO quill_pages",
    ],
    files: { post: file },
  });
});
afterAll(() => trips.close());

const page = async (path: string, query: Readonly<Record<string, string>> = {}): Promise<string> =>
  (await trips.send("GET", path, tamsin, null, trips.database, query)).response.body;
const stored = (id = 1) =>
  trips.one<Record<string, unknown>>(
    "SELECT height::text, depth::text, since::text, kind, open, tags::text, names::text, settings::text FROM proof.post WHERE id = $1",
    [id],
  );
const save = async (edits: Record<string, string | null>, id = 1) =>
  trips.save(`/posten/${id}/edit`, tamsin, await trips.open(`/posten/${id}/edit`, tamsin), edits);
const problems = (body: string): string[] =>
  [...body.matchAll(/<p class="quill-problem"[^>]*>(.*?)<\/p>/g)].map(([, text]) => text ?? "");

describe("values in the page's language", () => {
  test("are shown in its way, in forms, lists, titles and messages, and left alone where they are untouched", async () => {
    const form = await trips.open("/posten/1/edit", tamsin);
    expect(Object.fromEntries(form)).toMatchObject({
      hoehe: "3,37",
      depth: "-0,25",
      since: "31.03.2026",
      seen: "2026-07-01T11:30:00.5",
    });
    expect((await save({})).recorded.outcome).toBe("unchanged");
    expect((await save({}, 2)).recorded.outcome).toBe("unchanged");
    const list = await page("/posten");
    for (const text of ["3,37", "31.03.2026", "01.07.2026 11:30:00", "1234,50", "infinity"])
      expect(list).toContain(`>${text}</`);
    expect(await page("/posten/1")).toContain("Posten 3,37</h1>");
    const saved = await save({ depth: "-0,5" });
    expect(decodeURIComponent(saved.response.headers["set-cookie"] ?? "")).toContain("Höhe 3,37, seit 31.03.2026.");
  });

  test("are typed in its way, to the digit; what could be another number is refused", async () => {
    expect((await save({ hoehe: "4,2", depth: "0,1", since: "1.4.2026" })).recorded.outcome).toBe("saved");
    expect(await stored()).toMatchObject({ height: "4.20", depth: "0.1", since: "2026-04-01" });
    expect((await save({ hoehe: "4,200", since: "2026-04-01" })).recorded.outcome).toBe("unchanged");
    const refused = await save({ hoehe: "1.234", since: "31.02.2026", depth: "3.5" });
    expect(problems(refused.response.body)).toEqual([
      "Höhe wird mit einem Komma geschrieben, wie 12,50, nicht mit einem Punkt.",
      "Tiefe wird mit einem Komma geschrieben, wie 12,50, nicht mit einem Punkt.",
      expect.stringContaining("Seit"),
    ]);
    expect(formOf(refused.response.body).get("hoehe")).toBe("1.234");
    expect(problems((await save({ hoehe: "13" })).response.body)[0]).toContain("12,5");
  });

  test("what is shown can be found and filtered", async () => {
    const ids = async (query: Record<string, string>): Promise<string[]> =>
      [...(await page("/posten", query)).matchAll(/class="quill-record" href="\/posten\/(\d+)/g)].map(
        ([, id]) => id ?? "",
      );
    expect(await ids({ q: "4,20" })).toEqual(["1"]);
    expect(await ids({ q: "1234,50" })).toEqual(["2"]);
    expect(await ids({ q: "1234.50" })).toEqual([]);
    expect(await ids({ q: "01.04.2026" })).toEqual(["1"]);
    expect(await ids({ q: "01.07.2026 11:30" })).toEqual(["1"]);
    expect(await ids({ "from.height": "1.234,5" })).toEqual(["2"]);
    const { response } = await trips.send("GET", "/posten/~csv", tamsin);
    let csv = "";
    for await (const part of response.parts ?? []) csv += part;
    expect(csv).toContain("1,4.20,2026-04-01,2026-07-01 11:30:00.5,");
  });
});

describe("controls", () => {
  test("a few choices stand in view; none chosen is no value", async () => {
    const body = await page("/posten/1/edit");
    expect(body).toContain('<fieldset class="quill-field" data-field="kind"><legend>Kind</legend>');
    expect(body).toContain('<input id="field-5-2" name="art" type="radio" value="mast" checked>');
    expect((await save({ art: "weir" })).recorded.outcome).toBe("saved");
    expect((await save({ art: "" })).recorded.outcome).toBe("saved");
    expect((await stored()).kind).toBeNull();
    const form = await trips.open("/posten/1/edit", tamsin);
    form.delete("art");
    expect((await trips.save("/posten/1/edit", tamsin, form)).recorded.outcome).toBe("unchanged");
    expect(problems((await save({ art: "other" })).response.body)).toHaveLength(1);
  });

  test("a list of texts has a line for each; what has no line of its own is as PostgreSQL writes it", async () => {
    const form = await trips.open("/posten/1/edit", tamsin);
    expect([form.get("tags"), form.get("names")]).toEqual(['weir\r\ntwo words\r\na,"b"', "{a,NULL}"]);
    expect((await save({ tags: " weir \r\n\r\n{braced\r\nc\\d" })).recorded.outcome).toBe("saved");
    expect((await stored()).tags).toBe('{weir,"{braced","c\\\\d"}');
    expect((await save({ tags: "", names: "x\r\ny" })).recorded.outcome).toBe("saved");
    expect(await stored()).toMatchObject({ tags: "{}", names: "{x,y}" });
    expect((await save({ names: "" })).recorded.outcome).toBe("saved");
    expect((await stored()).names).toBeNull();
    expect((await save({ names: "x".repeat(21) })).response.status).toBe(422);
  });

  test("JSON that is none says where", async () => {
    const { response } = await save({ settings: '{\r\n  "a": 1,\r\n  b: 2 }' });
    expect(problems(response.body)).toEqual([
      "Settings muss gültiges JSON sein: Sehen Sie in Zeile 3, Zeichen 3 nach.",
    ]);
  });

  test("a hint stands in the empty control, a form name in the place of the column's", async () => {
    expect(await page("/posten/new")).toContain('name="hoehe" placeholder="zum Beispiel 3,37"');
    const form = await trips.open("/posten/1/edit", tamsin);
    expect([form.has("height"), form.has("quill.box:auf")]).toEqual([false, true]);
    // A column's own name is none of the form's.
    expect((await trips.save("/posten/1/edit", tamsin, form, { height: "9" })).recorded.outcome).toBe("unchanged");
    expect((await save({ auf: "true" })).recorded.outcome).toBe("saved");
    expect((await stored()).open).toBe(true);
    await trips.reloadWith({ post: file.replace("kind: art", "kind: hoehe, nothing: x") });
    const found = trips.site().files[0]?.findings.filter(({ severity }) => severity === "error") ?? [];
    expect(found.map(({ code }) => code).sort()).toEqual(["form-name", "form-name", "unknown-field"]);
    await trips.reloadWith({ post: file });
  });
});
