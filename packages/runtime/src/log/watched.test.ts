import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { findTable, readCatalog, unwatchStatements, watchStatements } from "@loyal-quill/core";
import pg from "pg";
import { databaseOver } from "../index.js";
import { makeTrips, type Trips, tamsin } from "../testing/trips.js";
import { findingsIn, ownerPool } from "../testing/verified.js";

const postFile = `format: loyal-quill/page@1
title: Post {id}
path: /posts/{id}
record: { table: watched.post, key: id }
access: { open: 'true', new: 'true', delete: 'true' }
fields: [id, name, level, { secret: { sensitive: true } }]
`;
const schema = `CREATE SCHEMA watched;
CREATE TABLE watched.post (id integer PRIMARY KEY, name text NOT NULL, level numeric(6,2), secret text, touched integer NOT NULL DEFAULT 0, seen timestamptz);
CREATE TABLE watched.part (id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY, post_id integer NOT NULL REFERENCES watched.post ON DELETE CASCADE ON UPDATE CASCADE, what text);
CREATE FUNCTION watched.touch() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN
  IF NEW.name LIKE 'touch%' AND OLD.name IS DISTINCT FROM NEW.name THEN UPDATE watched.post SET touched = touched + 1 WHERE id = NEW.id; END IF; RETURN NULL; END $$;
CREATE TRIGGER touch AFTER UPDATE ON watched.post FOR EACH ROW EXECUTE FUNCTION watched.touch();
CREATE FUNCTION watched.stamp() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN NEW.seen := '2026-01-01T00:00:00Z'; RETURN NEW; END $$;
CREATE TRIGGER stamp BEFORE UPDATE ON watched.post FOR EACH ROW WHEN (OLD.level IS DISTINCT FROM NEW.level) EXECUTE FUNCTION watched.stamp();
INSERT INTO watched.post (id, name, level, secret) SELECT n, 'Post ' || n, n, 's' || n FROM generate_series(1, 60) AS n;
INSERT INTO watched.part (post_id, what) SELECT 1 + n % 60, 'part ' || n FROM generate_series(1, 120) AS n;
GRANT USAGE ON SCHEMA watched TO quill_pages;
GRANT SELECT, INSERT, UPDATE, DELETE ON ALL TABLES IN SCHEMA watched TO quill_pages;`;

let trips: Trips;
let reading: pg.Pool;
/** Somebody with psql. */
let other: pg.Client;

const run = async (statements: readonly string[]): Promise<void> => {
  await trips.owner.query("BEGIN");
  for (const statement of statements) await trips.owner.query(statement);
  await trips.owner.query("COMMIT");
};
async function watchTable(name: string, hidden: readonly string[] = [], baseline = true): Promise<void> {
  const table = findTable((await readCatalog(databaseOver(reading))).tables, name);
  if (!table) throw new Error(`no table ${name}`);
  await run(watchStatements({ table, key: table.keys[0]?.columns ?? [], hidden }, baseline));
}

beforeAll(async () => {
  trips = await makeTrips({ sql: [schema], files: { post: postFile } });
  const { user, password, host, port, database } = trips.owner;
  const url = `postgresql://${user}:${password}@${host}:${port}/${database}`;
  reading = ownerPool(trips);
  other = new pg.Client({ connectionString: url, application_name: "night job" });
  await other.connect();
  await watchTable("watched.post", ["secret"]);
  await watchTable("watched.part");
});
afterAll(async () => {
  await other.end();
  await reading.end();
  await trips.close();
});

const findings = () => findingsIn(reading);

interface Logged {
  readonly table: string;
  readonly key: string;
  readonly operation: string;
  readonly way: string;
  readonly fields: string;
}
/** What was logged while something ran, in short. */
async function logged(what: () => Promise<unknown>): Promise<string[]> {
  const last = (await trips.one<{ id: string }>("SELECT coalesce(max(id), 0)::text AS id FROM quill_log.change")).id;
  await what();
  const { rows } = await trips.owner.query<Logged>(
    `SELECT table_name AS table, concat(record_key->>'id', '→' || (new_key->>'id')) AS key, operation, way,
       (SELECT string_agg(concat(f->>'field', '=', f->>'old', '>', f->>'new', CASE WHEN f ? 'hidden' THEN 'hidden' END), ' ' ORDER BY f->>'field') FROM jsonb_array_elements(fields) AS f) AS fields
     FROM quill_log.change WHERE id > $1 ORDER BY id`,
    [last],
  );
  return rows.map((row) => [row.table.slice(8), row.key, row.operation, row.way, row.fields].filter(Boolean).join(" "));
}

