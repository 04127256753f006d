import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { pastPooler } from "@loyal-quill/testing";
import fc from "fast-check";
import { connect, databaseOver } from "../../index.js";
import { makeTrips, type Trips, tamsin } from "../../testing/trips.js";

const file = (columns: string): string => `format: loyal-quill/page@1
title: "Mark {id}"
plural: Marks
path: /marks/{id}
record: { table: proof.mark, key: id }
list: { columns: [${columns}] }
fields: [id, place, height, note]
`;

let trips: Trips;
beforeAll(async () => {
  trips = await makeTrips({
    sql: [
      "CREATE SCHEMA proof",
      "CREATE TABLE proof.mark (id integer PRIMARY KEY, place text NOT NULL, height numeric, note text)",
      "CREATE INDEX ON proof.mark (place)",
      "CREATE INDEX ON proof.mark (height, id)",
      `CREATE TABLE proof.pair (a text, b integer, label text, PRIMARY KEY (a, b))`,
      "INSERT INTO proof.pair VALUES ('x/1', 1, 'one'), ('x/1', 2, 'two')",
      "GRANT USAGE ON SCHEMA proof TO quill_pages",
      "GRANT SELECT, INSERT, UPDATE, DELETE ON ALL TABLES IN SCHEMA proof TO quill_pages",
    ],
    files: {
      mark: file("id, place, height, note"),
      pair: `format: loyal-quill/page@1\ntitle: "{label}"\npath: /pairs/{a}/{b}\nrecord: { table: proof.pair, key: [a, b] }\nfields: [a, b, label]\n`,
    },
  });
});
afterAll(() => trips.close());

type Query = Readonly<Record<string, string>>;

const at = async (query: Query, path = "/marks") =>
  (await trips.send("GET", path, tamsin, null, trips.database, query)).response;

/** The records that a list shows, by key, in its order. */
const idsIn = (body: string): number[] =>
  [...body.matchAll(/<a class="quill-record" href="\/marks\/(\d+)[?"]/g)].map(([, id]) => Number(id));

/** Where a link of the list leads. */
function way(body: string, rel: "prev" | "next"): Query | null {
  const [, href] = new RegExp(`<a rel="${rel}" href="([^"]*)"`).exec(body) ?? [];
  if (href === undefined) return null;
  return Object.fromEntries(
    new URL(href.replaceAll("&amp;", "&").replaceAll("&quot;", '"').replaceAll("&#39;", "'"), "http://x").searchParams,
  );
}

/** What the list says of how many there are. */
const countAt = async (query: Query): Promise<string | undefined> =>
  /<p class="quill-count">([^<]*)</.exec((await at(query)).body)?.[1];

/** Every record that is met on the way from a part of the list to its end, part by part. */
async function walk(
  from: Query,
  rel: "prev" | "next",
  between: () => Promise<void> = async () => {},
): Promise<number[][]> {
  const parts: number[][] = [];
  let query: Query | null = from;
  while (query) {
    const { body, status } = await at(query);
    expect(status).toBe(200);
    parts.push(idsIn(body));
    if (parts.length > 40) throw new Error("it never ends");
    query = way(body, rel);
    await between();
  }
  return parts;
}

const fill = async (rows: readonly { place: string; height: string | null }[]): Promise<void> => {
  await trips.owner.query("TRUNCATE proof.mark");
  await trips.owner.query(
    "INSERT INTO proof.mark (id, place, height) SELECT i, p, h::numeric FROM unnest($1::int[], $2::text[], $3::text[]) AS u(i, p, h)",
    [rows.map((_, index) => index + 1), rows.map(({ place }) => place), rows.map(({ height }) => height)],
  );
  await trips.owner.query("ANALYZE proof.mark");
};

const row = fc.record({
  place: fc.constantFrom("Alder", "alder", "Beck", "Émile", "", "Ö", "it's", 'a "b" & c'),
  height: fc.constantFrom(null, "0", "-1.50", "1.5", "NaN", "Infinity", "12345678901234567890.5"),
});
const sorts = ["id", "-id", "place", "-place", "height", "-height"] as const;
const orderOf = (sort: string): string => {
  const name = sort.replace(/^-/, "");
  const down = sort.startsWith("-") ? " DESC" : "";
  return name === "id" ? `id${down}` : `${name}${down}, id${down}`;
};

