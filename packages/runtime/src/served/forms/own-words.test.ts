import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import type { Actor } from "@loyal-quill/core";
import { createPages, type Pages } from "../../index.js";
import { ownFrame, type Served, serve } from "../../testing/served.js";
import { makeTrips, type Trips, tamsin } from "../../testing/trips.js";

/*
 * What a page says in its own words, and the habits of those who correct many records: a typed key, one hit, the next record, undo. Over HTTP, as a
 * browser without scripts goes.
 */

const pegFile = `format: loyal-quill/page@1
title: "Peg {code}"
plural: Pegs
path: /pegs/{code}
record: { table: network.peg, key: code }
access: { open: '"technician" in actor.roles', new: true, edit: row.state != "sealed", delete: true }
list: { columns: [code, name, height_m, set_at] }
fields:
  - code
  - name
  - height_m
  - set_at: { read-only: true }
  - state
texts:
  new: New peg
  introduction: Pegs by which the levels are read.
  empty: No pegs yet.
  save: Save {code}
  add: Add peg
  delete: Remove peg
  added: "{name} was added as {code}."
  deleted: "{name} is no peg any more."
  question: "Remove {name} for good?"
answer: { saved: next }
`;

const numbered = `format: loyal-quill/page@1
title: "Mark {id}"
path: /marks/{id}
record: { table: network.mark, key: id }
access: { open: '"technician" in actor.roles' }
fields: [name]
answer: { saved: view }
`;

let trips: Trips;
let pages: Pages;
let served: Served;
let actor: Actor = tamsin;
const other: Actor = { id: "other", name: "Perrin Vale", roles: ["technician"], attributes: {} };

beforeAll(async () => {
  trips = await makeTrips({
    sql: [
      `CREATE TABLE network.peg (code text PRIMARY KEY, name text NOT NULL, height_m numeric(5,2), set_at timestamptz NOT NULL DEFAULT '2026-05-01 10:20:30.123456+00',
         state text NOT NULL DEFAULT 'set')`,
      "INSERT INTO network.peg SELECT 'P-' || lpad(i::text, 3, '0'), 'Peg number ' || i, i, '2026-05-01 10:20:30.123456+00', CASE WHEN i IN (3, 4) THEN 'sealed' ELSE 'set' END FROM generate_series(1, 70) AS i",
      "CREATE TABLE network.mark (id integer PRIMARY KEY, name text)",
      "INSERT INTO network.mark VALUES (7, 'Seven')",
      "GRANT SELECT, INSERT, UPDATE, DELETE ON network.peg, network.mark TO quill_pages",
    ],
    files: { peg: pegFile, mark: numbered },
  });
  pages = await createPages({
    database: trips.database,
    pages: trips.directory,
    signingKey: "a key for tests, thirty-two bytes long",
    actor: () => actor,
    session: () => "one",
    frame: ownFrame,
  });
  served = await serve(pages, "/records");
});
afterAll(async () => {
  await served.stop();
  await trips.close();
});

const cookies = new Map<string, string>();

/** A request as a browser sends it, with the cookie that the last answer left for the address. */
async function go(address: string, body?: URLSearchParams): Promise<{ status: number; to: string; text: string }> {
  const path = address.replace(/[?#].*/, "");
  const response = await fetch(`${served.origin}${address.replace(/#.*/, "")}`, {
    redirect: "manual",
    headers: { accept: "text/html", cookie: cookies.get(path) ?? "" },
    ...(body ? { method: "POST", body } : {}),
  });
  for (const set of response.headers.getSetCookie()) {
    const [pair = "", ...rest] = set.split(";");
    cookies.set(/Path=([^;]*)/.exec(rest.join(";"))?.[1] ?? path, pair);
  }
  return { status: response.status, to: response.headers.get("location") ?? "", text: await response.text() };
}

const tokenIn = (text: string): string =>
  /name="quill\.token" value='([^']*)'/.exec(text)?.[1]?.replaceAll("&quot;", '"').replaceAll("&amp;", "&") ?? "";
const linkTo = (text: string, what: RegExp): string =>
  what.exec(text)?.[1]?.replaceAll("&amp;", "&") ?? expect.getState().currentTestName ?? "";

/** Changes a peg's name by its form. */
async function rename(code: string, name: string) {
  const form = await go(`/records/pegs/${code}/edit`);
  const row = await trips.one<{ height_m: string | null; state: string }>(
    "SELECT height_m, state FROM network.peg WHERE code = $1",
    [code],
  );
  return go(
    `/records/pegs/${code}/edit`,
    new URLSearchParams({ "quill.token": tokenIn(form.text), name, height_m: row.height_m ?? "", state: row.state }),
  );
}