describe("what happens by other ways than a page", () => {
  test("is logged, with who, from where, by what, and when its statement began", async () => {
    expect(await logged(() => other.query("UPDATE watched.post SET name = 'By hand' WHERE id = 1"))).toEqual([
      "post 1 update behind name=Post 1>By hand",
    ]);
    const entry = await trips.one<{
      actor_id: string;
      actor_name: string;
      request_id: string | null;
      origin: Record<string, string>;
    }>("SELECT actor_id, actor_name, request_id, origin FROM quill_log.change ORDER BY id DESC LIMIT 1");
    expect(entry).toMatchObject({
      actor_id: "role vale_owner",
      actor_name: "vale_owner",
      request_id: null,
      origin: { role: "vale_owner", application: "night job", address: "127.0.0.1" },
    });
    expect(Math.abs(Date.now() - Date.parse(entry.origin.statement ?? ""))).toBeLessThan(60_000);
  });

  test("insert, delete with its cascade, and what a trigger adds, one by one", async () => {
    expect(
      await logged(() => other.query("INSERT INTO watched.post (id, name) VALUES (100, 'A'), (101, 'B')")),
    ).toEqual([
      "post 100 insert behind id=>100 name=>A touched=>0",
      "post 101 insert behind id=>101 name=>B touched=>0",
    ]);
    expect(
      (await logged(() => other.query("DELETE FROM watched.post WHERE id = 2")))
        .map((line) => line.split(" ").slice(0, 3).join(" "))
        .sort(),
    ).toEqual(["part 1 delete", "part 61 delete", "post 2 delete"]);
    expect(await logged(() => other.query("UPDATE watched.post SET name = 'touch it' WHERE id = 3"))).toEqual([
      "post 3 update behind touched=0>1",
      "post 3 update behind name=Post 3>touch it",
    ]);
    expect(await logged(() => other.query("UPDATE watched.post SET level = 9 WHERE id = 3"))).toEqual([
      "post 3 update behind level=3.00>9.00 seen=>2026-01-01 00:00:00+00",
    ]);
    expect(await findings()).toEqual([]);
  });

  test("a changed key, keys that are exchanged, and their cascades", async () => {
    expect(await logged(() => other.query("UPDATE watched.post SET id = 110 WHERE id = 100"))).toEqual([
      "post 100→110 update behind id=100>110",
    ]);
    await other.query(
      "CREATE TABLE watched.pair (id integer PRIMARY KEY, what text); INSERT INTO watched.pair SELECT n, 'pair ' || n FROM generate_series(1, 6) AS n",
    );
    await watchTable("watched.pair");
    const told = (lines: readonly string[]): string[] => lines.map((line) => line.split(" ").slice(0, 3).join(" "));
    const withoutKey = (sql: string): Promise<unknown> =>
      other.query(
        `BEGIN; ALTER TABLE watched.pair DROP CONSTRAINT pair_pkey; ${sql}; ALTER TABLE watched.pair ADD PRIMARY KEY (id); COMMIT`,
      );
    expect(told(await logged(() => withoutKey("UPDATE watched.pair SET id = 3 - id WHERE id < 3")))).toEqual([
      "pair 1 delete",
      "pair 2 delete",
      "pair 2 insert",
      "pair 1 insert",
    ]);
    expect(told(await logged(() => withoutKey("UPDATE watched.pair SET id = id + 1 WHERE id > 3")))).toEqual([
      "pair 4 delete",
      "pair 5 delete",
      "pair 6→7 update",
      "pair 5 insert",
      "pair 6 insert",
    ]);
    expect(await findings()).toEqual([]);
    await run(unwatchStatements({ schema: "watched", name: "pair" }));
    await other.query("DROP TABLE watched.pair");
  });

  test("an upsert, a MERGE, and a COPY", async () => {
    expect(
      await logged(() =>
        other.query(
          "INSERT INTO watched.post (id, name) VALUES (110, 'Upserted'), (112, 'New') ON CONFLICT (id) DO UPDATE SET name = excluded.name",
        ),
      ),
    ).toEqual(["post 110 update behind name=A>Upserted", "post 112 insert behind id=>112 name=>New touched=>0"]);
    const merged = await logged(() =>
      other.query(
        "MERGE INTO watched.post AS p USING (VALUES (110, 'Again'), (111, 'New')) AS g(id, name) ON p.id = g.id WHEN MATCHED THEN UPDATE SET name = g.name WHEN NOT MATCHED THEN INSERT (id, name) VALUES (g.id, g.name)",
      ),
    );
    expect(merged.sort()).toEqual([
      "post 110 update behind name=Upserted>Again",
      "post 111 insert behind id=>111 name=>New touched=>0",
    ]);
  });

  test("a statement that changes nothing, or is rolled back, leaves nothing", async () => {
    expect(await logged(() => other.query("UPDATE watched.post SET name = name"))).toEqual([]);
    expect(
      await logged(async () => {
        await other.query("BEGIN");
        await other.query("UPDATE watched.post SET name = 'never'");
        await other.query("ROLLBACK");
      }),
    ).toEqual([]);
  });

  test("a hidden column is told without its values", async () => {
    expect(await logged(() => other.query("UPDATE watched.post SET secret = 'other' WHERE id = 110"))).toEqual([
      "post 110 update behind secret=>hidden",
    ]);
  });

  test("TRUNCATE: each row's end", async () => {
    await other.query(
      "CREATE TABLE watched.slip (id integer PRIMARY KEY, what text); INSERT INTO watched.slip SELECT n, 'slip' FROM generate_series(1, 3) AS n",
    );
    await watchTable("watched.slip");
    expect(await logged(() => other.query("TRUNCATE watched.slip"))).toEqual([
      "slip 1 delete behind id=1> what=slip>",
      "slip 2 delete behind id=2> what=slip>",
      "slip 3 delete behind id=3> what=slip>",
    ]);
    expect(
      await trips.one("SELECT origin->>'truncate' AS truncate FROM quill_log.change ORDER BY id DESC LIMIT 1"),
    ).toEqual({ truncate: "true" });
    expect(await findings()).toEqual([]);
    await run(unwatchStatements({ schema: "watched", name: "slip" }));
    expect(await logged(() => other.query("INSERT INTO watched.slip VALUES (9)"))).toEqual([]);
    await other.query("DROP TABLE watched.slip");
  });
});

