import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { formOf } from "@loyal-quill/testing";
import { hollis, makeTrips, type Trips, tamsin } from "../../testing/trips.js";

const file = (set: string, more = ""): string => `format: loyal-quill/page@1
title: "Post {id}"
path: /posts/{id}
record: { table: proof.post, key: id }
time-zone: Asia/Kolkata
access: { new: true, rows: row.owner == actor.id }
set: ${set}
fields:
  - name
  - kind: { default: '"gauge"' }
  - height: { default: 2.5 }
  - since: { default: now }
  - seen_at: { default: now }
  - changed_by
${more}`;

let trips: Trips;
const at = new Date("2026-03-31T20:00:00.250Z");
const sets =
  "{ owner: { to: actor.id, on: new }, changed_by: actor.name, changed_at: now, changed_on: { to: now, on: save } }";
beforeAll(async () => {
  trips = await makeTrips({
    sql: [
      "CREATE SCHEMA proof",
      `CREATE TABLE proof.post (id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY, name text NOT NULL UNIQUE, kind text DEFAULT 'mast',
        height numeric DEFAULT 1, since date, owner text NOT NULL, changed_by text NOT NULL, changed_at timestamptz NOT NULL, changed_on date, seen_by text, seen_at timestamptz)`,
      `CREATE FUNCTION proof.note_who() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN
        NEW.seen_by := concat_ws(' ', current_setting('quill.actor', true), current_setting('quill.page', true), length(current_setting('quill.request', true)));
        RETURN NEW; END $$`,
      "CREATE TRIGGER who BEFORE INSERT OR UPDATE ON proof.post FOR EACH ROW EXECUTE FUNCTION proof.note_who()",
      "CREATE TABLE proof.own (id integer PRIMARY KEY, owner text NOT NULL, note text)",
      "INSERT INTO proof.own VALUES (1, 'tamsin', 'hers'), (2, 'hollis', 'his')",
      "ALTER TABLE proof.own ENABLE ROW LEVEL SECURITY",
      "CREATE POLICY mine ON proof.own USING (owner = current_setting('quill.actor', true))",
      "GRANT USAGE ON SCHEMA proof TO quill_pages",
      "GRANT SELECT, INSERT, UPDATE, DELETE ON ALL TABLES IN SCHEMA proof TO quill_pages",
    ],
    files: {
      post: file(sets),
      own: `format: loyal-quill/page@1\ntitle: "{note}"\npath: /own/{id}\nrecord: { table: proof.own, key: id }\naccess: { delete: true }\nfields: [note]\n`,
    },
  });
});
afterAll(() => trips.close());

const newForm = async (query: Record<string, string> = {}): Promise<Map<string, string>> =>
  formOf((await trips.send("GET", "/posts/new", tamsin, null, trips.database, query, at)).response.body);

const add = async (name: string, edits: Record<string, string> = {}, query: Record<string, string> = {}) => {
  const form = await newForm(query);
  return trips.save("/posts/new", tamsin, form, { name, ...edits }, at);
};

const stored = (name: string) =>
  trips.one<Record<string, unknown>>(
    "SELECT id, name, kind, height::text, since::text, owner, changed_by, changed_at = $2::timestamptz AS now, changed_on::text AS on, seen_by FROM proof.post WHERE name = $1",
    [name, at],
  );

