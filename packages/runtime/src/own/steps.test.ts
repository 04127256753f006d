import { readFile, rm, writeFile } from "node:fs/promises";
import path from "node:path";
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, test } from "@jest/globals";
import type { RecordedRequest } from "@loyal-quill/core";
import { bodyOf, Client, formOf, until } from "@loyal-quill/testing";
import { createPages, defineSteps, type OwnStepsOf, type Pages, type PagesOptions } from "../index.js";
import { type Served, serve } from "../testing/served.js";
import { makeTrips, type Trips, tamsin } from "../testing/trips.js";

/** As `quill types` would write it. */
interface Buoy {
  id: number;
  name: string;
  depth_m: string | null;
  checked_by: string | null;
  since: string | null;
}

const buoyPage = `format: loyal-quill/page@1
title: Buoy {id}, {name}
plural: Buoys
path: /buoys/{id}
record: { table: sea.buoy, key: id }
access: { new: true, delete: true, history: true }
list: { columns: [name, depth_m], edit: [depth_m] }
fields:
  - name: { rules: [required] }
  - depth_m
  - since
`;

let trips: Trips;
let served: Served | undefined;
let pages: Pages | undefined;
let client: Client;
const recorded: RecordedRequest[] = [];
const errors: Error[] = [];

beforeAll(async () => {
  trips = await makeTrips({
    sql: [
      "CREATE SCHEMA sea",
      "CREATE TABLE sea.buoy (id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY, name text NOT NULL, depth_m numeric(6,2), checked_by text, since date)",
      "CREATE TABLE sea.told (buoy integer NOT NULL, line text NOT NULL UNIQUE)",
      "GRANT USAGE ON SCHEMA sea TO quill_pages",
      "GRANT SELECT, INSERT, UPDATE, DELETE ON sea.buoy, sea.told TO quill_pages",
    ],
    files: {
      buoy: buoyPage,
      buoys: buoyPage
        .replace("path: /buoys", "path: /together")
        .replace("edit: [depth_m]", "edit: [depth_m], together: true"),
    },
  });
});
afterAll(() => trips.close());
beforeEach(async () => {
  await trips.owner.query(
    "TRUNCATE sea.buoy RESTART IDENTITY; TRUNCATE sea.told; INSERT INTO sea.buoy (name, depth_m) VALUES ('North', 12), ('South', 8)",
  );
  recorded.length = 0;
  errors.length = 0;
});
afterEach(async () => {
  await served?.stop();
  served = undefined;
});

async function withSteps(steps: OwnStepsOf<Buoy>, more: Partial<PagesOptions> = {}): Promise<void> {
  pages = await createPages({
    database: trips.database,
    pages: trips.directory,
    signingKey: "a key for tests, thirty-two bytes long",
    actor: () => tamsin,
    onRequest: (each) => void recorded.push(each),
    onError: (error) => void errors.push(error as Error),
    steps: { buoy: steps, buoys: steps },
    ...more,
  });
  served = await serve(pages);
  client = new Client(served.origin);
}

async function save(
  edits: Record<string, string>,
  address = "/buoys/1/edit",
): Promise<{ status: number; text: string }> {
  return client.post(address, bodyOf(formOf((await client.get(address)).text), edits));
}

const buoy = (id = 1) =>
  trips.one<Buoy>("SELECT id, name, depth_m::text, checked_by, since::text FROM sea.buoy WHERE id = $1", [id]);
const count = async (text: string): Promise<number> =>
  Number((await trips.one<{ count: string }>(`SELECT count(*) FROM ${text}`)).count);
const ownOf = (step: string) =>
  recorded
    .at(-1)
    ?.steps.find((each) => each.step === step)
    ?.own?.map(({ name, said }) => [name, said]);

