import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, test } from "@jest/globals";
import { type Database, DatabaseAway, type RecordedRequest, type Statement } from "@loyal-quill/core";
import { bodyOf, Client, formOf, until } from "@loyal-quill/testing";
import { parse } from "csv-parse/sync";
import { stringify } from "csv-stringify/sync";
import { createPages, defineSteps, type Pages } from "../index.js";
import { hiddenIn } from "../testing/posts.js";
import { type Served, serve } from "../testing/served.js";
import { makeTrips, type Trips, tamsin } from "../testing/trips.js";

/*
 * Every kind of save × every moment at which its answer may be lost × with and without steps of the developer's own: what people are told is
 * what is in the table, nothing is saved twice, and what comes after a save comes once.
 */

const page = (path: string, more: string): string => `format: loyal-quill/page@1
title: Buoy {id}, {name}
plural: Buoys
path: /${path}/{id}
record: { table: sea.buoy, key: id }
access: { open: "true", new: "true", delete: "true" }
list: { columns: [name, depth_m], edit: [depth_m]${more} }
fields:
  - name
  - depth_m
`;

let trips: Trips;
beforeAll(async () => {
  trips = await makeTrips({
    sql: [
      "CREATE SCHEMA sea",
      "CREATE TABLE sea.buoy (id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY, name text NOT NULL, depth_m numeric(6,2))",
      "CREATE TABLE sea.told (buoy integer NOT NULL, operation text NOT NULL)",
      `CREATE FUNCTION sea.keep(id integer, name text, depth_m numeric) RETURNS void LANGUAGE sql AS $$
        UPDATE sea.buoy AS b SET name = keep.name, depth_m = keep.depth_m WHERE b.id = keep.id $$`,
      "GRANT USAGE ON SCHEMA sea TO quill_pages",
      "GRANT SELECT, INSERT, UPDATE, DELETE ON ALL TABLES IN SCHEMA sea TO quill_pages",
    ],
    files: {
      buoy: page("buoys", ""),
      together: page("together", ", together: true"),
      sheet: page("sheet", ", spreadsheet: true"),
      routine: `${page("routine", "").replace(/, edit: \[depth_m\]/, "")}save: { routine: sea.keep, parameters: { id: row.id } }\n`,
    },
  });
});
afterAll(() => trips.close());

/** How the way to the database breaks at the next statement that writes, or at the COMMIT of what it is part of. */
interface Break {
  /** Whether it arrives and takes effect before the answer is lost. */
  readonly arrives: boolean;
  /** For how many statements afterwards the database can't be reached. */
  readonly away: number;
}

/** A database whose way breaks when somebody says so. */
function breakable(real: Database): { database: Database; breakNext: (how: Break) => void; mend: () => void } {
  let next: Break | null = null;
  let away = 0;
  const isAway = (): boolean => away > 0 && away-- > 0;
  const lose = (how: Break): DatabaseAway => {
    next = null;
    away = how.away;
    return new DatabaseAway("Connection terminated unexpectedly", true);
  };
  const asked = /^(save|save together|create|delete|save by routine)$/;
  const inside = (database: Database, wrote: () => void): Database => ({
    transaction: (run) => database.transaction((nested) => run(inside(nested, wrote))),
    async run(statement: Statement) {
      if (isAway()) throw new DatabaseAway("still away", false);
      if (next && asked.test(statement.purpose)) wrote();
      return database.run(statement);
    },
  });
  const database: Database = {
    async transaction(run, purpose) {
      if (isAway()) throw new DatabaseAway("still away", false);
      let how: Break | null = null;
      const wrote = (): void => {
        how = next;
      };
      class NotCommitted extends Error {}
      const runs = async (nested: Database) => {
        const result = await run(inside(nested, wrote));
        if (how && !(how as Break).arrives) throw new NotCommitted();
        return result;
      };
      try {
        const result = await real.transaction(runs, purpose);
        if (how) throw lose(how);
        return result;
      } catch (error) {
        if (error instanceof NotCommitted && how) throw lose(how);
        throw error;
      }
    },
    async run(statement) {
      if (isAway()) throw new DatabaseAway("still away", false);
      if (!next || !asked.test(statement.purpose)) return real.run(statement);
      const how = next;
      if (how.arrives) await real.run(statement);
      throw lose(how);
    },
  };
  return {
    database,
    breakNext: (how) => {
      next = how;
    },
    mend: () => {
      [next, away] = [null, 0];
    },
  };
}

const form = (path: string) => async (client: Client) => formOf((await client.get(path)).text);
const urlencoded = { "content-type": "application/x-www-form-urlencoded" };

/** A kind of save: what is sent, and how it is sent again after a page that says that nobody knows. */
interface Kind {
  readonly name: string;
  readonly send: (client: Client) => Promise<{ path: string; init: RequestInit }>;
  /** Where the form that comes back is sent again; null where a program has to look for itself. */
  readonly again: string | null;
  /** The table when it is saved. */
  readonly saved: readonly string[];
  /** What is called after it, once for each. */
  readonly told: readonly string[];
}