// What fails is told as it failed (`endOnFailure`): to look for a smaller case takes minutes over a database.
describe("a list cut into parts", () => {
  test("forward and backward, in any order, shows every record once and in PostgreSQL's order", async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.array(row, { minLength: 0, maxLength: 230 }),
        fc.constantFrom(...sorts),
        async (rows, sort) => {
          await fill(rows);
          const { rows: expected } = await trips.owner.query<{ id: number }>(
            `SELECT id FROM proof.mark ORDER BY ${orderOf(sort)}`,
          );
          const ids = expected.map(({ id }) => id);
          const forward = await walk({ sort }, "next");
          expect(forward.flat()).toEqual(ids);
          expect(forward.slice(0, -1).every((part) => part.length === 50)).toBe(true);
          const backward = await walk({ sort, last: "" }, "prev");
          expect(backward.reverse().flat()).toEqual(ids);
        },
      ),
      { numRuns: 25, endOnFailure: true },
    );
  }, 120_000);

  test("shows every record that stood still exactly once, while others come and go", async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.constantFrom(...sorts),
        fc.array(row, { minLength: 160, maxLength: 200 }),
        async (sort, rows) => {
          await fill(rows);
          let next = 1000;
          const still = new Set(rows.map((_, index) => index + 1));
          const met = await walk({ sort }, "next", async () => {
            const [gone] = [...still].filter((id) => id % 7 === next % 7);
            if (gone !== undefined) {
              still.delete(gone);
              await trips.owner.query("DELETE FROM proof.mark WHERE id = $1", [gone]);
            }
            next += 1;
            await trips.owner.query("INSERT INTO proof.mark (id, place, height) VALUES ($1, 'Beck', $2)", [
              next,
              next % 2 ? null : "0",
            ]);
            await trips.owner.query("INSERT INTO proof.mark (id, place, height) VALUES ($1, 'Ö', 7)", [-next]);
          });
          const times = (id: number): number => met.flat().filter((each) => each === id).length;
          expect([...still].filter((id) => times(id) !== 1)).toEqual([]);
        },
      ),
      { numRuns: 12, endOnFailure: true },
    );
  }, 120_000);

  test("a place that was not written here, or for another order, leads to the beginning", async () => {
    await fill(Array.from({ length: 120 }, (_, index) => ({ place: `p ${index}`, height: "1" })));
    const first = idsIn((await at({})).body);
    const { after = "" } = way((await at({})).body, "next") ?? {};
    expect(idsIn((await at({ after })).body)[0]).toBe(51);
    for (const query of [
      { after: `${after} ` },
      { after: 'x.["1"]' },
      { after: "1" },
      { sort: "-id", after },
      { after: "%00" },
    ] as Query[]) {
      const { status, body } = await at(query);
      expect([query, status, idsIn(body).length]).toEqual([query, 200, 50]);
      if (!query.sort) expect(idsIn(body)).toEqual(first);
    }
  });

  test("says how many there are: exactly, with what is searched for", async () => {
    await fill(Array.from({ length: 1234 }, (_, index) => ({ place: index % 100 ? "Beck" : "Weir", height: null })));
    expect(await countAt({})).toBe("1,234 records");
    expect(await countAt({ q: "weir" })).toBe("13 records");
    expect(await countAt({ q: "weir", last: "" })).toBe("13 records");
    expect(await countAt({ q: "nothing like it" })).toBeUndefined();
  });

  test("is sorted by its headings, which say so", async () => {
    await fill([
      { place: "B", height: "2" },
      { place: "A", height: null },
      { place: "C", height: "1" },
    ]);
    const { body } = await at({ sort: "-height", q: " " });
    expect(idsIn(body)).toEqual([2, 1, 3]);
    expect(body).toMatch(/aria-sort="descending"[^>]*><a href="\/marks\?sort=height">Height<\/a>/);
    expect((await at({ sort: "nothing" })).status).toBe(200);
    expect(idsIn((await at({ sort: "nothing" })).body)).toEqual([1, 2, 3]);
  });
});

