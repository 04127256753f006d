import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { freshDatabase, type TestDatabase } from "@loyal-quill/testing";
import pg from "pg";
import { lastMonday, makeVale, playHistory, storyStation } from "./index.js";

const end = lastMonday(new Date("2026-09-01T12:00:00Z"));

let made: TestDatabase;
let client: pg.Client;
beforeAll(async () => {
  made = await freshDatabase();
  client = new pg.Client(made.owner);
  await client.connect();
});
afterAll(async () => {
  await client.end();
  await made.drop();
});

const count = async (table: string): Promise<number> =>
  Number((await client.query<{ count: string }>(`SELECT count(*) FROM ${table}`)).rows[0]?.count);

describe("the demo of Marrow Vale", () => {
  test("is the same every time", () => {
    const [a, b] = [makeVale(end), makeVale(end)];
    expect(playHistory(a, end)).toEqual(playHistory(b, end));
    expect(a).toEqual(b);
  });

  test.each([
    ["network.station", 48, 48],
    ["network.river", 12, 12],
    ["network.region", 4, 4],
    ["network.sensor", 130, 150],
    ["office.bulletin", 60, 60],
    ["office.person", 14, 14],
    ["field.visit", 400, 400],
    ["field.calibration", 80, 150],
    ["field.reading_note", 0, 0],
    ['legacy."InstrumentLoan"', 30, 30],
    ["quill_log.change", 1800, 2100],
  ])("%s has %d to %d rows", async (table, least, most) => {
    const rows = await count(table);
    expect(rows).toBeGreaterThanOrEqual(least);
    expect(rows).toBeLessThanOrEqual(most);
  });

  test("the log replayed backwards from the tables fits at every entry", async () => {
    const vale = makeVale(end);
    const changes = playHistory(vale, end);
    const tables = {
      "network.station": vale.station,
      "network.sensor": vale.sensor,
      "office.bulletin": vale.bulletin,
      "field.visit": vale.visit,
    };
    for (const change of changes.toReversed()) {
      const row = tables[change.table as keyof typeof tables].find((each) =>
        Object.entries(change.key).every(([name, value]) => each[name] === value),
      );
      for (const field of change.fields) {
        expect(row?.[field.field]).toBe(field.new);
        if (row) row[field.field] = field.old;
      }
    }
    expect(vale.station).toEqual(makeVale(end).station);
  });

  test("what the log says was stored last is what the database holds, in its own text form", async () => {
    const { rows } = await client.query<{ wrong: string }>(`
      WITH last AS (
        SELECT DISTINCT ON (record_key, f ->> 'field') record_key ->> 'code' AS code, f ->> 'field' AS field, f ->> 'new' AS value
        FROM quill_log.change, jsonb_array_elements(fields) AS f
        WHERE table_name = 'network.station' ORDER BY record_key, f ->> 'field', id DESC)
      SELECT count(*) FILTER (WHERE to_jsonb(s) ->> field IS DISTINCT FROM value AND (to_jsonb(s) ->> field)::numeric IS DISTINCT FROM value::numeric) AS wrong
      FROM last JOIN network.station AS s USING (code) WHERE field IN ('warning_m')`);
    expect(rows[0]?.wrong).toBe("0");
  });

  test("the story: in week 19 a level jumps by ten metres, two days later it is put back by somebody else", async () => {
    const { rows } = await client.query<{
      at: Date;
      actor_name: string;
      fields: { field: string; old: string; new: string }[];
      reason: string | null;
    }>(
      'SELECT at, actor_name, fields, reason FROM quill_log.change WHERE record_key = $1 AND fields @> \'[{"field":"warning_m"}]\' ORDER BY id',
      [{ code: storyStation }],
    );
    const slip = rows.findIndex((row) => row.fields.some((field) => Number(field.new) - Number(field.old) === 10));
    const [raised, repaired] = rows.slice(slip);
    const level = (row: typeof raised) => row?.fields.find((field) => field.field === "warning_m");
    expect(level(repaired)).toEqual({ field: "warning_m", old: level(raised)?.new, new: level(raised)?.old });
    const week = Math.floor(((raised?.at.getTime() ?? 0) - (end - 26 * 7 * 86_400_000)) / (7 * 86_400_000)) + 1;
    expect(week).toBe(19);
    expect(Math.round(((repaired?.at.getTime() ?? 0) - (raised?.at.getTime() ?? 0)) / 86_400_000)).toBe(2);
    expect(repaired?.actor_name).not.toBe(raised?.actor_name);
    expect(repaired?.reason).toContain("ten metres too high");
  });
});
