import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { rm, writeFile } from "node:fs/promises";
import os from "node:os";
import path from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { untilAnswered } from "@loyal-quill/testing";
import pg from "pg";
import { hashPassword } from "../sign-in/passwords.js";
import { password, startWorkbench, type TestWorkbench } from "../testing/workbench.js";
import type {
  ChangesAnswer,
  PutBackAnswer,
  PutBackRecord,
  RecordChangesAnswer,
  VerificationAnswer,
} from "./answers/changes.js";
import type { SessionAnswer } from "./answers/people.js";

const elsewhere = mkdtempSync(path.join(os.tmpdir(), "loyal-quill-seals-"));
let bench: TestWorkbench;
let owner: pg.Client;
let send: <T>(method: string, path: string, body?: unknown) => Promise<{ status: number; said: T }>;

beforeAll(async () => {
  bench = await startWorkbench({ sealsTo: [path.join(elsewhere, "taken-away"), path.join(elsewhere, "spoilt")] });
  owner = new pg.Client(bench.made.owner);
  await owner.connect();
  await bench.application.store.accounts.keep({
    id: "5e0c7a10-4b1d-4c55-9d0e-000000000077",
    email: "undoer@marrow-vale.example",
    name: "Una Doer",
    passwordHash: await hashPassword(password),
    roles: ["technician", "auditor"],
    attributes: { region_id: 1 },
    active: true,
  });
  const { client } = await bench.signIn("undoer");
  const { csrfToken } = JSON.parse((await client.get("/workbench/api/session")).text) as SessionAnswer;
  send = async (method, path, body) => {
    const { status, text } = await client.send(`/workbench/api${path}`, {
      method,
      headers: { "x-csrf-token": csrfToken, "content-type": "application/json" },
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
    });
    return { status, said: JSON.parse(text) as never };
  };
});
afterAll(async () => {
  await owner.end();
  await bench.close();
  rmSync(elsewhere, { recursive: true });
});

const get = async <T>(path: string): Promise<T> => (await send<T>("GET", path)).said;
const search = (query: Record<string, string>): Promise<ChangesAnswer> =>
  get<ChangesAnswer>(`/changes?${new URLSearchParams(query)}`);
/** An entry as a page makes one, with its change. */
async function changed(code: string, column: string, value: string | null): Promise<string> {
  const { rows } = await owner.query(
    `WITH before AS (SELECT code, ${column}::text AS was FROM network.station WHERE code = $1), after AS (
       UPDATE network.station AS t SET ${column} = $2 FROM before WHERE t.code = before.code RETURNING was, t.${column}::text AS now)
     SELECT quill_log.add_change('p9', 'Somebody Else', 'station', 'v', 'network.station', jsonb_build_object('code', $1::text), 'update',
       jsonb_build_array(jsonb_build_object('field', '${column}', 'old', was, 'new', now)), gen_random_uuid(), NULL, NULL, NULL)::text AS id FROM after`,
    [code, value],
  );
  return rows[0].id;
}
const stored = async (code: string, column: string): Promise<string | null> =>
  (await owner.query(`SELECT ${column}::text AS value FROM network.station WHERE code = $1`, [code])).rows[0].value;