describe("a step before the check", () => {
  test("gives a field another value, which is judged and saved as if it had been typed", async () => {
    await withSteps({
      beforeCheck: ({ typed, set }) => {
        const fathoms = /^(\d+) fathoms$/.exec(typed.depth_m ?? "");
        if (fathoms) set("depth_m", String(Number(fathoms[1]) * 1.83));
      },
    });
    expect((await save({ depth_m: "10 fathoms" })).status).toBe(303);
    expect(await buoy()).toMatchObject({ depth_m: "18.30" });
    expect(ownOf("check")).toEqual([["beforeCheck", 'depth_m = "18.3"']]);
    expect((await save({ depth_m: "ten" })).status).toBe(422);
  });

  test("can't set what is no field of the form, and then nothing is saved", async () => {
    await withSteps({ beforeCheck: ({ set }) => set("checked_by", "x") });
    const { status, text } = await save({ name: "Other" });
    expect(status).toBe(503);
    expect(text).toContain('value="Other"');
    expect(text).toContain("A custom step failed");
    expect(await buoy()).toMatchObject({ name: "North" });
    expect(errors.map((error) => error.message)).toEqual([
      'beforeCheck of the steps of buoy failed: "checked_by" is no field that this form takes',
    ]);
  });
});

describe("a check", () => {
  const taken = defineSteps<Buoy>({
    async check({ form, row, changed, actor, operation, problem }) {
      await new Promise((resolve) => setTimeout(resolve, 5));
      if (form.name === "Taken") problem("name", `The registry has ${form.name} already.`);
      if (form.name === "Nobody")
        problem(null, `${actor.name} ${operation} ${row?.name} ${changed.join()} ${form.depth_m}`);
    },
  });

  test("refuses at a field, beside what the page's own rules say, and is told on the trip", async () => {
    await withSteps(taken);
    const { status, text } = await save({ name: "Taken" });
    expect(status).toBe(422);
    expect(text).toContain('<p class="quill-problem" id="field-1-problem">The registry has Taken already.</p>');
    expect(ownOf("check")).toEqual([["check", "name: The registry has Taken already."]]);
    expect(recorded.at(-1)?.steps.at(-1)).toMatchObject({ step: "check", stopped: expect.stringContaining("Taken") });
    expect(recorded.at(-1)?.steps.find(({ step }) => step === "check")?.own?.[0]?.ms).toBeGreaterThan(3);
    expect(await buoy()).toMatchObject({ name: "North" });
  });

  test("knows who, what and the record; above the form stands what is at no field", async () => {
    await withSteps(taken);
    expect((await save({ name: "Nobody", depth_m: "3.5" })).text).toContain(
      "<li>Tamsin Okoro change North name,depth_m 3.50</li>",
    );
  });

  test("is not asked while a field can't be read, nor where nothing was changed", async () => {
    let asked = 0;
    await withSteps({ check: () => void asked++ });
    expect((await save({ depth_m: "deep" })).status).toBe(422);
    expect((await save({})).status).toBe(303);
    expect(asked).toBe(0);
    expect((await save({ depth_m: "4" })).status).toBe(303);
    expect(asked).toBe(1);
  });

  test("is asked of new records, of deletions, of rows and by JSON as well", async () => {
    await withSteps({
      check: ({ form, operation, problem }) => {
        if (form.name === "Taken" || form.depth_m === "99.00") problem(null, `not ${operation}`);
      },
    });
    expect((await save({ name: "Taken" }, "/buoys/new")).text).toContain("not new");
    await trips.owner.query("UPDATE sea.buoy SET name = 'Taken' WHERE id = 2");
    const deletion = await save({}, "/buoys/2/delete");
    expect([deletion.status, deletion.text.includes("not delete")]).toEqual([409, true]);
    const rows = formOf((await client.get("/buoys")).text);
    const name = [...rows.keys()].find((each) => each.endsWith(":depth_m")) ?? "";
    const answer = await client.post("/buoys", bodyOf(rows, { [name]: "99" }));
    expect([answer.status, answer.text.includes("not change")]).toEqual([422, true]);
    const tag = (await client.send("/buoys/1", { headers: { accept: "application/json" } })).headers.get("etag") ?? "";
    const patched = await client.send("/buoys/1", {
      method: "PATCH",
      body: '{"depth_m":"99"}',
      headers: { "content-type": "application/json", "if-match": tag },
    });
    expect([patched.status, patched.text.includes("not change")]).toEqual([422, true]);
    expect(await count("sea.buoy WHERE depth_m = 99")).toBe(0);
    expect(await count("sea.buoy")).toBe(2);
  });
});

