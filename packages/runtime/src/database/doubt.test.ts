import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { type Database, DatabaseAway, type Statement } from "@loyal-quill/core";
import { bodyOf, formOf } from "@loyal-quill/testing";
import { hollis, makeTrips, type Trips, tamsin } from "../testing/trips.js";

let trips: Trips;
beforeAll(async () => {
  trips = await makeTrips();
});
afterAll(() => trips.close());

/** How the way to the database breaks while a statement of some purpose is on it. */
interface Break {
  readonly purpose: string;
  /** Whether the statement arrives and takes effect before the answer is lost. */
  readonly arrives: boolean;
  /** For how many statements afterwards the database can't be reached. */
  readonly away: number;
}

/** The trips' own database over a link that breaks once. */
function breaking({ purpose, arrives, away }: Break): Database {
  const real = trips.database;
  let [broken, left] = [false, away];
  const over = (database: Database): Database => ({
    async transaction(run) {
      if (broken && left-- > 0) throw new DatabaseAway("still away", false);
      return database.transaction((inside) => run(over(inside)));
    },
    async run(statement: Statement) {
      if (broken && left-- > 0) throw new DatabaseAway("still away", false);
      if (broken || statement.purpose !== purpose) return database.run(statement);
      broken = true;
      if (arrives) await database.run(statement);
      throw new DatabaseAway("Connection terminated unexpectedly", true);
    },
  });
  return over(real);
}

const address = "/stations/MV-014/edit";
const stored = () => trips.one<{ notes: string }>("SELECT notes FROM network.station WHERE code = 'MV-014'");
const entries = async () => Number((await trips.one<{ count: string }>("SELECT count(*) FROM quill_log.change")).count);

async function attempt(notes: string, how: Break) {
  const form = await trips.open(address, hollis);
  return trips.send("POST", address, hollis, bodyOf(form, { notes }), breaking(how));
}