describe("a page's own words", () => {
  test("stand on its list, its forms, its question, and in what is said afterwards, filled from the record", async () => {
    const list = await go("/records/pegs");
    expect(list.text).toContain('<p class="quill-introduction">Pegs by which the levels are read.</p>');
    expect(list.text).toMatch(/class="quill-make"[^>]*>New peg</);
    const blank = await go("/records/pegs/new");
    expect(blank.text).toContain("New peg</h1>");
    expect(blank.text).toMatch(/name="quill.save"[^>]*>Add peg</);
    const token = tokenIn(blank.text);
    const added = await go(
      "/records/pegs/new",
      new URLSearchParams({ "quill.token": token, code: "P-500", name: "Weir peg", height_m: "1", state: "set" }),
    );
    expect(added.status).toBe(303);
    expect((await go(added.to)).text).toContain("Weir peg was added as P-500.");
    const form = await go("/records/pegs/P-500/edit");
    expect(form.text).toMatch(/name="quill.save"[^>]*>Save P-500</);
    expect(form.text).toMatch(/class="quill-removal"[^>]*>Remove peg</);
    const asked = await go("/records/pegs/P-500/delete");
    expect(asked.text).toContain("Remove Weir peg for good?</h1>");
    const gone = await go("/records/pegs/P-500/delete", new URLSearchParams({ "quill.token": tokenIn(asked.text) }));
    expect((await go(gone.to)).text).toContain("Weir peg is no peg any more.");
  });

  test("what has to be filled in is marked on a new record too, and the form says how", async () => {
    const { text } = await go("/records/pegs/new");
    expect(text).toContain("Fields marked * have to be filled in.");
    for (const name of ["code", "name"]) expect(text).toMatch(new RegExp(`name="${name}"[^>]*aria-required="true"`));
    // The table has a default for it, and the height may be missing.
    expect(text).not.toMatch(/name="height_m"[^>]*aria-required/);
    expect(text.match(/class="quill-needed"/g)?.length).toBe(3);
  });

  test("moments are told to the second in lists and records, and whole to programs", async () => {
    for (const address of ["/records/pegs", "/records/pegs/P-001"]) {
      const { text } = await go(address);
      expect([address, text.includes(">2026-05-01 10:20:30<")]).toEqual([address, true]);
      expect(text).toContain('datetime="2026-05-01T10:20:30.123456Z"');
    }
  });

  test("the header leads to the other pages that are open, and says which one this is", async () => {
    const { text } = await go("/records/marks");
    expect(text).toMatch(/<nav class="quill-nav"[^>]*><ul><li><a href="\/records\/marks" aria-current="page">/);
    expect(text).toContain('<a href="/records/pegs">Pegs</a>');
    actor = { ...tamsin, roles: [] };
    expect((await go("/records/marks")).text).not.toContain("quill-nav");
    actor = tamsin;
  });
});