const posting =
  (path: string, opened: string, edits: Record<string, string>): Kind["send"] =>
  async (client) => ({
    path,
    init: { method: "POST", headers: urlencoded, body: bodyOf(await form(opened)(client), edits) },
  });
const json =
  (method: string, path: string, content: object | null): Kind["send"] =>
  async (client) => {
    const etag =
      method === "POST"
        ? null
        : (await client.send("/buoys/1", { headers: { accept: "application/json" } })).headers.get("etag");
    return {
      path,
      init: {
        method,
        headers: {
          accept: "application/json",
          "content-type": "application/json",
          ...(etag ? { "if-match": etag } : {}),
        },
        ...(content ? { body: JSON.stringify(content) } : {}),
      },
    };
  };

/** The rows of a file that was downloaded, edited and looked at, one of them new. */
const upload: Kind["send"] = async (client) => {
  const [heads = [], ...rows]: string[][] = parse((await client.get("/sheet/~spreadsheet")).text);
  const edited = [
    heads,
    ...rows.map(([name = "", , mark = ""], index) => [name, String(14 + index), mark]),
    ["West", "5", ""],
  ];
  const file = new FormData();
  file.set("quill.file", new Blob([stringify(edited)]), "buoys.csv");
  file.set("quill.new", "true");
  const headers = { accept: "application/json" };
  const looked = await client.send("/sheet/~upload", { method: "POST", body: file, headers });
  const body = new URLSearchParams({ "quill.rows": (JSON.parse(looked.text) as { rows: string }).rows }).toString();
  return { path: "/sheet/~upload", init: { method: "POST", headers: urlencoded, body } };
};

/** What is sent again of the page that comes back. */
const sentAgain = ({ name }: Kind, { text }: { readonly text: string }): string =>
  name === "a file's rows"
    ? new URLSearchParams({ "quill.rows": hiddenIn(text, "quill.rows") }).toString()
    : bodyOf(formOf(text), name === "a row in its place" ? { "quill.row": "1" } : {});

const before = ["1 North 12.00", "2 South 8.00"];
const kinds: readonly Kind[] = [
  {
    name: "a form",
    send: posting("/buoys/1/edit", "/buoys/1/edit", { depth_m: "13" }),
    again: "/buoys/1/edit",
    saved: ["1 North 13.00", "2 South 8.00"],
    told: ["1 change"],
  },
  {
    name: "a form that is saved by a routine",
    send: posting("/routine/1/edit", "/routine/1/edit", { depth_m: "13" }),
    again: "/routine/1/edit",
    saved: ["1 North 13.00", "2 South 8.00"],
    told: ["1 change"],
  },
  {
    name: "a row in its place",
    send: posting("/buoys", "/buoys", { "r1:depth_m": "9", "quill.row": "1" }),
    again: "/buoys",
    saved: ["1 North 12.00", "2 South 9.00"],
    told: ["2 change"],
  },
  {
    name: "rows together",
    send: posting("/together", "/together", { "r0:depth_m": "14", "r1:depth_m": "9" }),
    again: "/together",
    saved: ["1 North 14.00", "2 South 9.00"],
    told: ["1 change", "2 change"],
  },
  {
    name: "a new record",
    send: posting("/buoys/new", "/buoys/new", { name: "West", depth_m: "5" }),
    again: "/buoys/new",
    saved: [...before, "3 West 5.00"],
    told: ["3 new"],
  },
  {
    name: "a deletion",
    send: posting("/buoys/1/delete", "/buoys/1/delete", {}),
    again: "/buoys/1/delete",
    saved: ["2 South 8.00"],
    told: ["1 delete"],
  },
  {
    name: "a file's rows",
    send: upload,
    again: "/sheet/~upload",
    saved: ["1 North 14.00", "2 South 15.00", "3 West 5.00"],
    told: ["1 change", "2 change", "3 new"],
  },
  {
    name: "PATCH",
    send: json("PATCH", "/buoys/1", { depth_m: "13" }),
    again: null,
    saved: ["1 North 13.00", "2 South 8.00"],
    told: ["1 change"],
  },
  {
    name: "POST of JSON",
    send: json("POST", "/buoys", { name: "West", depth_m: "5" }),
    again: null,
    saved: [...before, "3 West 5.00"],
    told: ["3 new"],
  },
  { name: "DELETE", send: json("DELETE", "/buoys/1", null), again: null, saved: ["2 South 8.00"], told: ["1 delete"] },
];

/** A number that was given in vain is not given again: every new record is the third. */
const numberOf = (id: unknown): number => Math.min(3, Number(id));

const steps = {
  none: {},
  "after it": defineSteps({ afterSave: ({ key, operation }) => void told.push(`${numberOf(key.id)} ${operation}`) }),
  "in its transaction and after it": defineSteps({
    inTransaction: async ({ query, written }) => {
      await query("INSERT INTO sea.told VALUES ($1, $2)", [numberOf(written.key.id), written.operation]);
    },
    afterSave: ({ key, operation }) => void told.push(`${numberOf(key.id)} ${operation}`),
  }),
} as const;

