import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import type { LogFinding } from "@loyal-quill/core";
import { connect, type VerifyOptions, type VerifyReport, verifyLog } from "@loyal-quill/runtime";
import { freshDatabase, type TestDatabase } from "@loyal-quill/testing";
import pg from "pg";
import { seal, verify } from "./log-verify.js";
import { watch } from "./log-watch.js";

let made: TestDatabase;
let pool: pg.Pool;
let owner: pg.PoolClient;
const quiet = (): void => {};

/** A change as a page makes it: the row and its entry are one statement, and PostgreSQL is told of the page. */
const byPage = (code: string, notes: string): string =>
  `BEGIN; SET LOCAL quill.page = 'station'; WITH before AS (SELECT * FROM network.station WHERE code = '${code}' FOR NO KEY UPDATE), after AS (
     UPDATE network.station AS t SET notes = '${notes}' FROM before WHERE t.code = before.code RETURNING before.notes AS old, t.notes AS new)
   SELECT quill_log.add_change('p1', 'Tamsin Vale', 'station', 'v1', 'network.station', '{"code":"${code}"}', 'update',
     jsonb_build_array(jsonb_build_object('field', 'notes', 'old', old, 'new', new)), gen_random_uuid(), NULL, NULL, NULL) FROM after; COMMIT`;

beforeAll(async () => {
  made = await freshDatabase();
  pool = connect(made.owner, 1);
  owner = await pool.connect();
  const database = made.owner;
  for (const table of ["network.station", "field.calibration", "network.sensor"])
    await watch(
      { database, table, key: [], hidden: table === "network.sensor" ? ["remarks"] : [], baseline: true },
      quiet,
    );
  const pages = new pg.Client(made.pages);
  await pages.connect();
  for (const round of [1, 2, 3])
    for (const code of ["MV-001", "MV-002", "MV-003"]) await pages.query(byPage(code, `round ${round}`));
  await pages.end();
  await owner.query("UPDATE network.station SET alert_m = alert_m + 0.01 WHERE code IN ('MV-004', 'MV-005')");
  await seal({ database, privateKey: undefined, to: [], secret: undefined }, quiet);
  for (const code of ["MV-001", "MV-006"]) await owner.query(byPage(code, "not sealed yet"));
  await owner.query("DELETE FROM field.calibration WHERE id = 2");
});
afterAll(async () => {
  owner.release();
  await pool.end();
  await made.drop();
});

/** Verifies within the transaction that is open, so that what was done in it is seen and goes with it. */
function verifyInside(options: VerifyOptions = {}): Promise<VerifyReport> {
  const inside = {
    query: (...given: unknown[]) => {
      const [first] = given;
      if (typeof first === "string" && /^(BEGIN|ROLLBACK)/.test(first)) return Promise.resolve();
      return (owner.query as (...all: unknown[]) => unknown)(...given);
    },
  };
  return verifyLog(inside as unknown as pg.ClientBase, options);
}

async function afterTampering(sql: string, options: VerifyOptions = {}): Promise<VerifyReport> {
  await owner.query("BEGIN");
  try {
    await owner.query(sql);
    return await verifyInside(options);
  } finally {
    await owner.query("ROLLBACK");
  }
}

const said = ({ findings }: VerifyReport): string[] => findings.map(({ kind, place }) => `${kind} ${place}`);
const number = async (sql: string): Promise<string> =>
  (await owner.query<{ number: string }>(`SELECT (${sql})::text AS number`)).rows[0]?.number ?? "";
const ofRecord = (code: string, back = 0): Promise<string> =>
  number(
    `SELECT id FROM quill_log.change WHERE table_name = 'network.station' AND record_key = '{"code":"${code}"}' ORDER BY id DESC OFFSET ${back} LIMIT 1`,
  );

