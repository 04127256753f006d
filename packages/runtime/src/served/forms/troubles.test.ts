import { afterAll, afterEach, beforeAll, describe, expect, test } from "@jest/globals";
import { type Database, DatabaseRefusal, type Statement } from "@loyal-quill/core";
import { bodyOf, formOf } from "@loyal-quill/testing";
import { connect, databaseOver } from "../../index.js";
import { hollis, makeTrips, type Trips } from "../../testing/trips.js";

/** A table that refuses in every way that PostgreSQL has. */
const sql = [
  "CREATE EXTENSION IF NOT EXISTS btree_gist",
  "CREATE SCHEMA proof",
  `CREATE TABLE proof.booking (
    id integer PRIMARY KEY,
    gauge text NOT NULL,
    days daterange NOT NULL,
    remark text,
    CONSTRAINT booking_days EXCLUDE USING gist (gauge WITH =, days WITH &&)
  )`,
  "INSERT INTO proof.booking VALUES (1, 'MV-001', '[2026-01-01,2026-01-10)', NULL), (2, 'MV-001', '[2026-02-01,2026-02-10)', NULL)",
  `CREATE FUNCTION proof.judge() RETURNS trigger LANGUAGE plpgsql AS $$
  BEGIN
    IF NEW.remark = 'raise' THEN RAISE EXCEPTION 'The gauge is not ready.'; END IF;
    IF NEW.remark = 'sleep' THEN PERFORM pg_sleep(3); END IF;
    IF NEW.remark = 'full' THEN RAISE EXCEPTION 'could not extend file' USING ERRCODE = '53100'; END IF;
    IF NEW.remark = 'keep' THEN NEW := OLD; END IF;
    IF NEW.remark = 'stamp' THEN NEW.gauge := 'stamped'; END IF;
    RETURN NEW;
  END $$`,
  "ALTER TABLE proof.booking ADD COLUMN river_id integer REFERENCES network.river",
  "CREATE TRIGGER judge BEFORE UPDATE ON proof.booking FOR EACH ROW EXECUTE FUNCTION proof.judge()",
  "CREATE TABLE proof.notice (id integer PRIMARY KEY, text text NOT NULL, open boolean NOT NULL)",
  "INSERT INTO proof.notice VALUES (1, 'High water', true), (2, 'Low water', false)",
  "ALTER TABLE proof.notice ENABLE ROW LEVEL SECURITY",
  "CREATE POLICY reading ON proof.notice FOR SELECT USING (true)",
  "CREATE POLICY writing ON proof.notice FOR UPDATE USING (open) WITH CHECK (text <> 'Flood')",
  "GRANT USAGE ON SCHEMA proof TO quill_pages",
  "GRANT SELECT, UPDATE ON proof.booking, proof.notice TO quill_pages",
];
const page = `format: loyal-quill/page@1
title: "Booking {id}"
path: /bookings/{id}
record: { table: proof.booking, key: id }
fields: [id, gauge, days, remark, river_id]
`;
const noticePage = `format: loyal-quill/page@1
title: "Notice {id}"
path: /notices/{id}
record: { table: proof.notice, key: id }
fields: [text]
`;
const address = "/bookings/2/edit";

let trips: Trips;
beforeAll(async () => {
  trips = await makeTrips({ sql, files: { booking: page, notice: noticePage } });
});
afterAll(() => trips.close());
afterEach(async () => {
  await trips.owner.query(
    "UPDATE proof.booking SET gauge = 'MV-001', days = '[2026-02-01,2026-02-10)', remark = NULL WHERE id = 2",
  );
});

const stored = () => trips.one("SELECT gauge, days::text, remark FROM proof.booking WHERE id = 2");
const unchanged = { gauge: "MV-001", days: "[2026-02-01,2026-02-10)", remark: null };
const attempt = async (edits: Record<string, string>, over?: Database) => {
  const form = await trips.open(address, hollis);
  return trips.send("POST", address, hollis, bodyOf(form, edits), over);
};

/** The trips' own database, but the first saves are refused with a SQLSTATE. */
function refusing(sqlState: string, times: number): Database & { saves: () => number } {
  const real = trips.database;
  let saves = 0;
  return {
    saves: () => saves,
    transaction: (run) => real.transaction(run),
    run: (statement: Statement) => {
      if (statement.purpose !== "save") return real.run(statement);
      saves += 1;
      return saves <= times
        ? Promise.reject(new DatabaseRefusal(sqlState, "refused for the test"))
        : real.run(statement);
    },
  };
}