describe("the log is searched", () => {
  test("by record, field, value, time, way and person; each alone and together", async () => {
    const id = await changed("MV-031", "notes", "A value like no other");
    expect((await search({ value: "A value like no other" })).changes.map((each) => each.id)).toEqual([id]);
    expect((await search({ field: "notes", value: "A value like" })).changes).toEqual([]);
    const ofRecord = await search({ table: "network.station", key: '{"code":"MV-031"}' });
    expect(ofRecord.changes[0]?.id).toBe(id);
    expect(ofRecord.changes.every(({ key }) => key.code === "MV-031")).toBe(true);
    const fields = await search({ field: "warning_m" });
    expect(fields.changes.length).toBeGreaterThan(0);
    expect(fields.changes.every((each) => each.fields.some(({ field }) => field === "warning_m"))).toBe(true);
    const span = await search({ from: "2026-06-01T00:00:00Z", to: "2026-07-01T00:00:00Z" });
    expect(span.changes.every(({ at }) => at >= "2026-06-01" && at < "2026-07-01")).toBe(true);
    expect((await search({ person: "p9" })).changes.map(({ actorName }) => actorName)).toContain("Somebody Else");
    expect((await search({ way: "behind" })).changes.map(({ way }) => way)).toEqual(["behind"]);
    expect((await search({ person: "p9", field: "name" })).changes).toEqual([]);
    expect((await search({ from: "2999-01-01T00:00:00Z" })).changes).toEqual([]);
  });

  test("for a number with a point as that number, and not as a part of a moment", async () => {
    const [number, moment] = [
      await changed("MV-031", "notes", "Read at 33.70 today"),
      await changed("MV-032", "notes", "At 2026-09-14 10:15:33.712+00"),
    ];
    const found = (await search({ containing: "33.7" })).changes.map(({ id }) => id);
    expect([found.includes(number), found.includes(moment)]).toEqual([true, false]);
    expect((await search({ containing: "10:15:33" })).changes.map(({ id }) => id)).toContain(moment);
  });

  test("goes on where a part ended, and ends", async () => {
    const seen = new Set<string>();
    for (let before: string | null = ""; before !== null; ) {
      const answer: ChangesAnswer = await search({ page: "sensor", ...(before ? { before } : {}) });
      for (const { id } of answer.changes) seen.add(id);
      before = answer.before;
    }
    const { rows } = await owner.query("SELECT count(*)::int AS n FROM quill_log.change WHERE page = 'sensor'");
    expect(seen.size).toBe(rows[0].n);
  });

  test.each([
    { key: "{" },
    { key: '["a"]' },
    { from: "soon" },
    { way: "x" },
    { field: "a'; DROP TABLE quill_log.change; --" },
    { value: "\\x00%_" },
    { before: "-1" },
    { table: "network.station", key: '{"no such column":"1"}' },
  ])("whatever is asked: %j", async (query) => {
    expect((await send("GET", `/changes?${new URLSearchParams(query as Record<string, string>)}`)).status).toBe(200);
  });
});

describe("a record's changes", () => {
  test("come with the record as it is now, and follow it through its keys", async () => {
    await owner.query(
      `BEGIN; UPDATE network.station SET code = 'MV-932' WHERE code = 'MV-032';
       SELECT quill_log.add_change('p9', 'Somebody', 'station', 'v', 'network.station', '{"code":"MV-032"}', 'update', '[{"field":"code","old":"MV-032","new":"MV-932"}]', NULL, NULL, '{"code":"MV-932"}', NULL); COMMIT`,
    );
    for (const code of ["MV-032", "MV-932"]) {
      const record = await get<RecordChangesAnswer>(
        `/changes/record?${new URLSearchParams({ table: "network.station", key: JSON.stringify({ code }) })}`,
      );
      expect(record.key).toEqual({ code: "MV-932" });
      expect(record.page).toBe("station");
      expect(record.now?.code).toBe("MV-932");
      expect(record.changes.length).toBeGreaterThan(1);
    }
  });

  test("have what references name beside their values; what is gone or named by its value alone has no label", async () => {
    await changed("MV-033", "river_id", "5");
    const record = await get<RecordChangesAnswer>(
      `/changes/record?${new URLSearchParams({ table: "network.station", key: '{"code":"MV-033"}' })}`,
    );
    const { rows } = await owner.query("SELECT name FROM network.river WHERE id = 5");
    const column = (name: string) => record.columns.find((each) => each.name === name);
    expect(column("river_id")?.labels).toMatchObject({ 5: rows[0].name });
    expect(column("name")?.labels).toEqual({});
  });

  test("have no label where a page of the other table keeps it from everybody", async () => {
    const labels = async (): Promise<readonly string[]> => {
      const record = await get<RecordChangesAnswer>(
        `/changes/record?${new URLSearchParams({ table: "network.station", key: '{"code":"MV-033"}' })}`,
      );
      return Object.values(record.columns.find(({ name }) => name === "river_id")?.labels ?? {});
    };
    expect(await labels()).not.toEqual([]);
    const secret = `format: loyal-quill/page@1
title: "River {id}"
plural: Secret rivers
path: /secret-rivers/{id}
record: { table: network.river, key: id }
access: { open: '"hydrologist" in actor.roles' }
list: { columns: [length_km], sort: id }
fields: [name: { sensitive: true }, length_km]
`;
    const file = path.join(bench.directory, "secret.page.yaml");
    await writeFile(file, secret);
    expect(await untilAnswered(labels, ({ length }) => length === 0)).toEqual([]);
    await rm(file);
  });

  test("are those of the record that an entry is about, though another one has its key by now", async () => {
    const add = (key: string, operation: string, newKey: string | null): Promise<string> =>
      owner
        .query(
          `SELECT quill_log.add_change('p', 'P', 'station', 'v', 'network.station', jsonb_build_object('code', $1::text), $2, '[{"field":"notes","old":"a","new":"b"}]', NULL, NULL,
             CASE WHEN $3::text IS NOT NULL THEN jsonb_build_object('code', $3::text) END, NULL)::text AS id`,
          [key, operation, newKey],
        )
        .then(({ rows }) => rows[0].id);
    const first = await add("MV-801", "update", null);
    const renamed = await add("MV-801", "update", "MV-802");
    const other = await add("MV-801", "insert", null);
    const at = (entry?: string): Promise<RecordChangesAnswer> =>
      get<RecordChangesAnswer>(
        `/changes/record?${new URLSearchParams({ table: "network.station", key: '{"code":"MV-801"}', ...(entry ? { entry } : {}) })}`,
      );
    expect((await at(first)).key).toEqual({ code: "MV-802" });
    expect((await at(renamed)).key).toEqual({ code: "MV-802" });
    expect((await at(other)).key).toEqual({ code: "MV-801" });
    // Without an entry it is whoever had the key last.
    expect((await at()).key).toEqual({ code: "MV-801" });
    const { said } = await send<{ records: PutBackRecord[] }>("POST", "/changes/put-back/plan", { entries: [first] });
    expect(said.records[0]?.key).toEqual({ code: "MV-802" });
  });

  test("of a table or key that is none are empty, and 400 where none is named", async () => {
    const of = (query: Record<string, string>) =>
      send<RecordChangesAnswer>("GET", `/changes/record?${new URLSearchParams(query)}`);
    expect((await of({ table: "no.table", key: '{"a":"1"}' })).said).toMatchObject({
      changes: [],
      now: null,
      page: null,
    });
    expect((await of({ table: "network.station", key: '{"no column":"1"}' })).said.now).toBeNull();
    expect((await of({ table: "network.station" })).status).toBe(400);
  });
});