describe("a connection that is lost while saving", () => {
  test("after the commit: the log is asked in the same request, and the save is told as what it is", async () => {
    const before = await entries();
    const { response, recorded } = await attempt("it arrived", { purpose: "save", arrives: true, away: 2 });
    expect([response.status, recorded.outcome]).toEqual([303, "saved"]);
    expect(await stored()).toEqual({ notes: "it arrived" });
    expect(await entries()).toBe(before + 1);
  });

  test("before the statement arrived: that nothing was saved is known, and said", async () => {
    const before = [await stored(), await entries()];
    const { response, recorded } = await attempt("it did not", { purpose: "save", arrives: false, away: 1 });
    expect([response.status, recorded.outcome]).toEqual([503, "failed"]);
    expect(response.body).toContain("the change log has no such change");
    expect(response.body).toContain("Nothing was saved. What you typed is still here.");
    expect(formOf(response.body).get("notes")).toBe("it did not");
    expect([await stored(), await entries()]).toEqual(before);
  });

  test("for longer: that it is not known is said, and the next try tells when it was saved, and saves nothing twice", async () => {
    const before = await entries();
    const { response } = await attempt("who knows", { purpose: "save", arrives: true, away: 99 });
    expect(response.status).toBe(503);
    expect(response.body).toContain("it is not known yet whether your change was saved");
    expect(response.body).not.toContain("Nothing was saved");
    const again = await trips.save(address, hollis, formOf(response.body));
    expect([again.response.status, again.recorded.outcome]).toEqual([303, "unchanged"]);
    expect(decodeURIComponent(again.response.headers["set-cookie"] ?? "")).toMatch(
      /Station MV-014, .* was saved at \d{4}-\d\d-\d\d \d\d:\d\d:\d\d UTC/,
    );
    expect(await entries()).toBe(before + 1);
  });

  test("for longer, and it had not arrived: the next try saves", async () => {
    const { response } = await attempt("at last", { purpose: "save", arrives: false, away: 99 });
    expect(response.body).toContain("it is not known yet whether your change was saved");
    const again = await trips.save(address, hollis, formOf(response.body));
    expect(again.recorded.outcome).toBe("saved");
    expect(await stored()).toEqual({ notes: "at last" });
  });

  test("what was typed after such a save is shown again and not lost", async () => {
    const { response } = await attempt("first part", { purpose: "save", arrives: true, away: 99 });
    const more = await trips.save(address, hollis, formOf(response.body), { notes: "first part, and more" });
    expect(more.response.status).toBe(422);
    expect(more.response.body).toMatch(/Your earlier try was saved at \d{4}-/);
    expect(more.response.body).not.toContain("Nothing was saved");
    expect(formOf(more.response.body).get("notes")).toBe("first part, and more");
    expect((await trips.save(address, hollis, formOf(more.response.body))).recorded.outcome).toBe("saved");
    expect(await stored()).toEqual({ notes: "first part, and more" });
  });

  test("by a routine: the transaction is in the log or it is not", async () => {
    const { loan } = await trips.one<{ loan: number }>('SELECT "LoanNo" AS loan FROM legacy."InstrumentLoan" LIMIT 1');
    const way = `/loans/${loan}/edit`;
    const form = await trips.open(way, tamsin);
    const body = bodyOf(form, { BorrowedBy: "Wren Achterberg" });
    const { recorded } = await trips.send(
      "POST",
      way,
      tamsin,
      body,
      breaking({ purpose: "log", arrives: true, away: 1 }),
    );
    // The answer to a statement inside was lost, so the transaction was never committed.
    expect(recorded.outcome).toBe("failed");
    expect(
      await trips.one('SELECT "BorrowedBy" AS who FROM legacy."InstrumentLoan" WHERE "LoanNo" = $1', [loan]),
    ).toEqual({
      who: form.get("BorrowedBy"),
    });
  });

  test("a new record is made once, whatever became of the first answer", async () => {
    const form = await trips.open("/stations/new", tamsin);
    const edits = {
      code: "MV-901",
      name: "Doubtful Weir",
      river_id: "1",
      region_id: "1",
      grid_reference: "MV 901 901",
      status: "planned",
      alert_m: "1.00",
      warning_m: "2.00",
    };
    const body = bodyOf(form, edits);
    const lost = await trips.send(
      "POST",
      "/stations/new",
      tamsin,
      body,
      breaking({ purpose: "create", arrives: true, away: 99 }),
    );
    expect(lost.response.status).toBe(503);
    expect(lost.response.body).toContain("it is not known yet whether the record was added");
    const again = await trips.save("/stations/new", tamsin, formOf(lost.response.body));
    expect([again.response.status, again.recorded.outcome]).toEqual([303, "unchanged"]);
    const soon = await trips.send(
      "POST",
      "/stations/new",
      tamsin,
      bodyOf(await trips.open("/stations/new", tamsin), { ...edits, code: "MV-902", grid_reference: "MV 902 902" }),
      breaking({ purpose: "create", arrives: true, away: 1 }),
    );
    expect(soon.response.status).toBe(303);
    expect(await trips.one("SELECT count(*)::int AS n FROM network.station WHERE code LIKE 'MV-90_'")).toEqual({
      n: 2,
    });
  });

  test("a deletion is told as done, as not done, or as not known", async () => {
    const address = "/stations/MV-902/delete";
    const confirm = async () => formOf((await trips.send("GET", address, tamsin)).response.body);
    const away = await trips.send(
      "POST",
      address,
      tamsin,
      bodyOf(await confirm()),
      breaking({ purpose: "delete", arrives: false, away: 1 }),
    );
    expect(away.response.body).toContain("the change log has no such change");
    expect(away.response.body).toContain("Doubtful Weir");
    const unknown = await trips.send(
      "POST",
      address,
      tamsin,
      bodyOf(await confirm()),
      breaking({ purpose: "delete", arrives: false, away: 99 }),
    );
    expect([
      unknown.response.status,
      unknown.response.body.includes("it is not known yet whether the record was deleted"),
    ]).toEqual([503, true]);
    const done = await trips.send(
      "POST",
      address,
      tamsin,
      bodyOf(await confirm()),
      breaking({ purpose: "delete", arrives: true, away: 1 }),
    );
    expect([done.response.status, done.recorded.outcome]).toEqual([303, "saved"]);
  });
});