describe("a step before the write", () => {
  test("adds values of columns that are on no form, in the same single statement", async () => {
    await withSteps({ beforeWrite: ({ actor, set }) => set("checked_by", actor.id) });
    expect((await save({ depth_m: "4.25" })).status).toBe(303);
    expect(await buoy()).toMatchObject({ depth_m: "4.25", checked_by: "tamsin" });
    const write = recorded.at(-1)?.steps.find(({ step }) => step === "write");
    expect(write?.statements.map(({ purpose }) => purpose)).toEqual(["save"]);
    expect(write?.own).toMatchObject([{ name: "beforeWrite", said: 'checked_by = "tamsin"' }]);
    const { fields } = await trips.one<{ fields: { field: string }[] }>(
      "SELECT fields FROM quill_log.change ORDER BY id DESC LIMIT 1",
    );
    expect(fields.map(({ field }) => field).sort()).toEqual(["checked_by", "depth_m"]);
  });

  test("goes before the form's value, and adds to a new record and to rows that are saved together", async () => {
    await withSteps({
      beforeWrite: ({ form, set }) => {
        set("name", `${form.name}!`);
        set("checked_by", "step");
      },
    });
    expect((await save({ name: "West" })).status).toBe(303);
    expect(await buoy()).toMatchObject({ name: "West!", checked_by: "step" });
    expect((await save({ name: "New" }, "/buoys/new")).status).toBe(303);
    expect(await buoy(3)).toMatchObject({ name: "New!", checked_by: "step" });
  });

  test("alone makes no difference: what was not changed is not written", async () => {
    await withSteps({ beforeWrite: ({ set }) => set("checked_by", "step") });
    expect((await save({})).status).toBe(303);
    expect(await buoy()).toMatchObject({ checked_by: null });
  });

  test.each([
    ["id", 7, '"id" is the key'],
    ["depth_m", "deep", '"deep" is no value of "depth_m", which is numeric(6,2)'],
    ["nothing", 1, 'sea.buoy has no column "nothing"'],
  ])("can't set %s to %j", async (name, value, said) => {
    await withSteps({ beforeWrite: ({ set }) => set(name as "name", value as string) });
    expect((await save({ name: "Other" })).status).toBe(503);
    expect(errors[0]?.message).toContain(said);
    expect(await buoy()).toMatchObject({ name: "North" });
  });
});

