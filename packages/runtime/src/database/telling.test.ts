import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { type Database, DatabaseRefusal, type Row, type Statement } from "@loyal-quill/core";
import { pastPooler } from "@loyal-quill/testing";
import type pg from "pg";
import { connect, databaseOver } from "../index.js";
import { makeTrips, type Trips } from "../testing/trips.js";

let trips: Trips;
let pool: pg.Pool;
let database: Database;

/** One connection, straight to PostgreSQL: what is prepared on it is met again by the next statement. */
beforeAll(async () => {
  trips = await makeTrips();
  await trips.owner.query(`CREATE TABLE network.kept (id int PRIMARY KEY, level numeric, note text);
    INSERT INTO network.kept VALUES (1, 1.50, NULL), (2, 2.00, 'a note');
    GRANT SELECT, UPDATE ON network.kept TO quill_pages`);
  pool = connect(pastPooler(trips.pool.options.connectionString ?? ""), 1);
  database = databaseOver(pool);
});
afterAll(async () => {
  await pool.end();
  await trips.close();
});

const told = { actor: "u-1", page: "kept", request: "r-1" };
const asked = (text: string, values: readonly (string | null)[] = []): Statement => ({
  purpose: "load",
  text,
  values,
  told,
});

describe("a statement before which PostgreSQL is told who asks", () => {
  test("answers rows of text by the columns' names, asked for the first time and again", async () => {
    const one =
      "SELECT t.id, t.level, t.note AS \"the note\", current_setting('quill.actor') AS actor FROM network.kept AS t WHERE id = $1::int";
    const first = { id: "1", level: "1.50", "the note": null, actor: "u-1" };
    expect(await database.run(asked(one, ["1"]))).toEqual([first]);
    expect(await database.run(asked(one, ["2"]))).toEqual([
      { id: "2", level: "2.00", "the note": "a note", actor: "u-1" },
    ]);
    expect(await database.run(asked(one, ["3"]))).toEqual([]);
    expect(await database.run(asked(one, ["1"]))).toEqual([first]);
  });

  test("has as many rows as were found where it asks for no column, and none where it has no answer", async () => {
    for (let turn = 0; turn < 2; turn++) {
      expect(await database.run(asked("SELECT FROM network.kept"))).toEqual([{}, {}]);
      expect(await database.run(asked("UPDATE network.kept SET note = note WHERE id = 1"))).toEqual([]);
    }
  });

  test("is read by its own columns where its text does not decide them: a cursor's, a setting's", async () => {
    const parts = (query: string): Promise<readonly Row[]> =>
      database.transaction(async (inside) => {
        await inside.run(asked(`DECLARE part NO SCROLL CURSOR FOR ${query}`));
        return inside.run(asked("FETCH 1 FROM part"));
      });
    expect(await parts("SELECT t.id, t.level FROM network.kept AS t ORDER BY id")).toEqual([
      { id: "1", level: "1.50" },
    ]);
    expect(await parts("SELECT t.note AS remark, t.id FROM network.kept AS t ORDER BY id DESC")).toEqual([
      { remark: "a note", id: "2" },
    ]);
    expect(await database.run(asked("SHOW standard_conforming_strings"))).toEqual([
      { standard_conforming_strings: "on" },
    ]);
  });

  test("is prepared once its turn comes again, however many others came between: the oldest is given back", async () => {
    const names = async (): Promise<readonly string[]> =>
      (await database.run(asked("SELECT statement FROM pg_prepared_statements"))).map(
        ({ statement }) => statement ?? "",
      );
    for (let turn = 0; turn < 600; turn++)
      expect(await database.run(asked(`SELECT ${turn}::text AS turn`))).toEqual([{ turn: String(turn) }]);
    const kept = await names();
    expect(kept.length).toBeLessThanOrEqual(500);
    expect(kept).toContain("SELECT 599::text AS turn");
    expect(kept).not.toContain("SELECT 0::text AS turn");
    expect(await database.run(asked("SELECT 0::text AS turn"))).toEqual([{ turn: "0" }]);
    expect(await names()).toContain("SELECT 0::text AS turn");
  });

  test("is prepared anew where somebody has discarded what was", async () => {
    const one = asked("SELECT id FROM network.kept WHERE id = 1");
    expect(await database.run(one)).toEqual([{ id: "1" }]);
    await pool.query("DEALLOCATE ALL");
    await expect(database.run(one)).rejects.toMatchObject({ sqlState: "26000" });
    expect(await database.run(one)).toEqual([{ id: "1" }]);
  });

  test("is refused and not misread where its columns have become others since it was prepared", async () => {
    const all = "SELECT * FROM network.kept AS t WHERE id = 1";
    expect(await database.run(asked(all))).toEqual([{ id: "1", level: "1.50", note: null }]);
    await trips.owner.query("ALTER TABLE network.kept RENAME COLUMN note TO remark");
    const renamed = await database.run(asked(all)).catch((error: unknown) => error);
    expect(renamed).toMatchObject({ sqlState: "0A000" });
    expect(renamed).toBeInstanceOf(DatabaseRefusal);
    expect(await database.run(asked(all))).toEqual([{ id: "1", level: "1.50", remark: null }]);
    await trips.owner.query("ALTER TABLE network.kept RENAME COLUMN remark TO note");
  });

  test("goes on after one that was refused, on the same connection", async () => {
    const bad = asked("SELECT level / $1::numeric AS part FROM network.kept WHERE id = 2", ["0"]);
    await expect(database.run(bad)).rejects.toMatchObject({ sqlState: "22012" });
    expect(await database.run({ ...bad, values: ["4"] })).toEqual([{ part: "0.50000000000000000000" }]);
    await expect(database.run(asked("SELECT nothing FROM network.kept"))).rejects.toMatchObject({ sqlState: "42703" });
    expect(await database.run({ ...bad, values: ["1"] })).toEqual([{ part: "2.0000000000000000" }]);
  });
});
