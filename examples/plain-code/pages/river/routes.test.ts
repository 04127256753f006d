/**
 * Tests of the edit page of network.river against a real PostgreSQL. They change one record and put it back; its entries stay in the log. Name
 * a database that is there for tests, and run them with Node's own runner:
 *
 *     DATABASE_URL=postgresql://… node --import tsx --test river/routes.test.ts
 */
import assert from "node:assert/strict";
import { createServer } from "node:http";
import type { AddressInfo } from "node:net";
import { after, before, test } from "node:test";
import express from "express";
import { Pool } from "pg";
import { labels } from "./form.js";
import { riverRoutes } from "./routes.js";

/** Who may do all that the page knows of: change it where your own people have other roles. */
const person = { id: "tester", name: "A tester", roles: ["hydrologist", "technician"] };

const pool = new Pool({
  connectionString: process.env.DATABASE_URL ?? "",
  options: "-c TimeZone=UTC -c DateStyle=ISO -c IntervalStyle=iso_8601",
});
const app = express();
app.use(
  riverRoutes({
    pool,
    secret: "a secret for tests, of 32 letters",
    actor: (request) => JSON.parse(request.get("x-person") ?? "null"),
  }),
);
const server = createServer(app);
let origin = "";
let key: readonly string[] = [];
let original: Readonly<Record<string, string | null>> = {};

const address = (): string => `/rivers/${encodeURIComponent(key[0] ?? "")}/edit`;
const asking = (as: unknown): Record<string, string> => (as === null ? {} : { "x-person": JSON.stringify(as) });

/** The controls of a page's form as a browser would send them untouched. */
function formOf(html: string): Record<string, string> {
  const plain = (text = ""): string =>
    text.replaceAll(
      /&(lt|gt|quot|#39|amp);/g,
      (_, name: string) => ({ lt: "<", gt: ">", quot: '"', "#39": "'", amp: "&" })[name] ?? "",
    );
  const form: Record<string, string> = {};
  for (const [tag = "", name = ""] of html.matchAll(/<(?:input|select|textarea) [^>]*name="([^"]*)"[^>]*>/g)) {
    if (/type="(checkbox|radio)"/.test(tag) && !/ checked/.test(tag)) continue;
    form[plain(name)] = plain(/ value="([^"]*)"/.exec(tag)?.[1]);
  }
  for (const [, name = "", text = ""] of html.matchAll(/<textarea [^>]*name="([^"]*)"[^>]*>\n([^]*?)<\/textarea>/g))
    form[plain(name)] = plain(text);
  for (const [, name = "", options = ""] of html.matchAll(/<select [^>]*name="([^"]*)"[^>]*>([^]*?)<\/select>/g))
    form[plain(name)] = plain(
      (/<option value="([^"]*)" selected>/.exec(options) ?? /<option value="([^"]*)"/.exec(options))?.[1],
    );
  return form;
}

async function open(as: unknown = person): Promise<{ status: number; html: string; form: Record<string, string> }> {
  const response = await fetch(origin + address(), { headers: asking(as), redirect: "manual" });
  const html = await response.text();
  return { status: response.status, html, form: formOf(html) };
}

/** Sends a form with some of its values replaced. */
async function send(
  form: Record<string, string>,
  edits: Record<string, string>,
  as: unknown = person,
): Promise<{ status: number; html: string }> {
  const body = new URLSearchParams({ ...form, ...edits });
  const response = await fetch(origin + address(), { method: "POST", body, headers: asking(as), redirect: "manual" });
  return { status: response.status, html: await response.text() };
}
const save = async (edits: Record<string, string>): Promise<{ status: number; html: string }> =>
  send((await open()).form, edits);

async function stored(): Promise<Readonly<Record<string, string | null>>> {
  const { rows } = await pool.query<{ row: Record<string, unknown> }>(
    `SELECT to_jsonb(t) || jsonb_build_object('version', t.xmin::text) AS row FROM network.river AS t WHERE id::text = $1`,
    [...key],
  );
  return Object.fromEntries(
    Object.entries(rows[0]?.row ?? {}).map(([name, value]) => [name, value === null ? null : String(value)]),
  );
}

/** The newest entries of the log, of the record. */
async function entries(): Promise<readonly { actor_id: string; fields: readonly { field: string }[] }[]> {
  const { rows } = await pool.query(
    "SELECT actor_id, fields FROM quill_log.change WHERE table_name = $1 AND record_key = $2 ORDER BY id DESC",
    ["network.river", JSON.stringify({ id: key[0] })],
  );
  return rows;
}

