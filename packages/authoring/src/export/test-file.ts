import { isMade } from "@loyal-quill/core/page/columns";
import type { Field, Page } from "@loyal-quill/core/page/page";
import { tableName } from "@loyal-quill/core/table/model";
import { attributesOfActor } from "./actor-file.js";
import { freeName, takenBy } from "./parts.js";
import { camelCase, identifier, inComment, keyOf, quote, said, tableIdentifier } from "./source.js";

/* The tests of an exported page, for Node's own runner and a real PostgreSQL. */

/** The fields that are on the form of every record. */
const alwaysTaken = (page: Page): readonly Field[] => takenBy(page).filter(({ when }) => when === null);

/** A field whose value can be changed to another one and back, and how: an expression over the stored text. */
function changeable(
  page: Page,
): { readonly field: Field; readonly changed: string; readonly changedAgain: string } | null {
  const asked = new Set(page.checks.flatMap(({ condition }) => condition.formColumns));
  const isFree = ({ rules, column, choices, tidy }: Field): boolean =>
    choices === null &&
    tidy.every((each) => each === "trim" || each === "single-spaces") &&
    !asked.has(column.name) &&
    rules.every(
      ({ rule, demand }) =>
        ["required", "unique"].includes(rule) ||
        (rule === "max-length" && (demand as number) >= 20) ||
        (rule === "min-length" && (demand as number) <= 6),
    );
  const taken = alwaysTaken(page);
  const text = taken
    .filter((field) => field.column.type.kind === "text" && isFree(field))
    .toSorted((a, b) => Number(b.control === "multi-line") - Number(a.control === "multi-line"))[0];
  if (text) return { field: text, changed: '"Tested once"', changedAgain: '"Tested twice"' };
  const box = taken.find((field) => field.control === "check-box" && !asked.has(field.column.name));
  return box ? { field: box, changed: 'before === "true" ? "false" : "true"', changedAgain: "before" } : null;
}

const required = (field: Field): boolean =>
  field.control !== "check-box" &&
  field.control !== "radio" &&
  !isMade(field) &&
  field.rules.some(({ rule, when, message }) => rule === "required" && when === null && message === null);

const longest = (field: Field): number | null => {
  const limits = field.rules.flatMap(({ rule, when, message, demand }) =>
    rule === "max-length" && when === null && message === null ? [demand as number] : [],
  );
  return limits.length === 0 ||
    field.rules.some(({ rule, message }) => ["pattern", "e-mail", "web-address"].includes(rule) || message !== null)
    ? null
    : Math.min(...limits);
};

