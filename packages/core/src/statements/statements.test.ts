import { describe, expect, test } from "@jest/globals";
import { monthPartition } from "../log/partitions.js";
import { quoted } from "../postgres/statement.js";
import { columnOf } from "../table/model.js";
import { factsOf, hollis, pageOf, sensorPage, stationFile, stationPage } from "../testing/marrow-vale.js";
import { createStatement, isConstant } from "./create.js";
import { listStatement, stretchesOf } from "./list.js";
import { loadStatement } from "./load.js";
import { removeStatement } from "./remove.js";
import { saveStatement } from "./save.js";

const note = { actor: hollis, page: "station", pageVersion: "v1", requestId: "6f0e8f5e-0d3b-4b53-9d5c-3f6d6f2d3c11" };

describe("statements", () => {
  test("an identifier is always quoted, its quotes doubled", () => {
    expect(quoted('Loan"No')).toBe('"Loan""No"');
    expect(quoted("select")).toBe('"select"');
  });

  test("a record is loaded by its key, under the page's condition", () => {
    const { text, values } = loadStatement({ page: sensorPage, key: ["MV-014", "2"], facts: factsOf() });
    expect(
      text,
    ).toBe(`SELECT t."station_code"::text AS "station_code", t."channel"::text AS "channel", t."offset_m"::text AS "offset_m", t."calibrated_at"::text AS "calibrated_at", t."settings"::text AS "settings", t.xmin::text AS "quill:version"
FROM "network"."sensor" AS t
WHERE t."station_code" = $1::text AND t."channel" = $2::smallint`);
    expect(values).toEqual(["MV-014", "2"]);
    expect(loadStatement({ page: stationPage, key: ["MV-014"], facts: factsOf() }).text).toMatch(
      /WHERE t."code" = \$1::text AND \(t."region_id" = \$2::bigint\)$/,
    );
  });

  const start = { withValue: true, backward: false, beyond: null };
  const { sort } = stationPage.list;

  test("a search stands for itself, its wildcards too", () => {
    const { text, values } = listStatement(
      { page: stationPage, facts: factsOf() },
      { search: "50%_\\", filters: [], sort },
      start,
    );
    expect(values).toContain("%50\\%\\_\\\\%");
    expect(text).toMatch(/ORDER BY t."code"\nLIMIT 51$/);
  });

  test("every word of a search must occur in what a list shows, in whichever column", () => {
    const question = { search: " MV-014  2 ", filters: [], sort: sensorPage.list.sort };
    const { text, values } = listStatement({ page: sensorPage, facts: factsOf() }, question, start);
    expect(values.slice(0, 3)).toEqual(["Europe/London", "%MV-014%", "%2%"]);
    const calibrated = '(t."calibrated_at"::text::timestamptz AT TIME ZONE $1::text)::text';
    expect(text).toContain(`${calibrated} ILIKE $2::text`);
    expect(text).toContain(`${calibrated} ILIKE $3::text`);
  });

  test("a search looks into the columns that the page names, shown or not", () => {
    const page = pageOf(
      stationFile.replace("fields:", "list: { columns: [code, name], search: [name, notes] }\nfields:"),
    );
    const { text } = listStatement({ page: page, facts: factsOf() }, { search: "weir", filters: [], sort }, start);
    expect(text).toContain('(t."name"::text ILIKE $2::text OR t."notes"::text ILIKE $2::text)');
  });

  test("a part of a list begins beyond a row of the one before, never by counting rows", () => {
    const question = { search: "", filters: [], sort: { column: sort.column, down: true } };
    const after = { withValue: true, backward: false, beyond: ["MV-014"] };
    const { text, values } = listStatement({ page: stationPage, facts: factsOf() }, question, after);
    expect(text).toContain('(t."code") < ($3::text)\nORDER BY t."code" DESC\nLIMIT 51');
    expect(values).toEqual(["2", "retired", "MV-014"]);
    const before = listStatement({ page: stationPage, facts: factsOf() }, question, { ...after, backward: true });
    expect(before.text).toContain('(t."code") > ($3::text)\nORDER BY t."code"\nLIMIT 51');
    expect(before.text).not.toContain("OFFSET");
  });

  test("rows without a value to be sorted by are a stretch of their own, in the order of their keys", () => {
    const column = columnOf(stationPage.table, "installed_on");
    if (!column) throw new Error("no column");
    const by = (down: boolean) => ({ search: "", filters: [], sort: { column, down } });
    expect(stretchesOf(by(false).sort, false)).toEqual([true, false]);
    expect(stretchesOf(by(false).sort, true)).toEqual([false, true]);
    expect(stretchesOf(by(true).sort, false)).toEqual([false, true]);
    const values = { withValue: true, backward: false, beyond: ["2020-01-01", "MV-014"] };
    const valued = listStatement({ page: stationPage, facts: factsOf() }, by(false), values).text;
    expect(valued).toContain(
      't."installed_on" IS NOT NULL AND (t."installed_on", t."code") > ($3::date, $4::text)\nORDER BY t."installed_on", t."code"',
    );
    const none = listStatement({ page: stationPage, facts: factsOf() }, by(false), {
      withValue: false,
      backward: false,
      beyond: [null, "MV-014"],
    }).text;
    expect(none).toContain('t."installed_on" IS NULL AND (t."code") > ($3::text)\nORDER BY t."code"');
  });

  test("a save locks, writes and logs in one statement", () => {
    const column = columnOf(stationPage.table, "warning_m");
    if (!column) throw new Error("no column");
    const { text, values } = saveStatement(
      { page: stationPage, key: ["MV-014"], facts: factsOf() },
      { by: "version", version: "733" },
      [{ column, value: "3.73" }],
      note,
    );
    expect(text.split('"after" AS')[0]).toBe(`WITH "before" AS (
  SELECT t.*
  FROM "network"."station" AS t
  WHERE t."code" = $1::text
    AND t.xmin::text = $2::text
    AND (t."region_id" = $3::bigint)
    AND (t."status" <> $4::network.station_status)
  FOR NO KEY UPDATE
), `);
    expect(text).toContain(`UPDATE "network"."station" AS t
  SET "warning_m" = $5::numeric
  FROM "before"
  WHERE t."code" = $1::text
    AND t."code" = "before"."code"
    AND ("before"."warning_m"::text IS DISTINCT FROM $5::numeric::numeric(5,2)::text)`);
    expect(values).toEqual([
      "MV-014",
      "733",
      "2",
      "retired",
      "3.73",
      "hollis",
      "Hollis Brandt",
      "station",
      "v1",
      "network.station",
      note.requestId,
      null,
      "2",
    ]);
    expect(text).toContain(`((t."region_id" = $13::bigint)) IS TRUE AS "remains"`);
    expect(text).toContain(`CASE WHEN NOT w."remains" THEN concat('quill:leaves-rows ', w."remains")::integer END`);
  });

  test("the text of a save is written once for the same columns, whoever saves what", () => {
    const columns = ["warning_m", "notes"].map((name) => columnOf(stationPage.table, name));
    const save = (key: string, value: string, ...at: number[]) => {
      const assignments = at.flatMap((index) => (columns[index] ? [{ column: columns[index], value }] : []));
      return saveStatement(
        { page: stationPage, key: [key], facts: factsOf() },
        { by: "version", version: key },
        assignments,
        note,
      );
    };
    const first = save("MV-014", "3.73", 0);
    const second = save("MV-001", "1.20", 0);
    expect(second.text).toBe(first.text);
    expect(second.values.slice(0, 5)).toEqual(["MV-001", "MV-001", "2", "retired", "1.20"]);
    expect(save("MV-014", "x", 1).text).not.toBe(first.text);
    expect(save("MV-014", "x", 0, 1).text).toContain('SET "warning_m" = $5::numeric, "notes" = $6::text');
  });

  test("no value of a form is ever part of a statement's text", () => {
    const column = columnOf(stationPage.table, "notes");
    if (!column) throw new Error("no column");
    const evil = "x'; DROP TABLE network.station; --";
    const { text, values } = saveStatement(
      { page: stationPage, key: [evil], facts: factsOf() },
      { by: "version", version: evil },
      [{ column, value: evil }],
      {
        ...note,
        page: evil,
      },
    );
    expect(text).not.toContain("DROP");
    expect(values.filter((value) => value === evil)).toHaveLength(4);
  });

  test("a month's partition ends where the next begins", () => {
    expect(monthPartition(2026, 12).text).toContain(
      "ATTACH PARTITION quill_log.change_2026_12 FOR VALUES FROM ('2026-12-01 00:00:00+00') TO ('2027-01-01 00:00:00+00')",
    );
  });

  test("a new record is inserted once, under the page's condition, and logged in one statement", () => {
    const column = columnOf(stationPage.table, "code");
    if (!column) throw new Error("no column");
    const { text, values } = createStatement(
      { page: stationPage, facts: factsOf() },
      [{ column, value: "MV-099" }],
      note,
      "11111111-1111-4111-8111-111111111111",
    );
    expect(text.slice(0, text.indexOf("RETURNING"))).toBe(`WITH "after" AS (
  INSERT INTO "network"."station" AS t ("code")
  VALUES ($1::text)
  `);
    expect(text).toContain(`"once" AS (
  INSERT INTO "quill_log"."submission" ("id", "request_id")
  SELECT $2::uuid, $3::uuid FROM "after"
), "entry" AS (`);
    expect(values.slice(0, 3)).toEqual(["MV-099", "11111111-1111-4111-8111-111111111111", note.requestId]);
    expect(values.at(-1)).toBe("2");
    expect(text).toContain(`((t."region_id" = $11::bigint)) IS TRUE AS "remains"`);
  });

  test("a deletion locks by key, version and conditions, deletes that row, and logs what it held", () => {
    const { text, values } = removeStatement({ page: stationPage, key: ["MV-014"], facts: factsOf() }, "733", note);
    expect(text).toContain(`FROM "network"."station" AS t
  WHERE t."code" = $1::text
    AND t.xmin::text = $2::text
    AND (t."region_id" = $3::bigint)
    AND (t."status" <> $4::network.station_status)
  FOR UPDATE
), "gone" AS (
  DELETE FROM "network"."station" AS t
  USING "before"
  WHERE t."code" = $1::text
    AND t."code" = "before"."code"
  RETURNING `);
    expect(values.slice(0, 4)).toEqual(["MV-014", "733", "2", "retired"]);
  });

  test("constants and today are shown before a record is made; what is the next of a sequence is not", () => {
    expect(
      ["0", "'planned'::network.station_status", "'{}'::jsonb", "false", "CURRENT_DATE", "(-1)"].map(isConstant),
    ).not.toContain(false);
    expect(
      ["nextval('a_seq'::regclass)", "now()", "gen_random_uuid()", "lower('A'::text)", "'a'::text || 'b'::text"].map(
        isConstant,
      ),
    ).not.toContain(true);
  });
});