/** What differs between two states of the record, besides the row's version. */
const differing = (
  a: Readonly<Record<string, string | null>>,
  b: Readonly<Record<string, string | null>>,
): readonly string[] => Object.keys(b).filter((name) => name !== "version" && a[name] !== b[name]);

before(async () => {
  await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
  origin = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  const { rows } = await pool.query<{ key: string[] }>("SELECT ARRAY[id::text] AS key FROM network.river LIMIT 200");
  for (const row of rows) {
    key = row.key;
    if ("form.token" in (await open()).form) break;
  }
  assert.ok("form.token" in (await open()).form, "there is no record that the person of the tests may edit");
  original = await stored();
});
after(async () => {
  await save({ name: original["name"] ?? "" });
  server.close();
  await pool.end();
});

test("the form shows what is stored", async () => {
  const { status, form } = await open();
  assert.equal(status, 200);
  assert.equal(form["name"] ?? "", original["name"] ?? "");
});

test("what is sent as it was shown changes nothing, and nothing is logged", async () => {
  const logged = (await entries()).length;
  assert.equal((await save({})).status, 303);
  assert.deepEqual(await stored(), original);
  assert.equal((await entries()).length, logged);
});

test("a change is stored with one entry of the log, and nothing else of the form is touched", async () => {
  const earlier = await stored();
  const before = earlier["name"];
  const logged = (await entries()).length;
  assert.equal((await save({ name: "Tested once" })).status, 303);
  // What the page or a trigger of the table gives besides is none of the form's.
  const touched = differing(earlier, await stored()).filter((each) => each in labels);
  assert.deepEqual(touched, ["name"]);
  const [entry, ...others] = await entries();
  assert.equal(others.length, logged);
  assert.equal(entry?.actor_id, person.id);
  assert.ok(entry?.fields.some(({ field }) => field === "name"));
  assert.ok(before === undefined || before !== (await stored())["name"]);
});

test("what is stored is shown as text, whatever it is", async () => {
  const text = "<b>&amp;</b> \"'";
  assert.equal((await save({ name: text })).status, 303);
  const { html, form } = await open();
  assert.equal(form["name"], text);
  assert.ok(!html.includes("<b>"));
  assert.equal((await save({})).status, 303);
  assert.equal((await stored())["name"], text);
});

test("what is wrong is told at its field, and nothing is stored", async () => {
  const earlier = await stored();
  const { form } = await open();
  const refused = async (field: string, text: string, message: string): Promise<void> => {
    const { status, html } = await send(form, { [field]: text });
    assert.equal(status, 422);
    assert.ok(html.includes(message), `${field}: ${message}`);
  };
  await refused("name", "", "Name is needed: enter a value.");
  await refused("name", "x".repeat(41), "Name has 41 characters; at most 40 fit.");
  assert.deepEqual(await stored(), earlier);
});

test("what two people change of the same field is a conflict, of different fields it is not", async () => {
  const { form } = await open();
  const before = form["name"] ?? "";
  const other = { ...person, id: "other", name: "Another one" };
  assert.equal((await send((await open(other)).form, { name: "Of another one" }, other)).status, 303);
  assert.equal((await send(form, {})).status, 303);
  const { status, html } = await send(form, { name: "Tested twice" });
  assert.equal(status, 409);
  assert.ok(html.includes("Of another one") && html.includes("Tested twice") && html.includes("Another one"));
  assert.equal((await stored())["name"], "Of another one");
  assert.ok(before !== "Of another one");
});

test("who is not known, may not, or has another's form, is refused", async () => {
  const { form } = await open();
  const edit = { name: "Forged" };
  const earlier = await stored();
  assert.equal((await open(null)).status, 401);
  assert.equal((await send(form, edit, null)).status, 401);
  assert.equal((await open({ ...person, name: "", roles: [] })).status, 403);
  assert.equal((await send(form, edit, { ...person, id: "other" })).status, 403);
  assert.equal((await send({ ...form, "form.token": `${form["form.token"]} ` }, edit)).status, 403);
  const { "form.token": _, ...without } = form;
  assert.equal((await send(without, edit)).status, 403);
  assert.deepEqual(await stored(), earlier);
});