describe("putting back", () => {
  const planned = async (entries: readonly string[], fields?: readonly string[]): Promise<readonly PutBackRecord[]> =>
    (
      await send<{ records: PutBackRecord[] }>("POST", "/changes/put-back/plan", {
        entries,
        ...(fields ? { fields } : {}),
      })
    ).said.records;
  const put = async (body: Record<string, unknown>): Promise<PutBackAnswer["records"]> =>
    (await send<PutBackAnswer>("POST", "/changes/put-back", body)).said.records;

  test("is shown before, done by the page, and logged with what it undoes; and so is its undoing", async () => {
    const was = await stored("MV-033", "notes");
    const id = await changed("MV-033", "notes", "Wrong.");
    const [record] = await planned([id]);
    expect(record).toMatchObject({
      does: "change",
      page: "station",
      isOpen: true,
      fields: [{ field: "notes", now: "Wrong.", becomes: was }],
    });
    const [came] = await put({ entries: [id] });
    expect(came).toMatchObject({ state: "put-back", entry: expect.any(String) });
    expect(await stored("MV-033", "notes")).toBe(was);
    const [entry] = (await search({ table: "network.station", key: '{"code":"MV-033"}' })).changes;
    expect(entry).toMatchObject({ id: came?.entry, undoes: [id], actorName: "Una Doer", way: "page" });
    expect((await put({ entries: [came?.entry] }))[0]?.state).toBe("put-back");
    expect(await stored("MV-033", "notes")).toBe("Wrong.");
  });

  test("leaves what others changed since, unless it is asked for", async () => {
    const first = await changed("MV-034", "notes", "One.");
    await changed("MV-034", "notes", "Two.");
    expect((await planned([first]))[0]?.fields[0]).toMatchObject({ isConflict: true, now: "Two.", left: "One." });
    expect((await put({ entries: [first] }))[0]?.state).toBe("conflict");
    expect(await stored("MV-034", "notes")).toBe("Two.");
    expect((await put({ entries: [first], despite: true }))[0]?.state).toBe("put-back");
    expect(await stored("MV-034", "notes")).not.toBe("Two.");
  });

  test("of one save is all that was saved at once, however far back", async () => {
    const [one, two] = [await changed("MV-036", "notes", "First."), await changed("MV-037", "notes", "Second.")];
    const give = (id: string, request: string) =>
      owner.query(
        `ALTER TABLE quill_log.change DISABLE TRIGGER ALL; UPDATE quill_log.change SET request_id = '${request}' WHERE id = ${id}; ALTER TABLE quill_log.change ENABLE TRIGGER ALL`,
      );
    const requestOf = async (code: string): Promise<string> =>
      (await search({ table: "network.station", key: JSON.stringify({ code }) })).changes[0]?.requestId ?? "";
    const own = await requestOf("MV-037");
    const request = await requestOf("MV-036");
    await give(two, request);
    expect((await search({ request })).changes.map(({ id }) => id)).toEqual([two, one]);
    expect((await search({ request: "no number" })).changes.length).toBeGreaterThan(2);
    const { said } = await send<{ entries: string[]; more: boolean }>("GET", `/changes/entries?request=${request}`);
    expect(said).toEqual({ entries: [two, one], more: false });
    expect((await put({ entries: said.entries })).map(({ state }) => state)).toEqual(["put-back", "put-back"]);
    // Its hash is of the number that it had.
    await give(two, own);
  });

  test("is refused by the page's rules, and says why", async () => {
    // As it was before, which the page does not take any more.
    await owner.query("ALTER TABLE network.station DROP CONSTRAINT station_levels");
    const bad = await changed("MV-035", "alert_m", "99");
    const good = await changed("MV-035", "alert_m", "0.5");
    expect(bad).toBeDefined();
    expect(await put({ entries: [good] })).toMatchObject([
      { state: "refused", said: ["The warning level must lie above the alert level."] },
    ]);
    expect(await stored("MV-035", "alert_m")).toBe("0.50");
  });

  test("makes a deleted record again, and deletes a new one", async () => {
    const { rows } = await owner.query("SELECT * FROM field.calibration ORDER BY id LIMIT 1");
    const page = (await search({ table: "field.calibration", key: JSON.stringify({ id: String(rows[0].id) }) }))
      .changes;
    expect(Array.isArray(page)).toBe(true);
    const key = (
      await owner.query(`INSERT INTO network.station (code, name, river_id, region_id, grid_reference, status, alert_m, warning_m)
      VALUES ('MV-901', 'Made', 1, 1, 'ZZ 901', 'planned', 1, 2) RETURNING code`)
    ).rows[0].code;
    const inserted = (
      await owner.query(
        `SELECT quill_log.add_change('p9', 'Somebody', 'station', 'v', 'network.station', '{"code":"MV-901"}', 'insert', (SELECT jsonb_agg(jsonb_build_object('field', e.key, 'old', NULL, 'new', e.value))
           FROM jsonb_each_text(to_jsonb((SELECT s FROM network.station AS s WHERE code = 'MV-901'))) AS e WHERE e.value IS NOT NULL), NULL, NULL, NULL, NULL)::text AS id`,
      )
    ).rows[0].id;
    expect((await planned([inserted]))[0]).toMatchObject({ does: "delete" });
    const [gone] = await put({ entries: [inserted] });
    expect(gone?.state).toBe("put-back");
    expect((await owner.query("SELECT FROM network.station WHERE code = $1", [key])).rowCount).toBe(0);
    expect((await planned([gone?.entry ?? ""]))[0]).toMatchObject({ does: "new" });
    const [again] = await put({ entries: [gone?.entry] });
    expect(again).toMatchObject({ state: "put-back" });
    expect((await owner.query("SELECT name, grid_reference FROM network.station WHERE code = $1", [key])).rows).toEqual(
      [{ name: "Made", grid_reference: "ZZ 901" }],
    );
  });

  test("writes what its plan says and nothing else: nothing is tidied, derived or defaulted; and it says what it wrote", async () => {
    await owner.query(`CREATE TABLE network.notice (id integer PRIMARY KEY, title text NOT NULL, slug text, level text DEFAULT 'low', seen_by text);
      GRANT SELECT, INSERT, UPDATE, DELETE ON network.notice TO quill_pages; INSERT INTO network.notice VALUES (1, '  Wide  words ', NULL, NULL, NULL)`);
    await writeFile(
      path.join(bench.directory, "notice.page.yaml"),
      `format: loyal-quill/page@1
title: Notice {id}
plural: Notices
path: /notices/{id}
record: { table: network.notice, key: id }
access: { open: "true", new: "true", delete: "true" }
set: { seen_by: { to: actor.name, on: save } }
fields:
  - id
  - title: { tidy: [trim, single-spaces] }
  - slug: { tidy: [{ slug: title }] }
  - level
`,
    );
    await bench.application.pages.reload();
    const logged = async (operation: string, fields: object[]): Promise<string> =>
      (
        await owner.query(
          "SELECT quill_log.add_change('p9', 'Somebody', 'notice', 'v', 'network.notice', '{\"id\":\"1\"}', $1, $2, NULL, NULL, NULL, NULL)::text AS id",
          [operation, JSON.stringify(fields)],
        )
      ).rows[0].id;
    const row = async () => (await owner.query("SELECT title, slug, level FROM network.notice WHERE id = 1")).rows[0];
    const before = await row();
    const changed = await logged("update", [
      { field: "title", old: before.title, new: "Narrow" },
      { field: "slug", old: null, new: "narrow" },
    ]);
    await owner.query("UPDATE network.notice SET title = 'Narrow', slug = 'narrow' WHERE id = 1");
    const [came] = await put({ entries: [changed] });
    expect(await row()).toEqual(before);
    expect(came).toMatchObject({ state: "put-back" });
    expect(came?.wrote.map(({ field, new: now }) => [field, now])).toEqual([
      ["title", "  Wide  words "],
      ["slug", null],
      ["seen_by", "Una Doer"],
    ]);
    const deleted = await logged("delete", [
      { field: "id", old: "1", new: null },
      { field: "title", old: before.title, new: null },
    ]);
    await owner.query("DELETE FROM network.notice");
    expect((await planned([deleted]))[0]?.fields.map(({ field, becomes }) => [field, becomes])).toEqual([
      ["id", "1"],
      ["title", "  Wide  words "],
      ["level", null],
    ]);
    expect((await put({ entries: [deleted] }))[0]?.state).toBe("put-back");
    expect(await row()).toEqual(before);
  });

  test("of what no page is served for, or whose page is not open, is told and not done", async () => {
    const none = (
      await owner.query(
        `SELECT quill_log.add_change('p', 'P', 'x', 'v', 'no.table', '{"id":"1"}', 'update', '[{"field":"a","old":"1","new":"2"}]', NULL, NULL, NULL, NULL)::text AS id`,
      )
    ).rows[0].id;
    expect((await planned([none]))[0]).toMatchObject({ page: null, stands: "gone" });
    expect((await put({ entries: [none] }))[0]?.state).toBe("nothing");
    const bulletin = (await search({ page: "bulletin" })).changes[0]?.id ?? "";
    expect((await planned([bulletin]))[0]?.page).toBe("bulletin");
  });

  test("is offered for what a page that one may open can put back, and for nothing else", async () => {
    const station = (await search({ page: "station" })).changes[0];
    const bulletin = (await search({ page: "bulletin" })).changes[0];
    expect([station?.canPutBack, bulletin?.canPutBack]).toEqual([true, false]);
    expect(
      (await planned([station?.id ?? "", bulletin?.id ?? ""])).map(({ page, isOpen }) => [page, isOpen]).sort(),
    ).toEqual([
      ["bulletin", false],
      ["station", true],
    ]);
    expect((await get<{ entries: string[] }>("/changes/entries?page=bulletin")).entries).toEqual([]);
  });

  test.each([
    {},
    { entries: [] },
    { entries: ["x"] },
    { entries: [1] },
    { entries: Array.from({ length: 201 }, () => "1") },
    { entries: ["1"], more: 1 },
  ])("asked wrongly is answered 400: %j", async (body) => {
    expect((await send("POST", "/changes/put-back", body)).status).toBe(400);
    expect((await send("POST", "/changes/put-back/plan", body)).status).toBe(400);
  });

  test("of entries that are not there is nothing", async () => {
    expect(await put({ entries: ["999999999"] })).toEqual([]);
  });
});

test("the log is verified in the background, and the last report is kept", async () => {
  const first = await get<VerificationAnswer>("/changes/verification");
  expect(first).toMatchObject({ last: null, run: null, sealed: { number: expect.any(String) } });
  // Somebody who would rather not have the log held against them has taken one of the copies away, and spoilt the other.
  rmSync(path.join(elsewhere, "taken-away"), { force: true });
  writeFileSync(path.join(elsewhere, "spoilt"), "no seal\n");
  expect((await send("POST", "/changes/verification")).status).toBe(202);
  const answer = await untilAnswered(
    () => get<VerificationAnswer>("/changes/verification"),
    ({ last }) => last !== null,
  );
  expect(answer.last).toMatchObject({ by: "Una Doer", report: { counts: { tables: 2 } } });
  expect(answer.last?.report.outside).toEqual({
    seals: 0,
    last: null,
    signatures: false,
    unread: [
      expect.stringMatching(/taken-away \(ENOENT: no such file or directory/),
      `${path.join(elsewhere, "spoilt")} (line 1 is no seal as quill log seal writes it)`,
    ],
  });
  // The entry that the page refused to put back stands for a change that was made without telling the page.
  expect(answer.last?.report.findings).toEqual([]);
});