describe("a step in the transaction", () => {
  const tells = defineSteps<Buoy>({
    async inTransaction({ written, query, problem, say }) {
      const [now] = await query<{ id: number; name: string; txid: string }>(
        "SELECT id, name, pg_current_xact_id()::text AS txid FROM sea.buoy WHERE id = $1",
        [written.key.id],
      );
      await query("INSERT INTO sea.told VALUES ($1, $2)", [now?.id, `${written.operation} ${now?.name}`]);
      say(typeof now?.id);
      if (now?.name === "Refused") problem("name", "Not this one.");
      if (now?.name === "Broken") throw new Error("out of order");
    },
  });

  test("sees what was written, and writes with it; the trip shows its statements", async () => {
    await withSteps(tells);
    expect((await save({ name: "East" })).status).toBe(303);
    expect(await trips.one("SELECT buoy, line FROM sea.told")).toEqual({ buoy: 1, line: "change East" });
    const write = recorded.at(-1)?.steps.find(({ step }) => step === "write");
    expect(write?.statements.map(({ purpose }) => purpose)).toEqual(["save", "own", "own"]);
    expect(write?.own).toMatchObject([{ name: "inTransaction", said: "number" }]);
  });

  test.each([
    ["Refused", 422, "Not this one."],
    ["Broken", 503, "A custom step failed"],
  ])("that does not want %s takes all of it back, the log's entry too", async (name, status, said) => {
    await withSteps(tells);
    const before = await count("quill_log.change");
    const answer = await save({ name });
    expect([answer.status, answer.text.includes(said)]).toEqual([status, true]);
    expect(answer.text).toContain(`value="${name}"`);
    expect(await buoy()).toMatchObject({ name: "North" });
    expect(await count("sea.told")).toBe(0);
    expect(await count("quill_log.change")).toBe(before);
    // The form that came back can be sent again.
    expect((await client.post("/buoys/1/edit", bodyOf(formOf(answer.text), { name: "Again" }))).status).toBe(303);
  });

  test("whose own statement is refused takes all of it back", async () => {
    await withSteps(tells);
    await trips.owner.query("INSERT INTO sea.told VALUES (9, 'change Twice')");
    expect((await save({ name: "Twice" })).status).toBe(503);
    expect(errors[0]?.message).toContain("duplicate key");
    expect(await buoy()).toMatchObject({ name: "North" });
  });

  test("that hides a refusal of its own statement saves nothing all the same, and it is said why", async () => {
    await trips.owner.query("INSERT INTO sea.told VALUES (9, 'there')");
    const hides = async ({ query }: { query: (text: string) => Promise<unknown> }): Promise<void> => {
      await query("INSERT INTO sea.told VALUES (1, 'there')").catch(() => {});
    };
    await withSteps({ inTransaction: hides });
    for (const address of ["/buoys/1/edit", "/buoys/new", "/buoys/1/delete"])
      expect([address, (await save(address === "/buoys/1/delete" ? {} : { name: "Hidden" }, address)).status]).toEqual([
        address,
        503,
      ]);
    expect(errors.map(({ message }) => message)).toEqual(Array(3).fill(expect.stringContaining("use a savepoint")));
    expect(await buoy()).toMatchObject({ name: "North" });
    expect(await count("sea.buoy")).toBe(2);
  });

  test("may go on behind a savepoint of its own", async () => {
    await trips.owner.query("INSERT INTO sea.told VALUES (9, 'there')");
    await withSteps({
      async inTransaction({ query, row, form }) {
        await query("SAVEPOINT mine");
        await query("INSERT INTO sea.told VALUES (1, 'there')").catch(() => query("ROLLBACK TO mine"));
        await query("INSERT INTO sea.told VALUES (1, $1)", [`${row?.name} was ${row?.depth_m}, is ${form.name}`]);
      },
    });
    expect((await save({ name: "Kept" })).status).toBe(303);
    expect(await buoy()).toMatchObject({ name: "Kept" });
    expect(await count("sea.told WHERE line = 'North was 12.00, is Kept'")).toBe(1);
  });

  test("is part of new records, deletions, and of each row that is saved together", async () => {
    await withSteps(tells);
    expect((await save({ name: "New" }, "/buoys/new")).status).toBe(303);
    expect(await trips.one("SELECT line FROM sea.told")).toEqual({ line: "new New" });
    await trips.owner.query("TRUNCATE sea.told");
    const form = formOf((await client.get("/together")).text);
    const names = [...form.keys()].filter((name) => name.endsWith(":depth_m") && !name.includes("box")).slice(0, 2);
    const edits = Object.fromEntries(names.map((name, index) => [name, String(50 + index)]));
    expect((await client.post("/together", bodyOf(form, { ...edits, "quill.save-together": "" }))).status).toBe(303);
    expect(await count("sea.told")).toBe(2);
    expect(await count("sea.buoy WHERE depth_m >= 50")).toBe(2);
  });

  test("whose own statement takes too long is given up in PostgreSQL as well", async () => {
    await withSteps({ limit: 150, inTransaction: async ({ query }) => void (await query("SELECT pg_sleep(12)")) });
    const answered = save({ name: "Asleep" }).then(({ status }) => status);
    const late = new Promise((resolve) => setTimeout(resolve, 9000, "not before its own end").unref());
    expect(await Promise.race([answered, late])).toBe(503);
    expect(await buoy()).toMatchObject({ name: "North" });
  });

  test("that takes too long is given up with all of it, and what it does afterwards has no effect", async () => {
    const late: unknown[] = [];
    await withSteps({
      limit: 80,
      async inTransaction({ query, signal }) {
        await new Promise((resolve) => setTimeout(resolve, 200));
        await query("INSERT INTO sea.told VALUES (1, 'late')").catch((error: Error) => late.push(error.message));
        late.push(signal.aborted);
      },
    });
    const { status } = await save({ name: "Late" });
    expect(status).toBe(503);
    expect(errors[0]?.message).toContain("took longer than 80 ms");
    await until(() => late.length === 2);
    expect(late).toEqual([expect.stringContaining("has ended"), true]);
    expect(await count("sea.told")).toBe(0);
    expect(await buoy()).toMatchObject({ name: "North" });
  });
});

