import { afterAll, beforeAll, beforeEach, describe, expect, test } from "@jest/globals";
import { bodyOf, formOf } from "@loyal-quill/testing";
import fc from "fast-check";
import { hollis, makeTrips, type Trips, tamsin } from "../../testing/trips.js";

const file = (more: string): string => `format: loyal-quill/page@1
title: "Post {name}"
plural: Posts
path: /posts/{id}
record: { table: proof.post, key: id }
access: { edit: row.state != "closed", rows: row.team == "field" }
set: { changed_by: actor.name }
list: { columns: [id, name, height, state], edit: [name, height, open, kind]${more} }
fields:
  - name: { rules: [{ min-length: 2 }] }
  - height: { rules: [{ max: 9 }] }
  - open
  - kind
  - state
checks:
  - { expect: form.kind != "mast" || form.height > 1, at: height, message: A mast is higher than that. }
`;

let trips: Trips;
beforeAll(async () => {
  trips = await makeTrips({
    sql: [
      "CREATE SCHEMA proof",
      `CREATE TABLE proof.post (id integer PRIMARY KEY, name text NOT NULL UNIQUE, height numeric(4,1), open boolean NOT NULL DEFAULT false,
        kind text CHECK (kind IN ('mast', 'weir')), state text NOT NULL DEFAULT 'new', team text NOT NULL DEFAULT 'field', changed_by text)`,
      "CREATE TABLE proof.other (id integer PRIMARY KEY REFERENCES proof.post)",
      "GRANT USAGE ON SCHEMA proof TO quill_pages",
      "GRANT SELECT, INSERT, UPDATE, DELETE ON ALL TABLES IN SCHEMA proof TO quill_pages",
    ],
    files: { post: file("") },
  });
});
afterAll(() => trips.close());
beforeEach(async () => {
  await trips.owner.query("DELETE FROM quill_log.change");
  await trips.owner.query("DELETE FROM proof.post");
  await trips.owner.query(`INSERT INTO proof.post (id, name, height, open, kind, state) VALUES
    (1, 'Alder', 3, true, 'mast', 'new'), (2, 'Beck', NULL, false, NULL, 'new'), (3, 'Cove', 1, false, 'weir', 'closed'), (4, 'Dale', 3.5, true, 'weir', 'new')`);
  await trips.owner.query("ANALYZE proof.post");
});

const open = async (query: Readonly<Record<string, string>> = {}) =>
  formOf((await trips.send("GET", "/posts", tamsin, null, trips.database, query)).response.body);

const send = (
  form: ReadonlyMap<string, string>,
  edits: Readonly<Record<string, string | null>>,
  query: Readonly<Record<string, string>> = {},
) => trips.send("POST", "/posts", tamsin, bodyOf(form, edits), trips.database, query);

const stored = async (): Promise<string[]> =>
  (
    await trips.owner.query<{ line: string }>(
      "SELECT concat_ws(' ', id, name, height, open, kind, state, changed_by) AS line FROM proof.post ORDER BY id",
    )
  ).rows.map(({ line }) => line);

const entries = async (): Promise<string[]> =>
  (
    await trips.owner.query<{ line: string }>(
      `SELECT concat(record_key->>'id', ' ', actor_id, ' ', (SELECT string_agg(f->>'field', ',' ORDER BY f->>'field') FROM jsonb_array_elements(fields) AS f)) AS line FROM quill_log.change ORDER BY id`,
    )
  ).rows.map(({ line }) => line);

const plain = (text: string): string => text.replaceAll(/<[^>]*>/g, "");
const problems = (body: string): string[] =>
  [...body.matchAll(/<p class="quill-problem"[^>]*>(.*?)<\/p>/g)].map(([, text]) => plain(text ?? ""));
const summary = (body: string): string | null =>
  plain(/<section class="quill-summary"[^>]*><h2>(.*?)<\/h2>/.exec(body)?.[1] ?? "") || null;

/** What is shown of rows that can't be saved any more: label and text. */
const typedIn = (body: string): string[] =>
  [...body.matchAll(/<div><dt>(.*?)<\/dt><dd>(.*?)<\/dd><\/div>/g)].map(([, label, text]) => `${label} ${text}`);

/** What the summary says of each row, with the control that each line leads to. */
const linesOf = (body: string): string[] =>
  [...body.matchAll(/<li><a href="#(row-[\d-]+)">(.*?)<\/a><\/li>/g)].map(
    ([, id, text]) => `${id}: ${plain(text ?? "")}`,
  );

