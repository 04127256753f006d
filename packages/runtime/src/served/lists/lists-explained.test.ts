import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import {
  bindPage,
  type Catalog,
  commonWords,
  commonWordsStatement,
  type Database,
  factsOf,
  listStatement,
  type Page,
  parsePage,
  type Statement,
} from "@loyal-quill/core";
import { demoFile, hollis, makeTrips, type Trips, tamsin } from "../../testing/trips.js";

/**
 * Every statement that the lists of the demo send is explained, without sequential scans and sorts where PostgreSQL can do without. What then
 * still reads all rows of the page's table, no index can serve: the review of a large table must say so, and of nothing else.
 */

let trips: Trips;
beforeAll(async () => {
  trips = await makeTrips();
});
afterAll(() => trips.close());

interface Plan {
  readonly "Node Type": string;
  readonly "Relation Name"?: string;
  readonly "Presorted Key"?: readonly string[];
  readonly Plans?: readonly Plan[];
}

const nodes = (plan: Plan): Plan[] => [plan, ...(plan.Plans ?? []).flatMap(nodes)];

/** The plan of a statement where PostgreSQL avoids reading whole tables and sorting. */
async function explain({ text, values }: Statement): Promise<Plan[]> {
  const client = await trips.pool.connect();
  try {
    await client.query("SET enable_seqscan = off");
    await client.query("SET enable_sort = off");
    const { rows } = await client.query<{ "QUERY PLAN": [{ Plan: Plan }] }>(`EXPLAIN (FORMAT json) ${text}`, [
      ...values,
    ]);
    return rows.flatMap((row) => nodes(row["QUERY PLAN"][0].Plan));
  } finally {
    await client.query("RESET ALL").catch(() => {});
    client.release(true);
  }
}

/** The catalog as it would be, were every table large. */
const enlarged = (catalog: Catalog): Catalog => ({
  ...catalog,
  tables: catalog.tables.map((table) => ({ ...table, rows: 5_000_000 })),
});

/** The columns that rows come sorted by, of keys like ((t.serial_number)::text). */
const sortedBy = (node: Plan): string[] =>
  (node["Presorted Key"] ?? []).map((key) => key.replace(/^\(+t?\.?|^t\.|\).*$/g, ""));

/** Whether rows that come in the order of an index could still be many of one value, to be put in order together. */
const mayTie = (node: Plan, page: Page): boolean =>
  !page.table.keys.some((key) => key.columns.every((name) => sortedBy(node).includes(name)));

/** Whether all rows of the page's table are read, or put in order by themselves. */
const readsAll = (plan: readonly Plan[], page: Page): boolean =>
  plan.some(
    (node) =>
      (node["Node Type"] === "Seq Scan" && node["Relation Name"] === page.table.name) ||
      node["Node Type"] === "Sort" ||
      (node["Node Type"] === "Incremental Sort" && mayTie(node, page)),
  );

/** The statements over the page's own list that a request sends. */
async function listStatements(page: Page, query: Readonly<Record<string, string>>): Promise<Statement[]> {
  const sent: Statement[] = [];
  const over: Database = {
    run: async (statement) => {
      sent.push(statement);
      const { rows } = await trips.pool.query(statement.text, [...statement.values]);
      return rows;
    },
    transaction: () => Promise.reject(new Error("a list needs no transaction")),
  };
  const actor = page.access.open?.source.includes("duty-officer") ? hollis : tamsin;
  const { response } = await trips.send("GET", page.path.list, actor, null, over, query);
  expect([page.name, query, response.status]).toEqual([page.name, query, 200]);
  return sent.filter(({ purpose }) => purpose === "list");
}

const names = ["bulletin", "calibration", "loan", "reading-note", "region", "river", "sensor", "station", "visit"];