test("a sound log gives nothing", async () => {
  const report = await verifyLog(owner);
  expect(report.findings).toEqual([]);
  expect(report.counts).toMatchObject({ seals: expect.any(Number), unsealed: 3, tables: 5, dropped: 0, erased: 0 });
  expect(report.counts.entries).toBeGreaterThan(1900);
  expect(report.counts.rows).toBeGreaterThan(100);
});

describe("what is tampered with is found, at its place", () => {
  test("1: a value in a sealed entry", async () => {
    const id = await ofRecord("MV-002", 1);
    const report = await afterTampering(
      `UPDATE quill_log.change SET fields = jsonb_set(fields, '{0,new}', '"forged"') WHERE id = ${id}`,
    );
    expect(said(report)).toEqual([`changed entry ${id}`, expect.stringMatching(/^root seal \d+$/)]);
  });

  test.each([
    ["actor_id", "'somebody'"],
    ["actor_name", "'Somebody Else'"],
    ["at", "at + interval '1 second'"],
    ["transaction", "'7'"],
    ["page", "'region'"],
    ["page_version", "'v2'"],
    ["table_name", "'network.river'"],
    ["record_key", `'{"code":"MV-099"}'`],
    ["new_key", `'{"code":"MV-099"}'`],
    ["operation", "'delete'"],
    ["request_id", "gen_random_uuid()"],
    ["reason", "'because'"],
    ["way", "'behind'"],
    ["origin", `'{"role":"x"}'`],
    ["undoes", "'{1}'"],
    ["salt", "sha256('x')"],
    ["previous_id", "1"],
    ["previous", "sha256('x')"],
    ["hash", "sha256('x')"],
  ])("2: what an entry says in %s", async (column, value) => {
    const id = await ofRecord("MV-003", 1);
    const report = await afterTampering(`UPDATE quill_log.change SET ${column} = ${value} WHERE id = ${id}`);
    expect(said(report)).toContain(`changed entry ${id}`);
  });

  test("3: a sealed entry taken out, the one after it chained anew", async () => {
    const [last, middle, first] = [await ofRecord("MV-002"), await ofRecord("MV-002", 1), await ofRecord("MV-002", 2)];
    const plain = await afterTampering(`DELETE FROM quill_log.change WHERE id = ${middle}`);
    expect(said(plain).sort()).toEqual([
      `missing entry ${middle}`,
      `order entry ${last}`,
      expect.stringMatching(/^root seal/),
    ]);
    const chained = await afterTampering(
      `DELETE FROM quill_log.change WHERE id = ${middle};
       UPDATE quill_log.change SET previous_id = ${first}, previous = (SELECT hash FROM quill_log.change WHERE id = ${first}) WHERE id = ${last}`,
    );
    expect(said(chained)).toEqual(expect.arrayContaining([`missing entry ${middle}`, `changed entry ${last}`]));
  });

  test("4: the last entry of a record taken out before it was sealed", async () => {
    const id = await ofRecord("MV-006");
    const report = await afterTampering(`DELETE FROM quill_log.change WHERE id = ${id}`);
    expect(said(report)).toContain(`missing entry ${id}`);
    const before = await ofRecord("MV-006", 1);
    const withHead = await afterTampering(
      `DELETE FROM quill_log.change WHERE id = ${id};
       UPDATE quill_log.head AS h SET (id, previous_id, previous, hash) = (SELECT id, previous_id, previous, hash FROM quill_log.change WHERE id = ${before}) WHERE h.id = ${id}`,
    );
    // Nothing of it is left in the log; the row still tells of it.
    expect(said(withHead)).toEqual(['row network.station {"code": "MV-006"}']);
  });

  test("5: an entry put in with a number and a time of before", async () => {
    const report = await afterTampering(
      `SELECT quill_log.append('2026-01-15T10:00:00Z', 'p9', 'Another One', 'station', 'v1', 'network.station', '{"code":"MV-007"}', 'update',
         '[{"field":"notes","old":"a","new":"b"}]', gen_random_uuid(), NULL, NULL, NULL, 'page', NULL);
       ALTER TABLE quill_log.change ALTER COLUMN id DROP IDENTITY; UPDATE quill_log.change SET id = 0 WHERE id = (SELECT max(id) FROM quill_log.change)`,
    );
    expect(said(report)).toEqual(expect.arrayContaining(["inserted entry 0"]));
  });

  test("6: an entry doubled in another partition", async () => {
    const id = await ofRecord("MV-003");
    const report = await afterTampering(
      `CREATE TEMP TABLE twin ON COMMIT DROP AS SELECT * FROM quill_log.change WHERE id = ${id};
       UPDATE twin SET at = at - interval '1 year';
       INSERT INTO quill_log.change OVERRIDING SYSTEM VALUE SELECT * FROM twin`,
    );
    expect(said(report)).toContain(`inserted entry ${id}`);
  });

  test("7: entries of a record exchanged", async () => {
    const [one, other] = [await ofRecord("MV-001", 2), await ofRecord("MV-001", 1)];
    const report = await afterTampering(
      `ALTER TABLE quill_log.change ALTER COLUMN id DROP IDENTITY; UPDATE quill_log.change SET id = -1 WHERE id = ${one}; UPDATE quill_log.change SET id = ${one} WHERE id = ${other};
       UPDATE quill_log.change SET id = ${other} WHERE id = -1`,
    );
    expect(said(report)).toEqual(expect.arrayContaining([`changed entry ${one}`, `order entry ${other}`]));
  });

  test("8: a seal changed, or chained to another one", async () => {
    const last = await number("SELECT max(number) FROM quill_log.seal");
    expect(
      said(await afterTampering(`UPDATE quill_log.seal SET at = at - interval '1 day' WHERE number = ${last}`)),
    ).toEqual([`seal seal ${last}`]);
    expect(said(await afterTampering(`UPDATE quill_log.seal SET root = sha256('x') WHERE number = ${last}`))).toEqual([
      `seal seal ${last}`,
      `root seal ${last}`,
    ]);
    expect(
      said(await afterTampering(`UPDATE quill_log.seal SET previous = sha256('x') WHERE number = ${last}`)),
    ).toEqual([`seal seal ${last}`, `seal seal ${last}`]);
  });

  test("9: a seal taken out: in the middle, and the last one, of which a copy was kept", async () => {
    const last = Number(await number("SELECT max(number) FROM quill_log.seal"));
    const middle = await afterTampering(`DELETE FROM quill_log.seal WHERE number = ${last - 1}`);
    expect(said(middle)).toContain(`seal-missing seal ${last - 1}`);
    const copies = (await owner.query("SELECT number::text, encode(hash, 'hex') AS hash FROM quill_log.seal")).rows;
    const end = await afterTampering(`DELETE FROM quill_log.seal WHERE number = ${last}`, { copies });
    expect(said(end)).toContain(`outside seal ${last}`);
  });

  test("10: entries and their seal forged together: every hash fits, the copy that was kept elsewhere does not", async () => {
    const last = await number("SELECT max(number) FROM quill_log.seal");
    const copies = (await owner.query("SELECT number::text, encode(hash, 'hex') AS hash FROM quill_log.seal")).rows;
    const report = await afterTampering(
      `UPDATE quill_log.seal SET detail = '{"x":1}' WHERE number = ${last};
       UPDATE quill_log.seal SET hash = sha256(convert_to(json_build_array(number::text, to_char(at AT TIME ZONE 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS.US"Z"'), kind, month, ids::text,
         encode(root, 'hex'), detail::text, encode(previous, 'hex'))::text, 'UTF8')) WHERE number = ${last}`,
      { copies },
    );
    expect(said(report)).toEqual([`outside seal ${last}`]);
  });

  test("11: values erased without a seal that says so", async () => {
    const id = await ofRecord("MV-003", 1);
    const report = await afterTampering(
      `UPDATE quill_log.change SET salt = overlay(overlay(salt PLACING decode(repeat('00', 16), 'hex') FROM 17) PLACING decode(repeat('00', 16), 'hex') FROM 33),
         fields = jsonb_build_array(jsonb_build_object('field', 'notes', 'old', NULL, 'new', NULL, 'erased', jsonb_build_object(
           'old', encode(sha256(substr(salt, 17, 16) || convert_to(fields->0->>'old', 'UTF8')), 'hex'),
           'new', encode(sha256(substr(salt, 33, 16) || convert_to(fields->0->>'new', 'UTF8')), 'hex'))))
       WHERE id = ${id}`,
    );
    expect(said(report)).toEqual([`erased entry ${id}`]);
  });

  test("12: a row changed, put in or taken out past its triggers", async () => {
    const past = async (sql: string): Promise<string[]> => {
      await owner.query("BEGIN");
      try {
        await owner.query(
          `ALTER TABLE network.station DISABLE TRIGGER USER; ${sql}; ALTER TABLE network.station ENABLE TRIGGER USER`,
        );
        return said(await verifyInside());
      } finally {
        await owner.query("ROLLBACK");
      }
    };
    expect(await past("UPDATE network.station SET notes = 'past it' WHERE code = 'MV-001'")).toEqual([
      'row network.station {"code": "MV-001"}',
    ]);
    // Of this row nothing was ever logged since watching began: the digest tells.
    expect(await past("UPDATE network.station SET notes = 'past it' WHERE code = 'MV-010'")).toEqual([
      'row network.station {"code": "MV-010"}',
    ]);
    expect(
      await past(`INSERT INTO network.station (code, name, river_id, region_id, grid_reference, alert_m, warning_m)
        VALUES ('MV-900', 'Put in', 1, 1, 'X 900', 1, 2)`),
    ).toEqual(['row network.station {"code": "MV-900"}']);
    await owner.query("BEGIN");
    await owner.query(
      "ALTER TABLE field.calibration DISABLE TRIGGER USER; DELETE FROM field.calibration WHERE id IN (3, 4)",
    );
    const gone = await verifyInside();
    await owner.query("ROLLBACK");
    expect(said(gone)).toEqual([
      "watch field.calibration",
      'row field.calibration {"id": "3"}',
      'row field.calibration {"id": "4"}',
    ]);
  });

  test("13: a trigger taken away, disabled, or its function replaced", async () => {
    const off = async (sql: string): Promise<LogFinding[]> => [...(await afterTampering(sql)).findings];
    expect(await off('DROP TRIGGER " quill update" ON network.station')).toMatchObject([
      { kind: "watch", place: "network.station", said: expect.stringContaining("a trigger is gone") },
    ]);
    expect(await off('ALTER TABLE network.station DISABLE TRIGGER " quill delete"')).toMatchObject([
      { said: expect.stringContaining("a trigger is disabled") },
    ]);
    const [found] = (
      await owner.query("SELECT 'watch_' || number AS name FROM quill_log.watched WHERE table_name = 'network.station'")
    ).rows;
    expect(
      await off(
        `CREATE OR REPLACE FUNCTION quill_log.${found.name}() RETURNS trigger LANGUAGE plpgsql AS 'BEGIN RETURN NULL; END'`,
      ),
    ).toMatchObject([
      { said: expect.stringContaining("function was changed") },
      { kind: "function", place: `quill_log.${found.name}`, said: "It is not what this version makes." },
    ]);
    expect(await off("ALTER TABLE network.station ADD COLUMN later text")).toMatchObject([
      { said: expect.stringContaining("not logged: later") },
    ]);
  });

  test("a table watched without a seal that says so", async () => {
    const report = await afterTampering(
      "INSERT INTO quill_log.watched OVERRIDING SYSTEM VALUE SELECT 'network.river', 99, '{id}', '{id,name,length_km}', '{}', now(), 0, false, ''",
    );
    expect(said(report)).toEqual(["watch network.river", "watch network.river", "function quill_log.watch_99"]);
  });

  test("14: a seal signed by another key", async () => {
    const { generateKeyPairSync } = await import("node:crypto");
    const [own, other] = [generateKeyPairSync("ed25519"), generateKeyPairSync("ed25519")];
    const pem = own.privateKey.export({ type: "pkcs8", format: "pem" }).toString();
    await owner.query(byPage("MV-008", "to be signed"));
    await seal({ database: made.owner, privateKey: pem, to: [], secret: undefined }, quiet);
    const publicKey = own.publicKey.export({ type: "spki", format: "pem" }).toString();
    expect((await verifyLog(owner, { publicKey })).findings).toEqual([]);
    const last = await number("SELECT max(number) FROM quill_log.seal");
    const foreign = other.publicKey.export({ type: "spki", format: "pem" }).toString();
    expect(said(await verifyLog(owner, { publicKey: foreign }))).toContain(`signature seal ${last}`);
  });
});