describe("a row that is edited in its place", () => {
  test("is saved by its own button, by its own key, and leads back to the same place of the list", async () => {
    const query = { sort: "-name", q: "e" };
    const form = await open(query);
    // By name, downwards: Dale, Cove, Beck, Alder; that of a closed record has no controls.
    expect([...form.keys()].filter((name) => name.endsWith(":name"))).toEqual(["r0:name", "r2:name", "r3:name"]);
    const { response, recorded } = await send(form, { "r2:name": "Becks", "quill.row": "2" }, query);
    expect([response.status, response.headers.location]).toEqual([303, "/posts?q=e&sort=-name"]);
    expect(decodeURIComponent(response.headers["set-cookie"] ?? "")).toContain('"Post Becks is saved."');
    expect([recorded.operation, recorded.key, recorded.outcome]).toEqual(["rows", ["2"], "saved"]);
    expect((await stored())[1]).toBe("2 Becks f new Tamsin Okoro");
    expect(await entries()).toEqual(["2 tamsin changed_by,name"]);
  });

  test("is refused in its place; what was typed in others stays, also after another one is saved", async () => {
    const form = await open();
    const refused = await send(form, { "r0:name": "A", "r1:height": "2", "r3:open": null, "quill.row": "0" });
    expect(refused.response.status).toBe(422);
    expect(problems(refused.response.body)).toEqual(["Name has 1 characters; at least 2 are needed."]);
    const again = formOf(refused.response.body);
    expect([again.get("r0:name"), again.get("r1:height"), again.has("r3:open")]).toEqual(["A", "2", false]);
    const saved = await send(again, { "quill.row": "1" });
    expect(saved.response.status).toBe(200);
    expect(saved.response.body).toContain("Post Beck is saved.");
    const third = formOf(saved.response.body);
    expect([third.get("r0:name"), third.has("r3:open")]).toEqual(["A", false]);
    expect(await entries()).toEqual(["2 tamsin changed_by,height"]);
    const last = await send(third, { "r0:name": "Ash", "quill.row": "0" });
    const end = formOf(last.response.body);
    expect((await send(end, { "quill.row": "3" })).response.status).toBe(303);
    expect(await stored()).toEqual([
      "1 Ash 3.0 t mast new Tamsin Okoro",
      "2 Beck 2.0 f new Tamsin Okoro",
      "3 Cove 1.0 f weir closed",
      "4 Dale 3.5 f weir new Tamsin Okoro",
    ]);
  });

  test("in conflict shows both values, and takes theirs by a button in the row", async () => {
    const form = await open();
    await trips.owner.query("UPDATE proof.post SET name = 'Theirs' WHERE id = 1");
    const conflict = await send(form, { "r0:name": "Mine", "r0:height": "4", "quill.row": "0" });
    expect(conflict.response.status).toBe(409);
    expect(plain(conflict.response.body)).toContain("Stored now: Theirs");
    const taken = await send(formOf(conflict.response.body), { "r0:quill.take": "name" });
    const shown = formOf(taken.response.body);
    expect([taken.response.status, shown.get("r0:name"), shown.get("r0:height")]).toEqual([200, "Theirs", "4"]);
    expect((await send(shown, { "quill.row": "0" })).response.status).toBe(303);
    expect((await stored())[0]).toBe("1 Theirs 4.0 t mast new Tamsin Okoro");
  });

  test("that is gone, closed or no longer in this part of the list keeps what was typed, and says so", async () => {
    const form = await open({ q: "dale" });
    await trips.owner.query("UPDATE proof.post SET name = 'Elsewhere', state = 'closed' WHERE id = 4");
    const closed = await send(form, { "r0:height": "5", "quill.row": "0" }, { q: "dale" });
    expect(closed.response.status).toBe(409);
    expect(problems(closed.response.body)[0]).toContain("in its current state");
    expect(typedIn(closed.response.body)).toEqual(["Height 5"]);
    await trips.owner.query("DELETE FROM proof.post WHERE id = 4");
    const gone = await send(form, { "r0:height": "5", "quill.row": "0" }, { q: "dale" });
    expect(gone.response.status).toBe(409);
    expect(typedIn(gone.response.body)).toEqual(["Height 5"]);
    expect(gone.response.body).toContain("<p>What you typed</p>");
    expect(formOf(gone.response.body).has("r0:quill.token")).toBe(false);
    const untyped = await send(form, { "quill.row": "0" }, { q: "dale" });
    expect([untyped.response.status, untyped.response.body.includes("<p>What you typed</p>")]).toEqual([409, false]);
  });

  test("by the enter key one that was touched is meant; of several it is asked which", async () => {
    const form = await open();
    expect((await send(form, { "r1:height": "2" })).response.status).toBe(303);
    const several = await send(await open(), { "r0:height": "2", "r1:height": "3" });
    expect([several.response.status, summary(several.response.body)]).toEqual([
      422,
      "Several rows were changed: press Save in the row that is to be saved.",
    ]);
    expect(await entries()).toHaveLength(1);
  });

  test("takes no field but those that are edited there, and no form but its own", async () => {
    const form = await open();
    await send(form, { "r0:state": "closed", "r0:name": "Ash", "quill.row": "0" });
    expect((await stored())[0]).toBe("1 Ash 3.0 t mast new Tamsin Okoro");
    const own = await open();
    const stolen = await trips.send("POST", "/posts", hollis, bodyOf(own, { "r0:name": "Mine", "quill.row": "0" }));
    expect(stolen.response.status).toBe(403);
    const none = await send(new Map(), { "r0:name": "x", "quill.row": "0" });
    expect(none.response.status).toBe(403);
    expect((await trips.send("POST", "/posts", tamsin, "%")).response.status).toBe(400);
    const empty = await trips.send("POST", "/posts", tamsin, "quill.row=7");
    expect(empty.response.status).toBe(200);
  });
});

