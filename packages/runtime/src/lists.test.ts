import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { databaseOver } from "./index.js";
import { makeTrips, type Trips, tamsin } from "./testing/trips.js";

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
  (await trips.send("GET", path, tamsin, null, databaseOver(trips.pool), query)).response;

/** The records that a list shows, by key, in its order. */
const idsIn = (body: string): number[] =>
  [...body.matchAll(/<a class="record" href="\/marks\/(\d+)">/g)].map(([, id]) => Number(id));

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
  /<p class="count">([^<]*)</.exec((await at(query)).body)?.[1];

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
      { numRuns: 25 },
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
      { numRuns: 12 },
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
  await at({});
  await at({ q: "weir" });
  // The pool hands out the connection that it got back last.
  const prepared = await trips.pool.query<{ statement: string }>("SELECT statement FROM pg_prepared_statements");
  const lists = prepared.rows.filter(({ statement }) => statement.includes('FROM "proof"."mark"'));
  expect(lists).not.toEqual([]);
  expect(lists.filter(({ statement }) => statement.includes("ILIKE"))).toEqual([]);
});

describe("going to a record by its key", () => {
  test("leads to it, or says that there is none and keeps what was typed", async () => {
    await fill([{ place: "A", height: null }]);
    const found = await at({ "go.id": " 1 " });
    expect([found.status, found.headers.location]).toEqual([303, "/marks/1"]);
    for (const typed of ["2", "x", "99999999999999999999", "1; DROP TABLE proof.mark"]) {
      const { status, body } = await at({ "go.id": typed });
      expect([typed, status]).toEqual([typed, 200]);
      expect(body).toContain(`No record “${typed}” is open to you.`);
      expect(body).toContain(`value="${typed}"`);
      expect(idsIn(body)).toEqual([1]);
    }
  });

  test("takes each part of a key of several", async () => {
    const found = await at({ "go.a": "x/1", "go.b": "2" }, "/pairs");
    expect([found.status, found.headers.location]).toEqual([303, "/pairs/x%2F1/2"]);
    expect((await at({ "go.a": "x/1", "go.b": "" }, "/pairs")).body).toContain("No record “x/1 / ” is open to you.");
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
        const { response, recorded } = await trips.send("GET", "/marks", tamsin, null, databaseOver(trips.pool), query);
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
    await trips.reloadWith({ mark: file("id, place").replace("list: { ", "list: { sort: note, ") });
    const found = trips.site().files.find(({ name }) => name === "mark")?.findings ?? [];
    expect(found).toMatchObject([{ severity: "warning", code: "slow-list" }]);
    expect(found[0]?.message).toContain('CREATE INDEX CONCURRENTLY ON "proof"."mark" ("note", "id");');
  });
});
