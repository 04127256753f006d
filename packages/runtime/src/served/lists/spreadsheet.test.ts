import { afterAll, beforeAll, beforeEach, describe, expect, test } from "@jest/globals";
import type { Actor } from "@loyal-quill/core";
import fc from "fast-check";
import { csv, edited, formOf, Posts, savingForm, type Table } from "../../testing/posts.js";
import { tamsin } from "../../testing/trips.js";

/*
 * A list that goes out for editing in a spreadsheet and comes back: what a spreadsheet does to it by itself is no change, everything else goes the way of
 * any save.
 */

const other: Actor = { id: "other", name: "Perrin Vale", roles: ["technician"], attributes: {} };
let posts: Posts;
beforeAll(async () => {
  posts = await Posts.start();
});
afterAll(() => posts.close());
beforeEach(() => posts.fill());

const download = (query = "", list = "posts"): Promise<Table> => posts.download(query, list);
const look = (content: string | Uint8Array) => posts.look(content);

describe("a list for editing in a spreadsheet", () => {
  test("has the page's fields under their labels, what people read, and a mark for each row that may be changed", async () => {
    const [heads, ...rows] = await download();
    expect(heads).toEqual([
      "Code (read-only)",
      "Name",
      "Number",
      "Height",
      "Since",
      "Seen",
      "Open",
      "River",
      "State",
      "Note",
      "quill.row",
    ]);
    expect(rows).toHaveLength(9);
    // No mark begins like a formula either, whatever its signature begins with.
    expect(rows.every((row) => /^(row:|read-only$)/.test(row.at(-1) ?? ""))).toBe(true);
    expect(rows[0]?.slice(0, 10)).toEqual(
      [
        "P001",
        "Post 1",
        "00123",
        "1.500",
        "2026-03-02",
        "2026-03-02 10:20:30.123",
        "no",
        expect.stringMatching(/\w/),
        "set",
        "two\nlines",
      ].map((each) => (each === "no" ? "No" : each)),
    );
    // A text that a spreadsheet would take for a formula is kept from being one.
    expect(rows[4]?.[2]).toBe("'=1+1");
    expect(rows.find(([code]) => code === "P009")?.at(-1)).toBe("read-only");
    expect((await download("is.open=true")).length).toBeLessThan(7);
    const bytes = new Uint8Array(await (await fetch(`${posts.origin}/records/posts/~spreadsheet?bom=1`)).arrayBuffer());
    expect([...bytes.slice(0, 3)]).toEqual([0xef, 0xbb, 0xbf]);
  });

  test("comes back untouched as no change, whatever the spreadsheet has made of it", async () => {
    const table = await download();
    const ways: Record<string, string | Uint8Array> = {
      "as it is": csv(table),
      semicolons: csv(table, ";"),
      tabs: csv(table, "\t"),
      "sorted, columns moved and left out": csv(
        [table[0] ?? [], ...table.slice(1).reverse()].map((row) => [row.at(-1) ?? "", row[3] ?? "", row[1] ?? ""]),
      ),
      "UTF-16": new Uint8Array([0xff, 0xfe, ...Buffer.from(csv(table, "\t"), "utf16le")]),
      "Windows-1252": Buffer.from(csv(table, ";").replaceAll("–", "\x96"), "latin1"),
      "line ends of Windows": csv(table).replaceAll("two\nlines", "two\r\nlines"),
      "numbers and days in its own way": csv(
        edited(table, {
          P001: { Number: "123", Height: "1.5", Since: "02/03/2026", Seen: "02/03/2026 10:20", Open: "FALSE" },
          P002: { Number: "100000", Height: "2.5", Since: "3-Mar-2026", Open: "TRUE" },
          P003: { Number: "1.23457E+19", Since: "04.03.2026" },
          P004: { Number: "01-Feb" },
          P005: { Number: "=1+1" },
        }),
      ),
      "decimal commas": csv(edited(table, { P001: { Height: "1,5" }, P002: { Height: "2,50" } }), ";"),
    };
    for (const [way, content] of Object.entries(ways)) {
      const { status, json } = await look(content);
      expect([way, status, json.changed, json.refused, json.conflicts]).toEqual([way, 200, [], [], []]);
    }
  });

  test("any one cell that is changed is exactly that one change", async () => {
    const table = await download();
    const [heads = []] = table;
    const values: Record<string, fc.Arbitrary<string>> = {
      Name: fc.stringMatching(/^[A-Z][a-z ]{0,20}[a-z]$/),
      Height: fc.integer({ min: 600, max: 499_000 }).map((each) => (each / 1000).toFixed(3)),
      Since: fc.integer({ min: 13, max: 28 }).map((day) => `2031-05-${day}`),
      Note: fc.stringMatching(/^[a-z "',;]{3,30}[a-z]$/),
    };
    await fc.assert(
      fc.asyncProperty(
        fc
          .constantFrom(...Object.keys(values))
          .chain((heading) => fc.tuple(fc.constant(heading), values[heading] ?? fc.constant(""))),
        fc.integer({ min: 1, max: 8 }),
        fc.constantFrom(",", ";", "\t"),
        async ([heading, value], line, delimiter) => {
          const at = heads.indexOf(heading);
          fc.pre(table[line]?.[at] !== value && table.every((row) => row[at] !== value));
          const changed = table.map((row, index) => (index === line ? row.with(at, value) : row));
          const { json } = await look(csv(changed, delimiter));
          expect(json.refused).toEqual([]);
          expect(json.changed.map(({ line: row }: { line: number }) => row)).toEqual([line + 1]);
          expect(json.changed[0].cells).toHaveLength(1);
        },
      ),
      { numRuns: 40 },
    );
  });
});

describe("a file that came back", () => {
  test("is looked at with nothing written, each change from old to new, and what is refused at its cell", async () => {
    const table = edited(await download(), {
      P001: { Name: "Renamed", River: "", Open: "yes" },
      P002: { Height: "501" },
      P003: { Height: "-1" },
      P004: { Name: "Post 5" },
      P006: { Since: "1/2/2030" },
    });
    const { json } = await look(csv(table));
    expect(json.read).toEqual({ rows: 9, untouched: 3, unmarked: 0, readOnly: 1 });
    expect(json.changed).toEqual([
      {
        line: 2,
        title: "Post P001",
        state: "changed",
        cells: [
          { field: "name", old: "Post 1", new: "Renamed" },
          { field: "open", old: "No", new: "Yes" },
          { field: "river_id", old: expect.stringMatching(/\w/), new: "–" },
        ],
      },
    ]);
    const refused = json.refused.map(
      ({ line, cells }: { line: number; cells: { field: string; detail: string }[] }) => [
        line,
        cells[0]?.field,
        cells[0]?.detail,
      ],
    );
    expect(refused).toEqual([
      [3, "height", "Height is above 500: enter 500 or less."],
      [4, "height", "A post is higher than that."],
      [5, "name", expect.stringContaining("Name")],
      [7, "since", expect.stringContaining("Since must be a date")],
    ]);
    expect(await posts.trips.one("SELECT count(*) FROM quill_log.change WHERE table_name = 'network.post'")).toEqual({
      count: "0",
    });
  });

  test("is saved in one go under one number, with what is refused left out and named", async () => {
    const table = edited(await download(), {
      P001: { Name: "One" },
      P002: { Name: "Two", Height: "2,75" },
      P003: { Height: "501" },
    });
    const { status, json } = await posts.save(csv(table, ";"));
    expect([status, json]).toEqual([
      200,
      expect.objectContaining({ outcome: "saved", location: "/records/posts", message: "2 rows are saved." }),
    ]);
    const { rows } = await posts.trips.owner.query(
      "SELECT request_id, actor_id, record_key FROM quill_log.change ORDER BY id DESC LIMIT 2",
    );
    expect(new Set(rows.map(({ request_id }) => request_id)).size).toBe(1);
    expect(await posts.trips.one("SELECT name, height FROM network.post WHERE code = 'P002'")).toEqual({
      name: "Two",
      height: "2.750",
    });
    expect(await posts.trips.one("SELECT height FROM network.post WHERE code = 'P003'")).toEqual({ height: "3.500" });
  });

  test("merges what somebody else has changed of other fields, and asks about the same one", async () => {
    const table = edited(await download(), {
      P001: { Name: "Mine" },
      P002: { Name: "Mine, too" },
      P003: { Height: "9" },
    });
    await posts.trips.owner.query("UPDATE network.post SET note = 'theirs' WHERE code = 'P001'");
    await posts.trips.owner.query("UPDATE network.post SET name = 'Theirs' WHERE code = 'P002'");
    const { json } = await look(csv(table));
    expect(json.changed.map(({ line, state }: { line: number; state: string }) => [line, state])).toEqual([
      [2, "merged"],
      [4, "changed"],
    ]);
    expect(json.conflicts).toMatchObject([{ line: 3, cells: [{ field: "name", new: "Mine, too", theirs: "Theirs" }] }]);
    // Where nothing is chosen, the stored value stays.
    await posts.save(csv(table));
    expect(await posts.trips.one("SELECT name FROM network.post WHERE code = 'P002'")).toEqual({ name: "Theirs" });
    expect(await posts.trips.one("SELECT name, note FROM network.post WHERE code = 'P001'")).toEqual({
      name: "Mine",
      note: "theirs",
    });
    const again = edited(table, { P001: { Name: "Mine" }, P003: { Height: "9" } });
    expect(await posts.save(csv(again), { "quill.choice:3": "mine" })).toMatchObject({ status: 200 });
    expect(await posts.trips.one("SELECT name FROM network.post WHERE code = 'P002'")).toEqual({ name: "Mine, too" });
  });

  test("of many rows is saved by several statements, all or none; what the table refuses is named, and little of it is kept for Requests", async () => {
    await posts.trips.owner.query("TRUNCATE network.post");
    await posts.trips.owner.query(
      `INSERT INTO network.post SELECT 'P' || lpad(i::text, 4, '0'), 'Post ' || i, NULL, 5, DATE '2026-03-01', now(), true, 1, 'set', 'x' FROM generate_series(1, 1200) AS i`,
    );
    const [heads = [], ...rows] = await download();
    const renamed = rows.map((row, index) => row.with(1, index === 700 ? "New 3" : `New ${index}`));
    const { json } = await look(csv([heads, ...renamed]));
    expect(json.changed).toHaveLength(1199);
    expect(json.refused).toMatchObject([{ line: 702, cells: [{ field: "name", new: "New 3" }] }]);
    // Somebody else is at two of them between looking and saving.
    await posts.trips.owner.query("UPDATE network.post SET note = 'theirs' WHERE code = 'P0500'");
    await posts.trips.owner.query("UPDATE network.post SET name = 'Theirs' WHERE code = 'P0900'");
    const form = new FormData();
    form.set("quill.rows", json.rows);
    const saved = await posts.send(form);
    expect(saved.json).toMatchObject({ saved: 1198, conflicts: [{ line: 901 }], refused: [] });
    expect(await posts.trips.one("SELECT name, note FROM network.post WHERE code = 'P0500'")).toEqual({
      name: "New 499",
      note: "theirs",
    });
    expect(
      await posts.trips.one(
        "SELECT count(*) AS entries, count(DISTINCT request_id) AS requests FROM quill_log.change WHERE table_name = 'network.post' AND record_key->>'code' LIKE 'P____'",
      ),
    ).toEqual({ entries: "1198", requests: "1" });
    const kept = (posts.recorded?.steps ?? []).flatMap((step) => [
      step.values.length,
      step.statements.reduce((sum, { values }) => sum + values.length, 0),
    ]);
    expect(Math.max(...kept)).toBeLessThan(6500);
    expect(posts.recorded?.steps.flatMap((step) => step.noticed ?? [])).toContainEqual(
      expect.stringContaining("not kept"),
    );
  });

  test("takes no row that is another's, another page's, cut, there twice, gone, or without a mark", async () => {
    const table = await download();
    const [heads = [], first = [], second = [], third = [], fourth = []] = table;
    posts.actor = other;
    const theirs = (await download())[1] ?? [];
    posts.actor = tamsin;
    await posts.trips.owner.query("UPDATE network.post SET state = 'hidden' WHERE code = 'P004'");
    const name = (row: string[], text: string) => row.with(1, text);
    const { json } = await look(
      csv([
        heads,
        name(theirs, "by another's mark"),
        [...name(second, "cut").slice(0, -1), (second.at(-1) ?? "").slice(0, -7)],
        name(third, "once"),
        name(third, "twice"),
        name(fourth, "gone"),
        [...name(first, "new").slice(0, -1), ""],
      ]),
    );
    expect(json.changed).toEqual([]);
    expect(json.refused.map(({ line, state }: { line: number; state: string }) => [line, state])).toEqual([
      [2, "foreign"],
      [3, "foreign"],
      [4, "twice"],
      [5, "twice"],
      [6, "gone"],
    ]);
    expect(json.read.unmarked).toBe(1);
    for (const [content, problem] of [
      ["Code,Name\nP001,x\n", "The column quill.row is missing"],
      [new Uint8Array([0x50, 0x4b, 3, 4, 0, 0, 0]), "can’t be read as a table"],
      [`quill.row\n${'""\n'.repeat(3)}${"x\n".repeat(30_000)}`, "more rows or columns"],
    ] as const) {
      const refused = await look(content);
      expect([refused.status, refused.json.problem]).toEqual([422, expect.stringContaining(problem)]);
    }
  });

  test("says which columns it does not take back: choices that are searched stay as they are stored", async () => {
    const table = await download("", "found");
    expect(table[0]).toContain("River (read-only)");
    const changed = edited(table, { P001: { "River (read-only)": "Hollin Water", Note: "mine" } });
    const { json } = await posts.send(formOf(csv(changed)), "application/json", {}, "found");
    expect(json.changed).toMatchObject([{ line: 2, cells: [{ field: "note", new: "mine" }] }]);
  });

  test("answers rows of another page, and a row twice, without a word of the database's", async () => {
    const { json } = await look(csv(edited(await download(), { P001: { Name: "One" } })));
    const toOther = new FormData();
    toOther.set("quill.rows", json.rows);
    const other = await posts.send(toOther, "application/json", {}, "numbered");
    expect([other.status, other.json]).toMatchObject([422, { saved: 0, refused: [{ line: 2, state: "foreign" }] }]);
    const [row] = JSON.parse(json.rows);
    const twice = new FormData();
    twice.set("quill.rows", JSON.stringify([row, row]));
    expect((await posts.send(twice)).json).toMatchObject({ outcome: "saved", rows: 1 });
  });

  test("is shown once more, and not saved, where its person has signed in again in between", async () => {
    const table = edited(await download(), { P001: { Name: "Mine" }, P002: { Name: "Mine, too" } });
    await posts.trips.owner.query("UPDATE network.post SET name = 'Theirs' WHERE code = 'P002'");
    const looked = await posts.send(formOf(csv(table)), "text/html");
    posts.session = "two";
    const again = await posts.send(savingForm(looked.text, { "quill.choice:3": "mine" }), "text/html");
    expect(again.status).toBe(422);
    expect(again.text).toContain("You have signed in again since you opened this form.");
    // It is what was looked at, with what was chosen.
    for (const part of ["Rows changed: 1", "Mine, too", '<q dir="auto">Theirs</q>']) expect(again.text).toContain(part);
    expect(again.text).toMatch(/value="mine" checked/);
    expect(await posts.trips.one("SELECT name FROM network.post WHERE code = 'P001'")).toEqual({ name: "Post 1" });
    const saved = await posts.send(savingForm(again.text, { "quill.choice:3": "mine" }));
    expect(saved.json).toMatchObject({ outcome: "saved", rows: 2 });
    expect(await posts.trips.one("SELECT name FROM network.post WHERE code = 'P002'")).toEqual({ name: "Mine, too" });
  });

  test("is not saved by somebody else who has signed in in between, and says so", async () => {
    const looked = await posts.send(formOf(csv(edited(await download(), { P001: { Name: "One" } }))), "text/html");
    posts.actor = other;
    for (const session of ["two", "one"]) {
      posts.session = session;
      const answer = await posts.send(savingForm(looked.text));
      expect([answer.status, answer.json]).toMatchObject([422, { refused: [{ line: 2, state: "foreign" }] }]);
      expect(answer.text).toContain("This row was downloaded by someone else.");
    }
    expect(await posts.trips.one("SELECT name FROM network.post WHERE code = 'P001'")).toEqual({ name: "Post 1" });
  });

  test("tells of the rows whose records went away after it was looked at", async () => {
    const table = edited(await download(), { P001: { Name: "One" }, P002: { Name: "Two" } });
    const looked = await posts.send(formOf(csv(table)), "text/html");
    await posts.trips.owner.query("DELETE FROM network.post WHERE code = 'P002'");
    const { json } = await posts.send(savingForm(looked.text));
    expect(json).toMatchObject({ saved: 1, refused: [{ line: 3, state: "gone" }] });
    expect(await posts.trips.one("SELECT name FROM network.post WHERE code = 'P001'")).toEqual({ name: "One" });
  });

  test("is taken from no other site: its marks belong to the person, and to no session", async () => {
    const { json } = await look(csv(edited(await download(), { P001: { Name: "One" } })));
    for (const accept of ["text/html", "application/json"])
      for (const headers of [{ "sec-fetch-site": "cross-site" }, { origin: "https://elsewhere.example" }] as const) {
        const form = new FormData();
        form.set("quill.rows", json.rows);
        const { status } = await posts.send(form, accept, { ...headers });
        expect([accept, headers, status]).toEqual([accept, headers, 403]);
      }
    expect(await posts.trips.one("SELECT name FROM network.post WHERE code = 'P001'")).toEqual({ name: "Post 1" });
  });

  test("stands on a page that can be used without scripts, and leads from numbers to rows", async () => {
    const list = await fetch(`${posts.origin}/records/posts`).then((response) => response.text());
    expect(list).toContain("Download for editing");
    expect(list).toContain('href="/records/posts/~upload"');
    const { text } = await posts.send(
      formOf(csv(edited(await download(), { P001: { Name: "One" }, P002: { Height: "501" } }))),
      "text/html",
    );
    expect(text).toContain('<a href="#rows-changed">Rows changed: 1</a>');
    expect(text).toContain('<h2 id="rows-refused" tabindex="-1">');
    expect(text).toContain("Height is above 500: enter 500 or less.");
    expect((await posts.send(new FormData(), "text/html")).text).toContain("Choose a file first.");
  });
});