describe("rows that are saved together", () => {
  beforeAll(() => trips.reloadWith({ post: file(", together: true") }));
  const together = { "quill.together": "" };

  test("are written by one statement, each by its own key and with its own entry, and what was not touched is not", async () => {
    const { response, recorded } = await send(await open(), {
      "r0:name": "Ash",
      "r1:height": "2",
      "r1:kind": "weir",
      "r3:open": null,
      ...together,
    });
    expect([response.status, response.headers.location]).toEqual([303, "/posts"]);
    expect(decodeURIComponent(response.headers["set-cookie"] ?? "")).toContain("3 rows are saved.");
    const sent = recorded.steps.flatMap(({ statements }) => statements).filter(({ purpose }) => purpose !== "load");
    expect(sent.map(({ purpose, rows }) => [purpose, rows])).toEqual([["save together", 3]]);
    expect(await stored()).toEqual([
      "1 Ash 3.0 t mast new Tamsin Okoro",
      "2 Beck 2.0 f weir new Tamsin Okoro",
      "3 Cove 1.0 f weir closed",
      "4 Dale 3.5 f weir new Tamsin Okoro",
    ]);
    expect((await entries()).sort()).toEqual([
      "1 tamsin changed_by,name",
      "2 tamsin changed_by,height,kind",
      "4 tamsin changed_by,open",
    ]);
  });

  test("all or nothing: rules, checks and the table stop all of them, and each says so in its row", async () => {
    const before = await stored();
    const ruled = await send(await open(), { "r0:height": "0.5", "r1:name": "B", "r3:name": "Dales", ...together });
    expect(ruled.response.body).toContain("<title>Error: ");
    expect(linesOf(ruled.response.body)).toEqual([
      "row-0-2: Post Alder: A mast is higher than that.",
      "row-1-1: Post Beck: Name has 1 characters; at least 2 are needed.",
    ]);
    // The first control that was refused has the focus, and no other.
    expect(ruled.response.body.match(/<[^>]* autofocus[^>]*>/g)?.map((each) => /id="([^"]*)"/.exec(each)?.[1])).toEqual(
      ["row-0-2"],
    );
    expect([ruled.response.status, problems(ruled.response.body), summary(ruled.response.body)]).toEqual([
      422,
      ["A mast is higher than that.", "Name has 1 characters; at least 2 are needed."],
      "2 rows can’t be saved, so nothing was saved.",
    ]);
    expect(formOf(ruled.response.body).get("r3:name")).toBe("Dales");
    const table = await send(await open(), { "r0:height": "4", "r1:name": "Cove", ...together });
    expect([table.response.status, problems(table.response.body), summary(table.response.body)]).toEqual([
      422,
      ["Name is already used by another record: enter a different one."],
      "One row can’t be saved, so nothing was saved.",
    ]);
    expect([await stored(), await entries()]).toEqual([before, []]);
  });

  test("where somebody else changed another field, it is merged; the same field is a conflict that stops all", async () => {
    const form = await open();
    await trips.owner.query("UPDATE proof.post SET height = 8 WHERE id = 1");
    await trips.owner.query("UPDATE proof.post SET name = 'Theirs' WHERE id = 2");
    const conflict = await send(form, { "r0:name": "Ash", "r1:name": "Mine", ...together });
    expect([conflict.response.status, summary(conflict.response.body)]).toEqual([
      409,
      "One row can’t be saved, so nothing was saved.",
    ]);
    expect(plain(conflict.response.body)).toContain("Stored now: Theirs");
    expect(await entries()).toEqual([]);
    const merged = await send(formOf(conflict.response.body), together);
    expect(merged.response.status).toBe(303);
    expect((await stored()).slice(0, 2)).toEqual(["1 Ash 8.0 t mast new Tamsin Okoro", "2 Mine f new Tamsin Okoro"]);
  });

  test("a row that is gone, closed or taken away stops all of them", async () => {
    const form = await open();
    await trips.owner.query("UPDATE proof.post SET team = 'office' WHERE id = 2");
    await trips.owner.query("UPDATE proof.post SET state = 'closed' WHERE id = 4");
    const { response } = await send(form, { "r0:name": "Ash", "r1:name": "Bo", "r3:name": "Dee", ...together });
    expect([response.status, summary(response.body)]).toEqual([409, "2 rows can’t be saved, so nothing was saved."]);
    expect(problems(response.body)).toEqual(
      expect.arrayContaining(["This record is no longer there, or you no longer have access to it."]),
    );
    expect(await entries()).toEqual([]);
    // What was typed in them is shown, and keeps the others from being saved no longer.
    expect(typedIn(response.body)).toEqual(["Name Dee", "Name Bo"]);
    const lines = plain(/<section class="quill-summary"[\s\S]*?<\/section>/.exec(response.body)?.[0] ?? "");
    expect(lines).toMatch(/Post Dale: .*in its current state.*Post Bo: This record is no longer there/);
    const again = await send(formOf(response.body), together);
    expect([again.response.status, await stored()]).toEqual([
      303,
      ["1 Ash 3.0 t mast new Tamsin Okoro", "2 Beck f new", "3 Cove 1.0 f weir closed", "4 Dale 3.5 t weir closed"],
    ]);
  });

  test("what was typed in a row that was closed meanwhile is shown beside one that is refused", async () => {
    const form = await open();
    await trips.owner.query("UPDATE proof.post SET state = 'closed' WHERE id = 4");
    const { response } = await send(form, { "r0:name": "A", "r3:name": "Dee", "quill.row": "0" });
    expect([response.status, typedIn(response.body)]).toEqual([422, ["Name Dee"]]);
    expect(problems(response.body)).toContain("This record can’t be edited in its current state.");
  });

  test("nothing touched is nothing changed; by the enter key they are saved as by the button", async () => {
    const untouched = await send(await open(), together);
    expect(decodeURIComponent(untouched.response.headers["set-cookie"] ?? "")).toContain("Nothing was changed.");
    expect((await send(await open(), { "r0:name": "Ash" })).response.status).toBe(303);
    expect(await entries()).toHaveLength(1);
  });

  test("comes to the same as the same rows saved one by one", async () => {
    const edit = fc.record(
      {
        name: fc.constantFrom("Ash", "Beech", "Cedar", "x"),
        height: fc.constantFrom("", "2", "2.0", "8.5", "10", "high"),
        kind: fc.constantFrom("", "mast", "weir"),
      },
      { requiredKeys: [] },
    );
    const edits = fc.record({ 0: edit, 1: edit, 3: edit }, { requiredKeys: [] });
    const named = (given: Record<string, Record<string, string | undefined>>, only?: string) =>
      Object.fromEntries(
        Object.entries(given)
          .filter(([row]) => only === undefined || row === only)
          .flatMap(([row, fields]) => Object.entries(fields).map(([name, value]) => [`r${row}:${name}`, value ?? ""])),
      );
    await fc.assert(
      fc.asyncProperty(edits, async (given) => {
        const all = given as Record<string, Record<string, string>>;
        const reset = async (): Promise<void> => {
          await trips.owner.query("DELETE FROM quill_log.change");
          await trips.owner.query(
            "UPDATE proof.post SET changed_by = NULL, open = id <> 2, name = (ARRAY['Alder','Beck','Cove','Dale'])[id], height = (ARRAY[3, NULL, 1, 3.5])[id], kind = (ARRAY['mast', NULL, 'weir', 'weir'])[id]",
          );
        };
        await reset();
        const outcomes: number[] = [];
        for (const row of Object.keys(all)) {
          const answer = await send(await open(), { ...named(all, row), "quill.row": row });
          outcomes.push(answer.response.status);
        }
        const oneByOne = [await stored(), (await entries()).sort()];
        await reset();
        const untouched = await stored();
        const answer = await send(await open(), { ...named(all), ...together });
        const atOnce = [await stored(), (await entries()).sort()];
        const good = outcomes.every((status) => status === 303);
        expect(answer.response.status).toBe(good ? 303 : 422);
        expect(atOnce).toEqual(good ? oneByOne : [untouched, []]);
      }),
      { numRuns: 60 },
    );
  }, 120_000);
});