describe("a search", () => {
  test("looks into the columns that the page names, shown or not", async () => {
    await trips.reloadWith({ mark: file("id, place").replace("list: { ", "list: { search: [note], ") });
    await fill([
      { place: "Weir", height: null },
      { place: "Beck", height: null },
    ]);
    await trips.owner.query("UPDATE proof.mark SET note = 'beside the weir' WHERE id = 2");
    expect(idsIn((await at({ q: "weir" })).body)).toEqual([2]);
    await trips.reloadWith({ mark: file("id, place, height, note") });
    expect(idsIn((await at({ q: "weir" })).body)).toEqual([1, 2]);
  });
});

test("a search is planned for its words, since a plan for any would go along the order", async () => {
  await fill([{ place: "Weir", height: null }]);
  // Behind a pooler no statement is prepared, so that each is planned for its values in any case.
  const direct = connect(pastPooler(trips.pool.options.connectionString ?? ""), 1);
  for (const query of [{}, { q: "weir" }]) await trips.send("GET", "/marks", tamsin, null, databaseOver(direct), query);
  const prepared = await direct.query<{ statement: string }>("SELECT statement FROM pg_prepared_statements");
  await direct.end();
  const lists = prepared.rows.filter(({ statement }) => statement.includes('FROM "proof"."mark"'));
  expect(lists).not.toEqual([]);
  expect(lists.filter(({ statement }) => statement.includes("ILIKE"))).toEqual([]);
});

describe("going to a record by its key", () => {
  test("leads to it, or says that there is none and keeps what was typed", async () => {
    await fill([{ place: "A", height: null }]);
    const found = await at({ "go.id": " 1 " });
    expect([found.status, found.headers.location]).toEqual([303, "/marks/1/edit#field-2"]);
    for (const typed of ["2", "x", "99999999999999999999", "1; DROP TABLE proof.mark"]) {
      const { status, body } = await at({ "go.id": typed });
      expect([typed, status]).toEqual([typed, 200]);
      expect(body).toContain(`No record “${typed}”, or no access to it.`);
      expect(body).toContain(`value="${typed}"`);
      expect(idsIn(body)).toEqual([1]);
    }
  });

  test("takes each part of a key of several", async () => {
    const found = await at({ "go.a": "x/1", "go.b": "2" }, "/pairs");
    expect([found.status, found.headers.location]).toEqual([303, "/pairs/x%2F1/2/edit#field-3"]);
    expect((await at({ "go.a": "x/1", "go.b": "" }, "/pairs")).body).toContain(
      "No record “x/1 / ”, or no access to it.",
    );
    expect((await at({ "go.a": "", "go.b": "" }, "/pairs")).status).toBe(200);
  });
});