test("of a watched table, columns that look like secrets are logged without their values, unless one is shown", async () => {
  await owner.query(
    "CREATE TABLE office.login (id integer PRIMARY KEY, password text, api_key text); INSERT INTO office.login VALUES (1, 'old', 'k1'); GRANT SELECT ON office.login TO quill_pages",
  );
  const said: string[] = [];
  const table = "office.login";
  await watch({ database: made.owner, table, key: [], hidden: [], shown: ["api_key"], baseline: true }, (line) =>
    said.push(line),
  );
  expect(said[1]).toContain("Without values: password.");
  await owner.query("UPDATE office.login SET password = 'new', api_key = 'k2'");
  const { rows } = await owner.query("SELECT fields FROM quill_log.change WHERE table_name = 'office.login'");
  expect(rows[0].fields).toEqual([
    { field: "password", old: null, new: null, hidden: true },
    { field: "api_key", old: "k1", new: "k2" },
  ]);
  expect((await verifyLog(owner)).findings).toEqual([]);
});

describe("a part of the log", () => {
  test("a record's entries, and entries of a time", async () => {
    const id = await ofRecord("MV-001", 1);
    const record = { table: "network.station", key: { code: "MV-001" } };
    expect((await verifyLog(owner, { record })).counts.entries).toBeLessThan(60);
    const tampered = `UPDATE quill_log.change SET reason = 'x' WHERE id = ${id}`;
    expect(said(await afterTampering(tampered, { record }))).toEqual([`changed entry ${id}`]);
    const { day } = (
      await owner.query(`SELECT (at AT TIME ZONE 'UTC')::date::text AS day FROM quill_log.change WHERE id = ${id}`)
    ).rows[0] as { day: string };
    expect(said(await afterTampering(tampered, { from: day }))).toContain(`changed entry ${id}`);
    expect(said(await afterTampering(tampered, { to: "2020-01-01" }))).toEqual([]);
  });

  test("the command says what was found, and its exit code tells", async () => {
    const lines: string[] = [];
    const told = {
      database: made.reader,
      table: undefined,
      key: {},
      publicKey: undefined,
      seals: [],
      json: false,
    };
    // Whoever reads the log need not be able to read the tables: that is said.
    expect(await verify(told, (line) => lines.push(line))).toBe(1);
    expect(lines.join("\n")).toContain("may not read its rows");
    expect(await verify({ ...told, database: made.pages, json: true }, (line) => lines.push(line))).toBe(0);
    expect(JSON.parse(lines.at(-1) ?? "")).toMatchObject({ found: 0, findings: [] });
    await expect(verify({ ...told, table: "network.station" }, quiet)).rejects.toThrow("A record is named by");
    for (const [table, key, named] of [
      ["network.station", { code: "MV-999" }, "network.station with code=MV-999"],
      ["network.statoin", { code: "MV-001" }, "network.statoin with code=MV-001"],
    ] as const)
      await expect(verify({ ...told, table, key }, quiet)).rejects.toThrow(
        `The log has no entry of ${named}, so nothing was verified.`,
      );
    await expect(verify({ ...told, from: "soon" }, quiet)).rejects.toThrow("soon is no moment");
  });
});