/** The text of the file; null where the page has no field by which it could be tested. */
export function testFile(page: Page): string | null {
  const change = changeable(page);
  if (!change) return null;
  const version = freeName(page, "version");
  const routes = `${camelCase(page.name)}Routes`;
  const name = change.field.column.name;
  const isBox = change.field.control === "check-box";
  const empties = alwaysTaken(page).filter(required);
  const longs = alwaysTaken(page).flatMap((field) => {
    const most = longest(field);
    return most === null || field.choices !== null ? [] : [{ field, most }];
  });
  const attributes = attributesOfActor(page);
  const alike = attributes.flatMap(({ name: each, column }) => (column === null ? [] : [{ name: each, column }]));
  const inQuotes = (name: string): string => identifier(name).replaceAll('"', '\\"');
  const person = `{ id: "tester", name: "A tester", ${attributes.map((each) => `${keyOf(each.name)}: ${each.values.length > 0 ? JSON.stringify(each.values) : each.isList ? "[]" : "null"}`).join(", ")} }`;
  const where = page.key.map((column, index) => `${identifier(column.name)}::text = $${index + 1}`).join(" AND ");
  const address = `${page.path.list}/${page.key.map((_, index) => `\${encodeURIComponent(key[${index}] ?? "")}`).join("/")}/edit`;
  const escaping = isBox
    ? ""
    : `
test("what is stored is shown as text, whatever it is", async () => {
  const text = ${change.field.control === "multi-line" ? `"\\n<b>&amp;</b> \\"'"` : `"<b>&amp;</b> \\"'"`};
  assert.equal((await save({ ${keyOf(name)}: text })).status, 303);
  const { html, form } = await open();
  assert.equal(form[${quote(name)}], text);
  assert.ok(!html.includes("<b>"));
  assert.equal((await save({})).status, 303);
  assert.equal((await stored())[${quote(name)}], text);
});
`;
  const refusals =
    empties.length + longs.length === 0
      ? ""
      : `test("what is wrong is told at its field, and nothing is stored", async () => {
  const earlier = await stored();
  const { form } = await open();
  const refused = async (field: string, text: string, message: string): Promise<void> => {
    const { status, html } = await send(form, { [field]: text });
    assert.equal(status, 422);
    assert.ok(html.includes(message), \`\${field}: \${message}\`);
  };
${empties.map((field) => `  await refused(${quote(field.column.name)}, "", ${said(page.language, "required", { label: field.label })});`).join("\n")}
${longs.map(({ field, most }) => `  await refused(${quote(field.column.name)}, "x".repeat(${most + 1}), ${said(page.language, "max-length", { label: field.label, given: most + 1, limit: most })});`).join("\n")}
  assert.deepEqual(await stored(), earlier);
});

`;
  return `/**
 * Tests of the edit page of ${inComment(tableName(page.table))} against a real PostgreSQL. They change one record and put it back; its entries stay in the log. Name
 * a database that is there for tests, and run them with Node's own runner:
 *
 *     DATABASE_URL=postgresql://… node --import tsx --test ${page.name}/routes.test.ts
 */
import assert from "node:assert/strict";
import { createServer } from "node:http";
import type { AddressInfo } from "node:net";
import { after, before, test } from "node:test";
import express from "express";
import { Pool } from "pg";
${alike.length > 0 ? 'import type { Actor } from "./actor.js";\n' : ""}${page.routine ? "" : 'import { labels } from "./form.js";\n'}import { ${routes} } from "./routes.js";

/** Who may do all that the page knows of: change it where your own people have other roles. */
${alike.length > 0 ? "let" : "const"} person${alike.length > 0 ? ": Actor" : ""} = ${person};

const pool = new Pool({ connectionString: process.env.DATABASE_URL ?? "", options: "-c TimeZone=UTC -c DateStyle=ISO -c IntervalStyle=iso_8601" });
const app = express();
app.use(${routes}({ pool, secret: "a secret for tests, of 32 letters", actor: (request) => JSON.parse(request.get("x-person") ?? "null") }));
const server = createServer(app);
let origin = "";
let key: readonly string[] = [];
let original: Readonly<Record<string, string | null>> = {};

const address = (): string => \`${address}\`;
const asking = (as: unknown): Record<string, string> => (as === null ? {} : { "x-person": JSON.stringify(as) });

/** The controls of a page's form as a browser would send them untouched. */
function formOf(html: string): Record<string, string> {
  const plain = (text = ""): string =>
    text.replaceAll(/&(lt|gt|quot|#39|amp);/g, (_, name: string) => ({ lt: "<", gt: ">", quot: '"', "#39": "'", amp: "&" })[name] ?? "");
  const form: Record<string, string> = {};
  for (const [tag = "", name = ""] of html.matchAll(/<(?:input|select|textarea) [^>]*name="([^"]*)"[^>]*>/g)) {
    if (/type="(checkbox|radio)"/.test(tag) && !/ checked/.test(tag)) continue;
    form[plain(name)] = plain(/ value="([^"]*)"/.exec(tag)?.[1]);
  }
  for (const [, name = "", text = ""] of html.matchAll(/<textarea [^>]*name="([^"]*)"[^>]*>\\n([^]*?)<\\/textarea>/g)) form[plain(name)] = plain(text);
  for (const [, name = "", options = ""] of html.matchAll(/<select [^>]*name="([^"]*)"[^>]*>([^]*?)<\\/select>/g))
    form[plain(name)] = plain((/<option value="([^"]*)" selected>/.exec(options) ?? /<option value="([^"]*)"/.exec(options))?.[1]);
  return form;
}

async function open(as: unknown = person): Promise<{ status: number; html: string; form: Record<string, string> }> {
  const response = await fetch(origin + address(), { headers: asking(as), redirect: "manual" });
  const html = await response.text();
  return { status: response.status, html, form: formOf(html) };
}

/** Sends a form with some of its values replaced. */
async function send(form: Record<string, string>, edits: Record<string, string>, as: unknown = person): Promise<{ status: number; html: string }> {
  const body = new URLSearchParams({ ...form, ...edits });
  const response = await fetch(origin + address(), { method: "POST", body, headers: asking(as), redirect: "manual" });
  return { status: response.status, html: await response.text() };
}
const save = async (edits: Record<string, string>): Promise<{ status: number; html: string }> => send((await open()).form, edits);

async function stored(): Promise<Readonly<Record<string, string | null>>> {
  const { rows } = await pool.query<{ row: Record<string, unknown> }>(\`SELECT to_jsonb(t) || jsonb_build_object('${version}', t.xmin::text) AS row FROM ${tableIdentifier(page.table)} AS t WHERE ${where}\`, [...key]);
  return Object.fromEntries(Object.entries(rows[0]?.row ?? {}).map(([name, value]) => [name, value === null ? null : String(value)]));
}

/** The newest entries of the log, of the record. */
async function entries(): Promise<readonly { actor_id: string; fields: readonly { field: string }[] }[]> {
  const { rows } = await pool.query(
    "SELECT actor_id, fields FROM quill_log.change WHERE table_name = $1 AND record_key = $2 ORDER BY id DESC",
    [${quote(tableName(page.table))}, JSON.stringify({ ${page.key.map((column, index) => `${keyOf(column.name)}: key[${index}]`).join(", ")} })],
  );
  return rows;
}

/** What differs between two states of the record, besides the row's version. */
const differing = (a: Readonly<Record<string, string | null>>, b: Readonly<Record<string, string | null>>): readonly string[] =>
  Object.keys(b).filter((name) => name !== ${quote(version)} && a[name] !== b[name]);

before(async () => {
  await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
  origin = \`http://127.0.0.1:\${(server.address() as AddressInfo).port}\`;
  const { rows } = await pool.query<{ key: string[]${alike.length > 0 ? "; alike: (string | null)[]" : ""} }>("SELECT ARRAY[${page.key.map(({ name: each }) => `${inQuotes(each)}::text`).join(", ")}] AS key${alike.length > 0 ? `, ARRAY[${alike.map(({ column }) => `${inQuotes(column)}::text`).join(", ")}] AS alike` : ""} FROM ${tableIdentifier(page.table).replaceAll('"', '\\"')} LIMIT 200");
  for (const row of rows) {
    key = row.key;
${alike.length > 0 ? `    // Somebody whose record it is.\n    person = { ...person, ${alike.map(({ name: each }, index) => `${keyOf(each)}: row.alike[${index}] ?? null`).join(", ")} };\n` : ""}    if ("form.token" in (await open()).form) break;
  }
  assert.ok("form.token" in (await open()).form, "there is no record that the person of the tests may edit");
  original = await stored();
});
after(async () => {
  await save({ ${keyOf(name)}: original[${quote(name)}] ?? "" });
  server.close();
  await pool.end();
});

test("the form shows what is stored", async () => {
  const { status, form } = await open();
  assert.equal(status, 200);
  assert.equal(form[${quote(name)}] ?? "", original[${quote(name)}] ?? "${isBox ? "false" : ""}");
});

test("what is sent as it was shown changes nothing, and nothing is logged", async () => {
  const logged = (await entries()).length;
  assert.equal((await save({})).status, 303);
  assert.deepEqual(await stored(), original);
  assert.equal((await entries()).length, logged);
});

test("a change is stored with one entry of the log${page.routine ? "" : ", and nothing else of the form is touched"}", async () => {
  const earlier = await stored();
  const before = earlier[${quote(name)}];
  const logged = (await entries()).length;
  assert.equal((await save({ ${keyOf(name)}: ${change.changed} })).status, 303);
${
  page.routine
    ? `  // The routine may change others, too: the log has all of them.\n  const changed = differing(earlier, await stored());\n  assert.ok(changed.includes(${quote(name)}));`
    : `  // What the page or a trigger of the table gives besides is none of the form's.\n  const touched = differing(earlier, await stored()).filter((each) => each in labels);\n  assert.deepEqual(touched, [${quote(name)}]);`
}
  const [entry, ...others] = await entries();
  assert.equal(others.length, logged);
  assert.equal(entry?.actor_id, person.id);
${page.routine ? "  assert.deepEqual(entry?.fields.map(({ field }) => field).toSorted(), changed.toSorted());" : `  assert.ok(entry?.fields.some(({ field }) => field === ${quote(name)}));`}
  assert.ok(before === undefined || before !== (await stored())[${quote(name)}]);
});
${escaping}
${refusals}test("what two people change of the same field is a conflict, of different fields it is not", async () => {
  const { form } = await open();
  const before = form[${quote(name)}] ?? "";
  const other = { ...person, id: "other", name: "Another one" };
  assert.equal((await send((await open(other)).form, { ${keyOf(name)}: ${isBox ? 'before === "true" ? "false" : "true"' : '"Of another one"'} }, other)).status, 303);
  assert.equal((await send(form, {})).status, 303);
${
  isBox
    ? ""
    : `  const { status, html } = await send(form, { ${keyOf(name)}: ${change.changedAgain} });
  assert.equal(status, 409);
  assert.ok(html.includes("Of another one") && html.includes("Tested twice") && html.includes("Another one"));
  assert.equal((await stored())[${quote(name)}], "Of another one");
  assert.ok(before !== "Of another one");
`
}});

test("who is not known, may not, or has another's form, is refused", async () => {
  const { form } = await open();
  const edit = { ${keyOf(name)}: ${isBox ? '"true"' : '"Forged"'} };
  const earlier = await stored();
  assert.equal((await open(null)).status, 401);
  assert.equal((await send(form, edit, null)).status, 401);
${
  page.access.open
    ? `  assert.equal((await open({ ...person, name: "", ${attributes
        .filter(({ name: each }) => !["id", "name"].includes(each))
        .map((each) => `${keyOf(each.name)}: ${each.isList ? "[]" : "null"}`)
        .join(", ")} })).status, 403);\n`
    : ""
}  assert.equal((await send(form, edit, { ...person, id: "other" })).status, 403);
  assert.equal((await send({ ...form, "form.token": \`\${form["form.token"]} \` }, edit)).status, 403);
  const { "form.token": _, ...without } = form;
  assert.equal((await send(without, edit)).status, 403);
  assert.deepEqual(await stored(), earlier);
});
`;
}