describe("the statements of a list of a large table", () => {
  test("are led to their place by an index, in every order that its headings offer", async () => {
    await trips.owner.query("TRUNCATE proof.mark");
    await trips.owner.query(
      "INSERT INTO proof.mark SELECT i, 'place ' || (i % 5000), CASE WHEN i % 3 = 0 THEN NULL ELSE i % 1000 END, 'n' FROM generate_series(1, 60000) AS i",
    );
    await trips.owner.query("ANALYZE proof.mark");
    await trips.reloadWith({});
    const page = trips.site().pages.find(({ name }) => name === "mark");
    expect(page?.list.columns.filter(({ sortable }) => sortable).map(({ column }) => column.name)).toEqual([
      "id",
      "place",
      "height",
    ]);
    for (const sort of sorts) {
      let query: Query | null = { sort };
      for (let part = 0; part < 3 && query; part++) {
        const { response, recorded } = await trips.send("GET", "/marks", tamsin, null, trips.database, query);
        for (const { text, values } of recorded.steps.flatMap((step) => step.statements)) {
          const { rows } = await trips.owner.query<{ "QUERY PLAN": { Plan: unknown }[] }>(
            `EXPLAIN (FORMAT JSON) ${text}`,
            [...values],
          );
          const plan = JSON.stringify(rows[0]?.["QUERY PLAN"]);
          expect([sort, part, plan.includes('"Seq Scan"')]).toEqual([sort, part, false]);
        }
        query = way(response.body, part === 1 ? "prev" : "next");
      }
    }
    expect(await countAt({})).toBe("About 60,000 records");
    expect(await countAt({ q: "place 7" })).toBeUndefined();
  });

  test("the review says which order no index keeps, with the index to make", async () => {
    const said = async (list: string): Promise<string[]> => {
      await trips.reloadWith({ mark: file("id, place").replace("list: { ", `list: { ${list}, `) });
      const all = trips.site().files.find(({ name }) => name === "mark")?.findings ?? [];
      const found = all.filter(({ code }) => code !== "open-to-everybody");
      expect(found.every(({ severity, code }) => severity === "warning" && code === "slow-list")).toBe(true);
      return found.map(({ message }) => message);
    };
    const [order, search, ...more] = await said("sort: note");
    // What it would take is known by what PostgreSQL has sampled: sixty thousand rows here.
    expect(order).toMatch(/To make one \(about \d MB, made in about a second\): CREATE/);
    expect(order).toContain('CREATE INDEX CONCURRENTLY "mark_note_id_idx" ON "proof"."mark" ("note", "id");');
    expect(search).toContain("no index finds parts of id.");
    const made = 'CREATE INDEX CONCURRENTLY "mark_place_idx" ON "proof"."mark" USING gin ("place" gin_trgm_ops);';
    expect(search).toMatch(/To make an index \((about \d|less than 1) MB, made in about a second\): CREATE/);
    expect(search).toContain(made);
    expect(more).toEqual([]);
    // Where the extension isn't there, it comes first.
    await trips.owner.query("DROP EXTENSION pg_trgm CASCADE");
    expect((await said("sort: note"))[1]).toContain(`CREATE EXTENSION pg_trgm; ${made}`);
    const [filter] = await said("filter: [note], search: [place, note]");
    expect(filter).toContain('CREATE INDEX CONCURRENTLY "mark_note_id_idx" ON "proof"."mark" ("note", "id");');
    await trips.owner.query("CREATE EXTENSION pg_trgm");
    await trips.owner.query("CREATE INDEX ON proof.mark USING gin (place gin_trgm_ops, note gin_trgm_ops)");
    expect(await said("filter: [height], search: [place, note]")).toEqual([]);
  });
});