describe("sixty records a day", () => {
  test("a typed key leads to the form, at its first field, however it is typed", async () => {
    expect((await go("/records/pegs?go.code=P-002")).to).toBe("/records/pegs/P-002/edit#field-2");
    expect((await go("/records/pegs?key=P-002")).to).toBe("/records/pegs/P-002/edit#field-2");
    expect((await go("/records/pegs?key=P-003")).to).toBe("/records/pegs/P-003");
    expect((await go("/records/marks?key=%2007")).to).toBe("/records/marks/7/edit#field-1");
    expect((await go("/records/pegs?key=nothing")).text).toContain("No record “nothing”, or no access to it.");
    for (const [address, to] of [
      ["/records/marks/007", "/records/marks/7"],
      ["/records/marks/07/edit?q=x", "/records/marks/7/edit?q=x"],
      ["/records/marks/%207/edit", "/records/marks/7/edit"],
    ] as const) {
      const { status, to: found } = await go(address);
      expect([address, status, found]).toEqual([address, 308, to]);
    }
  });

  test("Go to is there where a list has several parts", async () => {
    expect((await go("/records/pegs")).text).toContain('class="quill-go"');
    expect((await go("/records/marks")).text).not.toContain('class="quill-go"');
  });

  test("one hit of a search leads there, and back to the list", async () => {
    const { to } = await go("/records/pegs?q=number+70&straight=1");
    expect(to).toBe("/records/pegs/P-070/edit?q=number%2070#field-2");
    expect((await go(to)).text).toContain('href="/records/pegs?q=number%2070"');
    expect((await go("/records/pegs?q=number+70")).status).toBe(200);
    expect((await go("/records/pegs?q=number&straight=1")).status).toBe(200);
  });

  test("the next one is at the same field, passes over what can't be edited, and the last one says so", async () => {
    const saved = await rename("P-002", "Peg of the bridge");
    expect([saved.status, saved.to]).toEqual([303, "/records/pegs/P-005/edit#field-2"]);
    expect((await go("/records/pegs/~next/P-002")).to).toBe("/records/pegs/P-005/edit");
    const last = await rename("P-070", "Peg of the mill");
    expect(last.to).toBe("/records/pegs");
    expect((await go(last.to)).text).toContain("It was the last record of the list that you can edit.");
  });

  test("what was saved can be undone from where it is said, but not where somebody else has saved since", async () => {
    const saved = await rename("P-010", "Misread");
    const said = await go(saved.to);
    const undo = linkTo(said.text, /class="quill-undo" href="([^"]*)"/);
    expect(undo).toMatch(/^\/records\/pegs\/P-010\/edit\?undo=\d+$/);
    const form = await go(undo);
    expect(form.text).toContain(
      "These are the values before your change. Nothing is saved until you press Save P-010.",
    );
    expect(form.text).toMatch(/name="name"[^>]*value="Peg number 10"/);
    // Marked as differing from what is stored, and one press from being saved.
    expect(form.text).toMatch(/class="quill-replaced"[^>]*>[^<]*<q dir="auto">Misread<\/q>/);
    const back = await go(
      "/records/pegs/P-010/edit",
      new URLSearchParams({
        "quill.token": tokenIn(form.text),
        name: "Peg number 10",
        height_m: "10.00",
        state: "set",
      }),
    );
    expect(back.status).toBe(303);
    expect(await trips.one("SELECT name FROM network.peg WHERE code = 'P-010'")).toEqual({ name: "Peg number 10" });

    const again = await rename("P-010", "Misread once more");
    const late = linkTo((await go(again.to)).text, /class="quill-undo" href="([^"]*)"/);
    actor = other;
    expect((await go(late)).text).not.toContain("Peg number 10");
    await rename("P-010", "Read by Perrin");
    actor = tamsin;
    const refused = await go(late);
    expect(refused.text).toContain("Your change can’t be undone any more: Perrin Vale has changed this record since");
    expect(refused.text).toMatch(/name="name"[^>]*value="Read by Perrin"/);

    const third = await rename("P-010", "Misread again");
    const past = linkTo((await go(third.to)).text, /class="quill-undo" href="([^"]*)"/);
    await trips.owner.query("UPDATE network.peg SET height_m = 11 WHERE code = 'P-010'");
    // Another field is none of this change.
    expect((await go(past)).text).toMatch(/name="name"[^>]*value="Read by Perrin"/);
    await trips.owner.query("UPDATE network.peg SET name = 'Put right by hand' WHERE code = 'P-010'");
    const passed = await go(past);
    expect(passed.text).toContain("this record was changed since, past these pages");
    expect(passed.text).toMatch(/name="name"[^>]*value="Put right by hand"/);
  });

  test("what a trigger of the table makes of a value is no change past the pages", async () => {
    await trips.owner.query(
      "CREATE FUNCTION network.louder() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN NEW.name := upper(NEW.name); RETURN NEW; END $$",
    );
    await trips.owner.query(
      "CREATE TRIGGER louder BEFORE UPDATE ON network.peg FOR EACH ROW EXECUTE FUNCTION network.louder()",
    );
    try {
      const saved = await rename("P-014", "Read aloud");
      const undo = linkTo((await go(saved.to)).text, /class="quill-undo" href="([^"]*)"/);
      const form = await go(undo);
      expect(await trips.one("SELECT name FROM network.peg WHERE code = 'P-014'")).toEqual({ name: "READ ALOUD" });
      expect(form.text).toContain("These are the values before your change.");
      expect(form.text).toMatch(/name="name"[^>]*value="Peg number 14"/);
    } finally {
      await trips.owner.query("DROP TRIGGER louder ON network.peg");
    }
  });

  test("has the focus where one goes on: the heading, the refused control, a saved row", async () => {
    expect((await go("/records/pegs/P-011")).text).toContain('<h1 tabindex="-1" autofocus>');
    const refused = await rename("P-011", "");
    expect(refused.status).toBe(422);
    expect(refused.text).toMatch(/name="name"[^>]*autofocus/);
    expect(refused.text.match(/ autofocus/g)?.length).toBe(1);
  });
});