describe("the statements of the demo's lists", () => {
  test.each(names)("%s: are served by an index, or the review says what would serve them", async (name) => {
    const parsed = parsePage(await demoFile(name));
    if (!parsed.ok) throw new Error("the page file can't be read");
    const { page, findings } = bindPage(name, "1", parsed.page, enlarged(trips.site().catalog));
    const served = trips.site().pages.find((each) => each.name === name);
    if (!page || !served) throw new Error("the page is not sound");
    const slow = findings.filter(({ code }) => code === "slow-list").map(({ message }) => message);
    const saysOf = (text: RegExp): boolean => slow.some((message) => text.test(message));
    const unserved: unknown[] = [];
    const look = async (what: string, query: Record<string, string>, isSaid: boolean): Promise<void> => {
      for (const statement of await listStatements(served, query)) {
        // Of a large table nothing is counted.
        const uncounted = {
          ...statement,
          text: statement.text.replace(
            /, \(SELECT count\(\*\) FROM \(.*? LIMIT \d+\) AS c\)::text AS "quill:count"/s,
            "",
          ),
        };
        if (readsAll(await explain(uncounted), served) && !isSaid) unserved.push([what, query]);
      }
    };
    const order = saysOf(/^No index keeps/);
    await look("first", {}, order);
    await look("last", { last: "" }, order);
    for (const { column, sortable } of page.list.columns)
      if (sortable) for (const sort of [column.name, `-${column.name}`]) await look("sorted", { sort }, order);
    for (const { column, way } of page.list.filters) {
      const isSaid = order || saysOf(new RegExp(`^No index begins with ${column.name},`));
      if (way.by === "range")
        await look("range", { [`from.${column.name}`]: column.type.kind === "date" ? "2026-01-01" : "1" }, isSaid);
      if (way.by === "days") await look("days", { [`from.${column.name}`]: "2026-01-01" }, isSaid);
      if (way.by === "yes-no") await look("yes", { [`is.${column.name}`]: "true" }, isSaid);
      if (way.by === "choice") await look("choice", { [`is.${column.name}`]: way.labels[0] ?? "" }, isSaid);
    }
    await look("search", { q: "weir" }, order || saysOf(/^A search reads/));
    expect(unserved).toEqual([]);
    // The one that is made for millions has nothing to be told of.
    if (name === "reading-note") expect(slow).toEqual([]);
  });
});

test("of two words the rare one leads, where the other is in most records", async () => {
  const page = trips.site().pages.find((each) => each.name === "reading-note");
  if (!page) throw new Error("there is no such page");
  await trips.owner.query(
    `INSERT INTO field.reading_note (station_code, noted_at, level_m, note)
     SELECT (SELECT min(code) FROM network.station), now(), 1, 'Otter at the weir, entry ' || n FROM generate_series(1, 5000) AS n`,
  );
  await trips.owner.query("ANALYZE field.reading_note");
  const common = async (search: string): Promise<readonly string[] | null> => {
    const statement = commonWordsStatement(page, search);
    return statement && commonWords(search, (await trips.pool.query(statement.text, [...statement.values])).rows);
  };
  expect(await common("otter 4711")).toEqual(["otter"]);
  expect(await common("4711 ENTRY  otter%")).toEqual(["ENTRY"]);
  // One must lead, and one alone has no other to follow.
  expect(await common("otter entry")).toEqual([]);
  expect(await common("otter")).toBeNull();

  const facts = factsOf(tamsin, new Date());
  const question = { search: "otter 4711", common: ["otter"], filters: [], sort: page.list.sort };
  const { text, values } = listStatement({ page: page, facts: facts }, question, {
    withValue: true,
    backward: false,
    beyond: null,
  });
  expect(text).toMatch(/\("?t"?\."note"::text \|\| ''\) ILIKE/);
  const { rows } = await trips.pool.query<{ note: string }>(text, [...values]);
  expect(rows.map(({ note }) => note)).toEqual(["Otter at the weir, entry 4711"]);
});