const told: string[] = [];
const recorded: RecordedRequest[] = [];
let pages: Pages | undefined;
let served: Served | undefined;

beforeEach(async () => {
  await trips.owner.query(
    "TRUNCATE sea.buoy RESTART IDENTITY; TRUNCATE sea.told; DELETE FROM quill_log.change; INSERT INTO sea.buoy (name, depth_m) VALUES ('North', 12), ('South', 8); ANALYZE sea.buoy",
  );
  told.length = 0;
  recorded.length = 0;
});
afterEach(async () => {
  await served?.stop();
  served = undefined;
});

async function start(own: keyof typeof steps) {
  const way = breakable(trips.database);
  pages = await createPages({
    database: way.database,
    pages: trips.directory,
    signingKey: "a key for tests, thirty-two bytes long",
    actor: () => tamsin,
    steps: own === "none" ? {} : { buoy: steps[own], together: steps[own], routine: steps[own], sheet: steps[own] },
    seals: false,
    onRequest: (request) => recorded.push(request),
    onError: () => {},
  });
  served = await serve(pages);
  return { client: new Client(served.origin), ...way };
}

const lines = async (text: string): Promise<string[]> =>
  (await trips.owner.query<{ line: string }>(text)).rows.map(({ line }) => line);
const table = () => lines("SELECT concat_ws(' ', least(id, 3), name, depth_m) AS line FROM sea.buoy ORDER BY id");
const logged = () =>
  lines(
    "SELECT concat_ws(' ', least((record_key->>'id')::int, 3), operation) AS line FROM quill_log.change ORDER BY record_key->>'id'",
  );
const inTransaction = () => lines("SELECT concat_ws(' ', buoy, operation) AS line FROM sea.told ORDER BY buoy");
const entriesOf = ({ told: events }: Kind): string[] =>
  events.map((each) => each.replace("new", "insert").replace("change", "update"));

describe.each(Object.keys(steps) as (keyof typeof steps)[])("with steps of one's own: %s", (own) => {
  const afterwards = (kind: Kind): readonly string[] => (own === "none" ? [] : kind.told);
  const expectSavedOnce = async (kind: Kind): Promise<void> => {
    expect(await table()).toEqual(kind.saved);
    expect(await logged()).toEqual(entriesOf(kind));
    expect(await inTransaction()).toEqual(own === "in its transaction and after it" ? kind.told : []);
    await until(() => told.length >= afterwards(kind).length);
    expect([...told].sort()).toEqual(afterwards(kind));
  };

  test.each(kinds)("$name: the answer is lost after the commit, and the log is asked at once", async (kind) => {
    const { client, breakNext } = await start(own);
    const { path, init } = await kind.send(client);
    breakNext({ arrives: true, away: 1 });
    const answer = await client.send(path, init);
    expect([answer.status, recorded.at(-1)?.outcome]).toEqual([
      kind.again ? 303 : path === "/buoys" ? 201 : init.method === "DELETE" ? 204 : 200,
      "saved",
    ]);
    await expectSavedOnce(kind);
  });

  test.each(kinds)("$name: it is lost before the commit, which is known for stored records and said", async (kind) => {
    const { client, breakNext } = await start(own);
    const { path, init } = await kind.send(client);
    breakNext({ arrives: false, away: 1 });
    const answer = await client.send(path, init);
    expect([answer.status, recorded.at(-1)?.outcome]).toEqual([503, "failed"]);
    const isNew = kind.told[0]?.endsWith("new") === true;
    expect(answer.text).toContain(
      isNew ? "it is not known yet whether the record was added" : "the change log has no such change",
    );
    expect(await table()).toEqual(before);
    expect(await logged()).toEqual([]);
    if (kind.again === null) return;
    const again = await client.post(kind.again, sentAgain(kind, answer));
    expect([again.status, recorded.at(-1)?.outcome]).toEqual([303, "saved"]);
    await expectSavedOnce(kind);
  });

  // It is waited three seconds for the database each time: with every step once, with the others for one kind.
  test.each(
    kinds.filter(({ again, name }) => again !== null && (own.startsWith("in its") || name === "rows together")),
  )(
    "$name: it is lost for longer after the commit; the next try tells that it was saved, and saves nothing twice",
    async (kind) => {
      const { client, breakNext, mend } = await start(own);
      const { path, init } = await kind.send(client);
      breakNext({ arrives: true, away: 1000 });
      const answer = await client.send(path, init);
      expect([answer.status, recorded.at(-1)?.outcome]).toEqual([503, "failed"]);
      expect(answer.text).toContain("it is not known yet whether");
      // What a script may say is in attributes.
      expect(answer.text.replaceAll(/ data-[a-z]+="[^"]*"/g, "")).not.toContain("Nothing was saved");
      mend();
      const again = await client.post(kind.again ?? "", sentAgain(kind, answer));
      expect(again.status).toBe(303);
      await expectSavedOnce(kind);
      // Once and not twice, however long one waits.
      await new Promise((resolve) => setTimeout(resolve, 700));
      expect([...told].sort()).toEqual(afterwards(kind));
    },
    20_000,
  );
});