describe("a list that is filtered", () => {
  const header = `format: loyal-quill/page@1\ntitle: "{id}"\npath: /marks/{id}\nrecord: { table: proof.mark, key: id }\n`;
  beforeAll(async () => {
    await trips.owner.query(
      "ALTER TABLE proof.mark ADD kind text CHECK (kind IN ('~old', 'new')), ADD seen timestamptz, ADD open boolean",
    );
    await trips.owner.query("TRUNCATE proof.mark");
    await trips.owner.query(`INSERT INTO proof.mark (id, place, height, note, kind, seen, open) VALUES
      (1, 'Alder', 1.5, '=1+1', '~old', '2026-03-28 23:30:00+00', true),
      (2, 'Beck', 2.5, NULL, 'new', '2026-03-29 22:59:59+00', false),
      (3, 'Cove', NULL, 'a "b", c', NULL, '2026-03-29 23:00:00+00', NULL),
      (4, 'Dale', -3, E'two\\nlines', 'new', NULL, true)`);
    await trips.reloadWith({
      mark: `${header}time-zone: Europe/London\nlist: { columns: [id, place, height, note, seen], filter: [height, note, kind, seen, open] }\nfields: [id, place, height, note, kind, seen, open]\n`,
    });
  });

  test.each<[Query, number[]]>([
    [{ "from.height": "1.5" }, [1, 2]],
    [{ "from.height": "-3", "to.height": "1.50" }, [1, 4]],
    [{ "is.height": "~empty" }, [3]],
    [{ "is.note": "~empty" }, [2]],
    [{ "is.note": "~filled", "from.height": "-9" }, [1, 4]],
    // A value that begins with a tilde is no word of ours.
    [{ "is.kind": "~~old" }, [1]],
    [{ "is.kind": "new" }, [2, 4]],
    [{ "is.open": "true" }, [1, 4]],
    [{ "is.open": "~empty" }, [3]],
    // In London the 29th has 23 hours, and ends at 23:00 UTC.
    [{ "from.seen": "2026-03-29", "to.seen": "2026-03-29" }, [2]],
    [{ "to.seen": "2026-03-28" }, [1]],
    [{ q: "beck", "is.kind": "new" }, [2]],
    // What is no filter of the page filters nothing.
    [{ "is.place": "Beck" }, [1, 2, 3, 4]],
  ])("%j leaves %j", async (query, ids) => {
    expect(idsIn((await at(query)).body)).toEqual(ids);
  });

  test.each<[Query, string]>([
    [{ "from.height": "high" }, "Height must be a number, like 12.50."],
    [{ "to.seen": "2026-02-30" }, "Seen is a day or time that the calendar does not have."],
    [{ "is.kind": "a\0b" }, "Kind holds a character that can&#39;t be stored (U+0000): remove it."],
  ])("%j can't be read: it is kept and told at the filter, and no record is shown", async (query, said) => {
    const { status, body } = await at(query);
    expect([status, idsIn(body)]).toEqual([200, []]);
    expect(body).toContain(said);
    expect(body).toContain("Fix the filter that is marked");
    expect(body).toContain(`value="${Object.values(query)[0]}"`);
  });

  test("the way to its next part, its order and its file keep the filters", async () => {
    const { body } = await at({ "from.height": "1.5", q: "e" });
    expect(body).toContain('href="/marks/~csv?q=e&amp;from.height=1.5"');
    expect(body).toContain("sort=-id");
    expect(/sort=place[^"]*/.exec(body)?.[0] ?? body).toContain("sort=");
  });

  const csvOf = async (query: Query): Promise<string> => {
    const { response } = await trips.send("GET", "/marks/~csv", tamsin, null, trips.database, query);
    let text = "";
    for await (const part of response.parts ?? []) text += String(part);
    return text;
  };

  test("as a file it has what the list shows of all of them, and nothing that a spreadsheet would calculate", async () => {
    expect(await csvOf({})).toBe(
      [
        '"ID",Place,Height,Note,Seen (Europe/London)',
        "1,Alder,1.5,'=1+1,2026-03-28 23:30:00",
        "2,Beck,2.5,,2026-03-29 23:59:59",
        '3,Cove,,"a ""b"", c",2026-03-30 00:00:00',
        '4,Dale,-3,"two\nlines",',
        "",
      ].join("\r\n"),
    );
    expect(await csvOf({ "is.kind": "new", sort: "-id" })).toMatch(/^"ID".*\r\n4,.*\n.*\r\n2,Beck.*\r\n$/);
  });

  test("as a file it is read in parts, in one snapshot, and its connection is given back whether it is read or not", async () => {
    await trips.owner.query(
      "INSERT INTO proof.mark (id, place) SELECT 10 + i, 'many' FROM generate_series(1, 1200) AS s(i)",
    );
    const before = trips.pool.idleCount + trips.pool.totalCount;
    const { response } = await trips.send("GET", "/marks/~csv", tamsin, null, trips.database);
    expect(response.headers["content-type"]).toBe("text/csv; charset=utf-8; header=present");
    const seen: string[] = [];
    for await (const part of response.parts ?? []) {
      // What comes after it was asked for is not in it.
      if (seen.length === 0) await trips.owner.query("DELETE FROM proof.mark WHERE id > 1000");
      seen.push(String(part));
    }
    expect(seen.map((part) => part.split("\r\n").length - 1)).toEqual([1, 500, 500, 204]);
    for (let index = 0; index < 25; index++) {
      const unread = await trips.send("GET", "/marks/~csv", tamsin, null, trips.database);
      await unread.response.parts?.[Symbol.asyncIterator]().return?.();
    }
    expect(trips.pool.totalCount).toBeLessThanOrEqual(before + 2);
    await trips.owner.query("DELETE FROM proof.mark WHERE id > 10");
  });

  test("the file of a list with a filter that can't be read leads to the list, which tells", async () => {
    const { response } = await trips.send("GET", "/marks/~csv", tamsin, null, trips.database, {
      "from.height": "high",
    });
    expect([response.status, response.headers.location]).toEqual([303, "/marks?from.height=high"]);
  });

  test("a text that is never null and has no choices is no filter", async () => {
    await expect(
      trips.reloadWith({ mark: `${header}list: { filter: [place] }\nfields: [id, place]\n` }),
    ).resolves.toBeUndefined();
    const [found] = trips.site().files.flatMap(({ findings }) => findings.filter(({ code }) => code === "no-filter"));
    expect(found?.message).toContain("list.search");
  });
});