describe("what is done after a save", () => {
  test("is done once it is committed, told on the trip, and a failure changes nothing of it", async () => {
    const seen: unknown[] = [];
    await withSteps({
      async afterSave({ entry, key, operation, changes, actor, attempt }) {
        seen.push([typeof entry, key, operation, changes, actor.id, attempt, await buoy()]);
        throw new Error("no post today");
      },
    });
    expect((await save({ name: "Far" })).status).toBe(303);
    await until(() => recorded.at(-1)?.operation === "save");
    expect(seen).toEqual([
      [
        "string",
        { id: "1" },
        "change",
        [{ field: "name", old: "North", new: "Far" }],
        "tamsin",
        1,
        expect.objectContaining({ name: "Far" }),
      ],
    ]);
    expect(ownOf("answer")).toEqual([["afterSave", "failed: no post today"]]);
    expect(errors.map(({ message }) => message)).toEqual([
      expect.stringMatching(/^afterSave of buoy failed: no post today, for entry \d+$/),
    ]);
  });

  test("is not done where nothing was saved", async () => {
    let done = 0;
    await withSteps({ afterSave: () => void done++ });
    await save({ name: "" });
    await save({});
    expect(done).toBe(0);
  });
});

/** Jest keeps a module whatever its address asks for: here it is read anew, as Node would. */
const importModule = async (address: string): Promise<unknown> =>
  import(`data:text/javascript,${encodeURIComponent(await readFile(new URL(address), "utf8"))}`);

describe("what is recorded of steps", () => {
  test("has no value of a sensitive column, however it came there", async () => {
    await trips.reloadWith({ buoy: buoyPage.replace("  - since", "  - since: { sensitive: true }") });
    await withSteps({
      beforeCheck: ({ set }) => set("since", "2026-02-03"),
      beforeWrite: ({ set }) => set("since", "2026-04-05"),
      async inTransaction({ query }) {
        await query("INSERT INTO sea.told VALUES (1, $1)", ["2026-04-05"]);
      },
    });
    expect((await save({ name: "Quiet" })).status).toBe(303);
    expect(await buoy()).toMatchObject({ since: "2026-04-05" });
    expect(ownOf("check")).toEqual([["beforeCheck", "since = (not kept)"]]);
    expect(JSON.stringify(recorded)).not.toMatch(/2026-0[24]-0/);
    await trips.reloadWith({ buoy: buoyPage });
  });
});

describe("steps beside the page file", () => {
  const file = (): string => path.join(trips.directory, "buoy.page.mjs");
  afterEach(() => rm(file(), { force: true }));

  test("are found, and found again once they are changed", async () => {
    await writeFile(file(), "export default { check: ({ problem }) => problem('name', 'first') };");
    await withSteps({}, { steps: {}, importModule });
    expect((await save({ name: "X" })).text).toContain("first");
    expect(ownOf("check")).toEqual([["check", "name: first"]]);
    await writeFile(file(), "export default { check: ({ problem }) => problem('name', 'second') };");
    await until(async () => (await save({ name: "X" })).text.includes("second"));
    expect((await save({ name: "X" })).text).toContain("second");
    // One that can't be used leaves those that are there.
    await writeFile(file(), "export default { chek: () => {} };");
    await until(() => errors.length > 0);
    expect(errors[0]?.message).toContain('buoy.page.mjs has a step "chek", which there is not.');
    expect((await save({ name: "X" })).text).toContain("second");
  });

  test.each([
    ["export default { check: 1 };", "check in buoy.page.mjs must be a function"],
    ["export const steps = {};", "buoy.page.mjs exports no steps"],
    ["export default { outbox: true };", "asks for the outbox and has no afterSave"],
    ["export default {", "buoy.page.mjs can't be loaded"],
  ])("that can't be used keep the application from starting: %s", async (text, said) => {
    await writeFile(file(), text);
    await expect(withSteps({}, { steps: {}, importModule })).rejects.toThrow(said);
  });
});