describe("what a page does", () => {
  const save = async (id: number, edits: Record<string, string>): Promise<void> => {
    const path = `/posts/${id}/edit`;
    const { recorded } = await trips.save(path, tamsin, await trips.open(path, tamsin), edits);
    expect(recorded?.outcome).toBe("saved");
  };

  test("is logged once, by the page, and what a trigger adds to it besides", async () => {
    expect(await logged(() => save(110, { name: "By a page" }))).toEqual(["post 110 update page name=Again>By a page"]);
    expect(await logged(() => save(110, { level: "4.5" }))).toEqual([
      "post 110 update page level=>4.50 seen=>2026-01-01 00:00:00+00",
    ]);
    expect(await logged(() => save(110, { secret: "new" }))).toEqual(["post 110 update page secret=>hidden"]);
    const touched = await logged(() => save(110, { name: "touch" }));
    expect(touched).toEqual(["post 110 update page name=By a page>touch", "post 110 update behind touched=0>1"]);
    const [page, behind] = (
      await trips.owner.query("SELECT request_id, origin FROM quill_log.change ORDER BY id DESC LIMIT 2")
    ).rows.toReversed();
    // The request leads from one to the other.
    expect(behind.request_id).toBe(page.request_id);
    expect(behind.origin).toMatchObject({ role: "quill_pages", actor: "tamsin", page: "post" });
  });

  test("new and deleted records as well", async () => {
    const form = await trips.open("/posts/new", tamsin);
    expect(await logged(() => trips.save("/posts/new", tamsin, form, { id: "300", name: "Made", level: "" }))).toEqual([
      "post 300 insert page id=>300 name=>Made touched=>0",
    ]);
    const asked = await trips.open("/posts/300/delete", tamsin);
    expect(await logged(() => trips.save("/posts/300/delete", tamsin, asked, {}))).toEqual([
      "post 300 delete page id=300> name=Made> touched=0>",
    ]);
    expect(await findings()).toEqual([]);
  });

  test("a setting alone does not keep a change out of the log", async () => {
    expect(
      await logged(async () => {
        await other.query("BEGIN");
        await other.query(
          "SET LOCAL quill.page = 'post'; SET LOCAL quill.actor = 'tamsin'; SET LOCAL quill_log.seen = '1,2,3'",
        );
        await other.query("UPDATE watched.post SET name = 'pretended' WHERE id = 110");
        await other.query("COMMIT");
      }),
    ).toEqual(["post 110 update behind name=touch>pretended"]);
  });

  test("an entry of a page's stands for one change only", async () => {
    const add = `SELECT quill_log.add_change('p', 'P', 'post', 'v', 'watched.post', '{"id":"110"}', 'update', '[{"field":"name","old":"pretended","new":"x"}]', gen_random_uuid(), NULL, NULL, NULL)`;
    expect(
      await logged(async () => {
        await other.query(
          `BEGIN; SET LOCAL quill.page = 'post'; ${add}; UPDATE watched.post SET name = 'x' WHERE id = 110`,
        );
        await other.query("UPDATE watched.post SET name = 'pretended' WHERE id = 110");
        await other.query("UPDATE watched.post SET name = 'x' WHERE id = 110; COMMIT");
      }),
    ).toEqual([
      "post 110 update page name=pretended>x",
      "post 110 update behind name=x>pretended",
      "post 110 update behind name=pretended>x",
    ]);
  });
});