describe("what the database refuses", () => {
  test("by an exclusion constraint stands at its field", async () => {
    const { response } = await attempt({ days: "[2026-01-05,2026-01-06)", remark: "typed" });
    expect(response.status).toBe(422);
    expect(response.body).toContain("Days overlaps with another record.");
    expect(formOf(response.body).get("remark")).toBe("typed");
    expect(await stored()).toEqual(unchanged);
  });

  test("by a trigger that raises is said above the form, with what was typed still there", async () => {
    const { response } = await attempt({ remark: "raise" });
    expect(response.status).toBe(422);
    expect(response.body).toContain("The database refuses this: The gauge is not ready.");
    expect(formOf(response.body).get("remark")).toBe("raise");
    expect(await stored()).toEqual(unchanged);
  });

  test("what a trigger changes along the way is in the log too", async () => {
    expect((await attempt({ remark: "stamp" })).recorded?.outcome).toBe("saved");
    const { fields } = await trips.one<{ fields: unknown }>(
      "SELECT fields FROM quill_log.change ORDER BY id DESC LIMIT 1",
    );
    expect(fields).toEqual([
      { field: "gauge", old: "MV-001", new: "stamped" },
      { field: "remark", old: null, new: "stamp" },
    ]);
  });

  test("what a trigger puts back is told as what it is, no change, and not logged", async () => {
    const count = "SELECT count(*) FROM quill_log.change";
    const before = await trips.one(count);
    expect((await attempt({ remark: "keep" })).recorded?.outcome).toBe("unchanged");
    expect(await stored()).toEqual(unchanged);
    expect(await trips.one(count)).toEqual(before);
  });

  test("by row level security is told apart from a record that was changed meanwhile", async () => {
    const readable = await trips.open("/notices/2/edit", hollis);
    const refused = await trips.save("/notices/2/edit", hollis, readable, { text: "Lower water" });
    expect(refused.response.status).toBe(422);
    expect(refused.response.body).toContain("The database lets you read this record, not change it");
    expect(formOf(refused.response.body).get("text")).toBe("Lower water");
    const writable = await trips.open("/notices/1/edit", hollis);
    const checked = await trips.save("/notices/1/edit", hollis, writable, { text: "Flood" });
    expect(checked.response.status).toBe(422);
    const saved = await trips.save("/notices/1/edit", hollis, writable, { text: "Higher water" });
    expect(saved.recorded?.outcome).toBe("saved");
    expect(await trips.one("SELECT array_agg(text ORDER BY id) AS texts FROM proof.notice")).toEqual({
      texts: ["Higher water", "Low water"],
    });
  });

  test.each(["40001", "40P01"])("a %s is tried again, and saved once", async (sqlState) => {
    const before = await trips.one<{ count: string }>("SELECT count(*) FROM quill_log.change");
    const database = refusing(sqlState, 2);
    expect((await attempt({ remark: "again" }, database)).recorded?.outcome).toBe("saved");
    expect(database.saves()).toBe(3);
    const after = await trips.one<{ count: string }>("SELECT count(*) FROM quill_log.change");
    expect(Number(after.count)).toBe(Number(before.count) + 1);
  });

  test.each([
    ["40001", "Too many people save at once.", 3],
    ["57014", "The database took too long.", 1],
    ["25006", "The database takes no changes just now.", 1],
    ["53100", "The disk of the database is full", 1],
    ["53300", "The database has no memory or no connection free.", 1],
    ["58030", "The database reports a fault of its own.", 1],
    ["42501", "This page does not fit its table any more", 1],
  ])(
    "a %s that stays is said above the form: 503, what was typed still there, nothing saved",
    async (sqlState, said, sends) => {
      const database = refusing(sqlState, 99);
      const { response, recorded } = await attempt({ remark: "patience" }, database);
      expect([response.status, recorded?.outcome, database.saves()]).toEqual([503, "failed", sends]);
      expect(response.body).toContain(said);
      expect(recorded?.steps.map(({ stopped }) => stopped).join()).toContain(`${sqlState} refused for the test`);
      expect(formOf(response.body).get("remark")).toBe("patience");
      expect(await stored()).toEqual(unchanged);
    },
  );

  test("a statement that runs too long is given up", async () => {
    const hasty = connect(trips.pool.options.connectionString ?? "", 2);
    const { response } = await attempt({ remark: "sleep" }, databaseOver(hasty, { statement: 300 }));
    await hasty.end();
    expect(response.status).toBe(503);
    expect(response.body).toContain("The database took too long.");
    expect(await stored()).toEqual(unchanged);
  });

  test("a connection that is lost in the middle leaves nothing half saved", async () => {
    const saving = attempt({ remark: "sleep" });
    for (let turn = 0; turn < 1200; turn++) {
      // A role may end its own connections: those to this database, since others have tests of their own.
      const { rowCount } = await trips.pool.query(
        "SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE usename = 'quill_pages' AND datname = current_database() AND wait_event = 'PgSleep'",
      );
      if (rowCount) break;
      await new Promise((resolve) => setTimeout(resolve, 50));
    }
    const { response } = await saving;
    expect(response.status).toBe(503);
    expect(formOf(response.body).get("remark")).toBe("sleep");
    expect(await stored()).toEqual(unchanged);
  });

  test("a database that is away is said with what was typed, made of the submission alone", async () => {
    const away = connect("postgresql://nobody:x@127.0.0.1:1/none");
    const { response } = await attempt({ remark: "an hour of work" }, databaseOver(away));
    const opened = await trips.send("GET", address, hollis, null, databaseOver(away));
    await away.end();
    expect([response.status, opened.response.status]).toEqual([503, 503]);
    expect(formOf(response.body).get("remark")).toBe("an hour of work");
    expect(formOf(response.body).get("gauge")).toBe("MV-001");
    // Nobody knows what is stored.
    expect(response.body).not.toContain("quill-replaced");
    expect(response.body).not.toContain("quill-fixed");
  });

  test("a full disk is told as such also where a trigger meets it", async () => {
    const { response } = await attempt({ remark: "full" });
    expect(response.status).toBe(503);
    expect(response.body).toContain("The disk of the database is full, so nothing can be saved.");
    expect(await stored()).toEqual(unchanged);
  });

  test.each([
    ["ALTER TABLE quill_log.change RENAME TO gone", "ALTER TABLE quill_log.gone RENAME TO change", "can’t be written"],
    ["ALTER SCHEMA quill_log RENAME TO elsewhere", "ALTER SCHEMA elsewhere RENAME TO quill_log", "is missing"],
    [
      "REVOKE USAGE ON SCHEMA quill_log FROM quill_pages",
      "GRANT USAGE ON SCHEMA quill_log TO quill_pages",
      "can’t be written",
    ],
  ])("a change log that can't be written is told as such: %s", async (take, back, how) => {
    const form = await trips.open(address, hollis);
    await trips.owner.query(take);
    const { response, recorded } = await trips.save(address, hollis, form, { remark: "unlogged" });
    await trips.owner.query(back);
    expect([response.status, recorded?.outcome]).toEqual([503, "failed"]);
    expect(response.body).toContain(`The change log ${how}, and nothing is saved without it.`);
    expect(recorded?.steps.map(({ stopped }) => stopped).join()).toMatch(/42P01|3F000|42501|42883/);
    expect(await stored()).toEqual(unchanged);
    expect((await trips.save(address, hollis, form, { remark: "logged" })).recorded?.outcome).toBe("saved");
  });

  test("a CHECK that was added under an open form is told with what it asks for", async () => {
    const form = await trips.open(address, hollis);
    await trips.owner.query(
      "ALTER TABLE proof.booking ADD CONSTRAINT short CHECK (length(remark) < 5 AND gauge <> remark)",
    );
    const { response } = await trips.save(address, hollis, form, { remark: "far too long" });
    await trips.owner.query("ALTER TABLE proof.booking DROP CONSTRAINT short");
    expect(response.status).toBe(422);
    expect(response.body.replaceAll("&lt;", "<").replaceAll("&gt;", ">")).toContain(
      "The table refuses this (short): CHECK (((length(remark) < 5) AND (gauge <> remark))).",
    );
  });

  test("what a page without a form says names the fault, and not another one", async () => {
    const slow = connect(trips.pool.options.connectionString ?? "", 2);
    await trips.owner.query("BEGIN");
    await trips.owner.query("LOCK TABLE proof.booking IN ACCESS EXCLUSIVE MODE");
    const { response, recorded } = await trips.send(
      "GET",
      "/bookings",
      hollis,
      null,
      databaseOver(slow, { statement: 300 }),
    );
    await trips.owner.query("ROLLBACK");
    await slow.end();
    expect(response.status).toBe(503);
    expect(response.body).toContain("The database took too long.");
    expect(response.body).not.toContain("can't be reached");
    expect(recorded?.steps.map(({ stopped }) => stopped).join()).toContain("57014");
  });

  test("a record that was deleted meanwhile says so and shows what was typed, by the label of what was chosen", async () => {
    await trips.owner.query("INSERT INTO proof.booking VALUES (3, 'MV-003', '[2026-03-01,2026-03-02)', NULL)");
    const form = await trips.open("/bookings/3/edit", hollis);
    await trips.owner.query("DELETE FROM proof.booking WHERE id = 3");
    const edits = { remark: "not to be lost", river_id: "3" };
    const { response } = await trips.save("/bookings/3/edit", hollis, form, edits);
    expect(response.status).toBe(404);
    expect(response.body).toContain("This record is no longer there");
    // What nobody touched, and what is empty, was not typed.
    const typed = [...response.body.matchAll(/<dt>(.*?)<\/dt><dd>(.*?)<\/dd>/g)].map(
      ([, name, text]) => `${name}: ${text}`,
    );
    expect(typed).toEqual(["Remark: not to be lost", "River: Sallow"]);
    const odd = await trips.save("/bookings/3/edit", hollis, form, { river_id: "none of its type" });
    expect([odd.response.status, odd.response.body.includes("<dd>none of its type</dd>")]).toEqual([404, true]);
  });

  test("a column that was dropped since the page was read is refused clearly", async () => {
    const form = await trips.open(address, hollis);
    await trips.owner.query("ALTER TABLE proof.booking RENAME COLUMN remark TO remarks");
    const { response } = await trips.save(address, hollis, form, { remark: "x" });
    await trips.owner.query("ALTER TABLE proof.booking RENAME COLUMN remarks TO remark");
    expect(response.status).toBe(503);
    expect(response.body).toContain("This page does not fit its table any more");
  });
});