describe("what a page gives by itself", () => {
  test("now stands on the form as people write it, to the second", async () => {
    expect((await newForm()).get("seen_at")).toBe("2026-04-01T01:30:00");
  });

  test("a new record has what it sets and what its form showed; no form can send what is set", async () => {
    const { response } = await add("First", { owner: "hollis", changed_by: "hollis", changed_on: "2020-01-01" });
    expect(response.status).toBe(303);
    expect(await stored("First")).toMatchObject({
      kind: "gauge",
      height: "2.5",
      // In Kolkata the day has begun.
      since: "2026-04-01",
      owner: "tamsin",
      changed_by: "Tamsin Okoro",
      now: true,
      on: null,
      seen_by: "tamsin post 36",
    });
    const { fields } = await trips.one<{ fields: { field: string; new: string }[] }>(
      "SELECT fields FROM quill_log.change WHERE page = 'post' ORDER BY id DESC LIMIT 1",
    );
    expect(fields.find(({ field }) => field === "owner")?.new).toBe("tamsin");
  });

  test("a default that is changed or emptied is what was typed", async () => {
    await add("Emptied", { kind: "", height: "7" });
    expect(await stored("Emptied")).toMatchObject({ kind: null, height: "7", since: "2026-04-01" });
  });

  test("a save sets along with what is changed, in the same statement and entry, and nothing where nothing is", async () => {
    await add("Saved");
    const { id } = (await stored("Saved")) as { id: number };
    const untouched = await trips.save(`/posts/${id}/edit`, tamsin, await trips.open(`/posts/${id}/edit`, tamsin));
    expect(untouched.recorded.outcome).toBe("unchanged");
    const later = new Date("2026-05-01T10:00:00Z");
    const form = await trips.open(`/posts/${id}/edit`, tamsin);
    expect(form.has("changed_by")).toBe(false);
    const { recorded } = await trips.save(`/posts/${id}/edit`, tamsin, form, { height: "3", owner: "x" }, later);
    expect(recorded.outcome).toBe("saved");
    expect(recorded.steps.flatMap(({ statements }) => statements.map(({ purpose }) => purpose))).toEqual(["save"]);
    expect(await stored("Saved")).toMatchObject({ height: "3", owner: "tamsin", on: "2026-05-01" });
    const { fields } = await trips.one<{ fields: { field: string }[] }>(
      "SELECT fields FROM quill_log.change WHERE page = 'post' ORDER BY id DESC LIMIT 1",
    );
    expect(fields.map(({ field }) => field).sort()).toEqual(["changed_at", "changed_on", "height"]);
  });

  test("what was typed as it is stored already is written by no set", async () => {
    await add("Same");
    const { id } = (await stored("Same")) as { id: number };
    const form = await trips.open(`/posts/${id}/edit`, tamsin);
    await trips.owner.query("UPDATE proof.post SET height = 9 WHERE id = $1", [id]);
    const { recorded } = await trips.save(`/posts/${id}/edit`, tamsin, form, { height: "9" });
    expect(recorded.outcome).toBe("unchanged");
  });

  test("the page's rows judge it: who sets another owner makes nothing", async () => {
    await trips.reloadWith({ post: file("{ owner: '\"nobody\"', changed_by: actor.name, changed_at: now }") });
    const { response } = await add("Lost");
    expect(response.status).toBe(422);
    expect(await trips.one("SELECT count(*)::int FROM proof.post WHERE name = 'Lost'")).toEqual({ count: 0 });
    await trips.reloadWith({ post: file(sets) });
  });

  test("a new record begins with what the address gives, or with another record", async () => {
    await add("Model", { kind: "weir", height: "4" });
    const { id } = (await stored("Model")) as { id: number };
    await add("Copy", {}, { "copy.id": String(id), "with.height": "5", "with.owner": "x", "with.since": "never" });
    expect(await stored("Copy")).toMatchObject({ kind: "weir", height: "5", since: "2026-04-01", owner: "tamsin" });
    // What must be the only one of its kind is not copied, and another's record is none.
    expect((await newForm({ "copy.id": String(id) })).get("name")).toBe("");
    await trips.owner.query("UPDATE proof.post SET owner = 'hollis' WHERE id = $1", [id]);
    expect((await newForm({ "copy.id": String(id) })).get("kind")).toBe("gauge");
  });

  test.each([
    ["{ nothing: now }", "unknown-column"],
    ["{ id: 1 }", "unknown-value"],
    ["{ height: '\"high\"' }", "condition"],
    ["{ height: now }", "condition"],
    ["{ height: row.height }", "condition"],
    ["{ id: now }", "set"],
  ])("%s is told in the review", async (set, code) => {
    await trips.reloadWith({ post: file(set) });
    const found = trips.site().files.find(({ name }) => name === "post")?.findings ?? [];
    const codes = found.filter(({ severity }) => severity === "error").map((each) => each.code as string);
    expect(codes).toContain(code);
    await trips.reloadWith({ post: file(sets) });
  });
});

describe("what PostgreSQL is told", () => {
  test("row level security and triggers know who asks, in every statement, and not longer", async () => {
    for (const [actor, own, other] of [
      [tamsin, 1, 2],
      [hollis, 2, 1],
      [tamsin, 1, 2],
    ] as const) {
      expect((await trips.send("GET", `/own/${own}`, actor)).response.status).toBe(200);
      expect((await trips.send("GET", `/own/${other}`, actor)).response.status).toBe(404);
      const list = (await trips.send("GET", "/own", actor)).response.body;
      expect([list.includes(`/own/${own}`), list.includes(`/own/${other}"`)]).toEqual([true, false]);
    }
    const { rows } = await trips.pool.query(
      "SELECT current_setting('quill.actor', true) AS actor, count(*)::int FROM proof.own",
    );
    expect(rows).toEqual([{ actor: "", count: 0 }]);
  });

  test("with others at work at the same time nobody is taken for another", async () => {
    const many = Array.from({ length: 60 }, (_, index) => (index % 2 ? tamsin : hollis));
    const answers = await Promise.all(many.map((actor) => trips.send("GET", "/own", actor)));
    for (const [index, { response }] of answers.entries())
      expect([response.body.includes("/own/1"), response.body.includes("/own/2")]).toEqual([
        many[index] === tamsin,
        many[index] === hollis,
      ]);
  });
});