test("the log leads from the rows at first to the rows now, under mixed traffic", async () => {
  const rowsNow = async (): Promise<Record<string, string>> => {
    const { rows } = await trips.owner.query<{ id: string; row: string }>(
      "SELECT id::text, json_build_array(name, level::text, touched::text)::text AS row FROM watched.post",
    );
    return Object.fromEntries(rows.map(({ id, row }) => [id, row]));
  };
  const first = await rowsNow();
  const last = (await trips.one<{ id: string }>("SELECT max(id)::text AS id FROM quill_log.change")).id;
  let seed = 7;
  const random = (below: number): number => {
    seed = (seed * 48_271) % 2_147_483_647;
    return seed % below;
  };
  const ids = Object.keys(first);
  let before: Promise<unknown> = Promise.resolve();
  /** One after the other, as on any connection, while pages save over others. */
  const behind = (text: string, values: unknown[]): Promise<unknown> => {
    before = before.then(() => other.query(text, values));
    return before;
  };
  const work = async (turn: number): Promise<void> => {
    const id = ids[random(ids.length)] ?? "1";
    const kind = random(6);
    if (kind === 0) await behind("UPDATE watched.post SET name = $2 WHERE id = $1", [id, `psql ${turn}`]);
    else if (kind === 1) await behind("UPDATE watched.post SET level = $2 WHERE id % 7 = $1", [random(7), random(100)]);
    else if (kind === 2) await behind("DELETE FROM watched.post WHERE id = $1", [id]);
    else if (kind === 3)
      await behind(
        "INSERT INTO watched.post (id, name) SELECT $1, $2 WHERE NOT EXISTS (SELECT FROM watched.post WHERE id = $1)",
        [id, `again ${turn}`],
      );
    else {
      const path = `/posts/${id}/edit`;
      const form = await trips.open(path, tamsin).catch(() => null);
      if (form) await trips.save(path, tamsin, form, { name: kind === 4 ? `page ${turn}` : `touch ${turn}` });
    }
  };
  for (let turn = 0; turn < 120; turn += 3) await Promise.all([work(turn), work(turn + 1), work(turn + 2)]);
  const { rows: entries } = await trips.owner.query<{
    key: string;
    operation: string;
    fields: { field: string; old: string | null; new: string | null }[];
    way: string;
  }>(
    "SELECT record_key->>'id' AS key, operation, fields, way FROM quill_log.change WHERE table_name = 'watched.post' AND id > $1 ORDER BY id",
    [last],
  );
  const state = new Map(Object.entries(first).map(([id, row]) => [id, JSON.parse(row) as (string | null)[]]));
  for (const { key, operation, fields } of entries) {
    if (operation === "delete") state.delete(key);
    else {
      const row = state.get(key) ?? [null, null, null];
      for (const { field, old, new: after } of fields) {
        const index = ["name", "level", "touched"].indexOf(field);
        if (index < 0) continue;
        expect(row[index]).toBe(old);
        row[index] = after;
      }
      state.set(key, row);
    }
  }
  const now = await rowsNow();
  expect(Object.fromEntries([...state].map(([id, row]) => [id, row]))).toEqual(
    Object.fromEntries(Object.entries(now).map(([id, row]) => [id, JSON.parse(row)])),
  );
  expect(new Set(entries.map(({ way }) => way))).toEqual(new Set(["page", "behind"]));
  expect(await findings()).toEqual([]);
});
