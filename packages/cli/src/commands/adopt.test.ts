import { execFile } from "node:child_process";
import { mkdtemp, readFile, rm, writeFile } from "node:fs/promises";
import { createServer, type Server } from "node:http";
import type { AddressInfo } from "node:net";
import os from "node:os";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { formFindingKinds } from "@loyal-quill/authoring/adopt";
import { freshDatabase, type TestDatabase } from "@loyal-quill/testing";
import express from "express";
import pg from "pg";
import { parse } from "yaml";
import { checkFiles, serve } from "../index.js";
import { type AdoptOptions, adopt } from "./adopt.js";

/*
 * Forms that somebody has written by hand, served by a small application: what is made of each, and that each fault is found and none where there
 * is none.
 */

const demoPages = fileURLToPath(new URL("../../../../demo/pages", import.meta.url));
const program = fileURLToPath(new URL("../../bin/quill.js", import.meta.url));

let made: TestDatabase;
let client: pg.Client;
let server: Server;
let origin: string;
let directory: string;
/** What the application answers with, and where. */
let page = "";
let asked: Record<string, string | string[] | undefined> = {};

const notes = '\nSaid "high & dry" <b>twice</b>, it\'s so.\n  Indented.  ';

beforeAll(async () => {
  made = await freshDatabase();
  directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-adopt-"));
  client = new pg.Client(made.owner);
  await client.connect();
  await client.query(
    `UPDATE network.station SET name = 'Otter "Weir" & Mill', notes = $1, alert_m = 1.25, warning_m = 2.75, telemetry = true, status = 'live', installed_on = '1999-03-02' WHERE code = 'MV-014'`,
    [notes],
  );
  await client.query(
    `CREATE TABLE network.tick (id integer PRIMARY KEY, title text NOT NULL, begins timestamptz NOT NULL, ends timestamp, done boolean, weight numeric(8,3), size text CHECK (size IN ('small', 'large')));
     INSERT INTO network.tick VALUES (7, 'Seventh tick', '2026-07-01 12:30:00+00', '2026-07-01 18:00:00', false, 12.125, 'large'), (8, 'Eighth', '2026-01-01 00:00+00', NULL, NULL, NULL, NULL);
     GRANT SELECT ON network.tick TO quill_pages`,
  );
  const app = express();
  app.use((request, response) => {
    asked = request.headers;
    response.type("html").send(page);
  });
  server = createServer(app);
  server.keepAliveTimeout = 120_000;
  await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
  origin = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
});
afterAll(async () => {
  server.closeAllConnections();
  server.close();
  await client.end();
  await rm(directory, { recursive: true });
  await made.drop();
});

interface Ended {
  readonly code: number;
  readonly out: string;
  readonly error: string;
}

const quill = (...told: readonly string[]): Promise<Ended> =>
  new Promise((resolve) => {
    execFile(
      process.execPath,
      [program, "adopt", ...told],
      { cwd: directory, env: { PATH: process.env.PATH, DATABASE_URL: made.pages } },
      (error, out, said) => resolve({ code: typeof error?.code === "number" ? error.code : 0, out, error: said }),
    );
  });

const escaped = (text: string): string =>
  text.replaceAll("&", "&amp;").replaceAll("<", "&lt;").replaceAll(">", "&gt;").replaceAll('"', "&quot;");

const token = '<input type="hidden" name="_csrf" value="f3b0c44298fc1c149afbf4c8996fb924">';

/** A sound form of the station, as a good engineer writes it. */
const station = (): string => `<!doctype html><html lang="en"><body><h1>Station MV-014</h1>
<form method="post" action="/stations/MV-014/edit">${token}
<p><label for="name">Station name</label><input id="name" name="name" required maxlength="60" value="${escaped('Otter "Weir" & Mill')}"></p>
<p><label for="river">River</label><select id="river" name="river_id"><option value="1">First</option><option value="2" selected>Second</option></select></p>
<p><label for="region">Region</label><select id="region" name="region_id"><option value="1">One</option><option value="2">Two</option></select></p>
<p><label>Status <select name="status"><option>planned</option><option selected>live</option><option>closed</option></select></label></p>
<fieldset><legend>Levels</legend>
<p><label for="alert">Alert level</label><input id="alert" name="alert_m" type="number" step="0.01" min="0" value="1.25" aria-describedby="alert-help"><small id="alert-help">Above the gauge's zero.</small></p>
<p><label for="warning">Warning level</label><input id="warning" name="warning_m" inputmode="decimal" value="2.75"></p></fieldset>
<p><input type="hidden" name="telemetry" value="false"><label><input type="checkbox" name="telemetry" value="true" checked> Reports by telemetry</label></p>
<p><label for="installed">Installed on</label><input id="installed" name="installed_on" type="date" value="1999-03-02"></p>
<p><label for="notes">Notes</label><textarea id="notes" name="notes">
${escaped(notes)}</textarea></p>
<button>Save</button></form></body></html>`;

/** The same record, in the manner of other stacks: names in brackets, a table, camel case, keys in the query. */
const brackets = (): string =>
  station()
    .replaceAll(
      /name="(name|river_id|region_id|status|alert_m|warning_m|telemetry|installed_on|notes)"/g,
      'name="station[$1]"',
    )
    .replace('action="/stations/MV-014/edit"', 'action="/stations/update?code=MV-014"');
const camel = (): string =>
  station()
    .replace('name="installed_on"', 'name="installedOn"')
    .replace('name="alert_m"', 'name="alertM"')
    .replaceAll('name="telemetry"', 'name="Telemetry"')
    .replace('name="river_id"', 'name="River.Id"')
    .replace('action="/stations/MV-014/edit"', 'action=""');
const inTable =
  (): string => `<html><body><table><form method=POST action="save.php">${token}<input type=hidden name=code value=MV-014>
<tr><td>Station name:</td><td><input name=name value="${escaped('Otter "Weir" & Mill')}"></td></tr>
<tr><td>Installed on *</td><td><input name=installed_on value="02.03.1999"></td></tr>
<tr><td>Alert level</td><td><input name=alert_m value="1,25"></td></tr></form></table></body></html>`;

const at = (): string => `${origin}/stations/MV-014/edit`;

interface Said {
  readonly table: string;
  readonly page: { readonly name: string; readonly text: string } | null;
  readonly controls: readonly {
    readonly name: string;
    readonly column: string | null;
    readonly certainty: string | null;
    readonly reasons?: readonly string[];
  }[];
  readonly notRead: readonly { readonly line: number; readonly column: number; readonly because: string }[];
  readonly findings: readonly {
    readonly code: string;
    readonly control: string | null;
    readonly line: number;
    readonly severity: string;
  }[];
}

/** What is made of a source, without a process of its own. */
async function adoptedFrom(source: string, more: Partial<AdoptOptions> = {}): Promise<Said> {
  let out = "";
  await adopt(
    {
      source,
      database: made.pages,
      table: "network.station",
      key: {},
      headers: {},
      zones: [],
      columns: {},
      handler: undefined,
      to: undefined,
      format: "json",
      ...more,
    },
    (text) => {
      out = text;
    },
  );
  return JSON.parse(out) as Said;
}

const adopted = (html: string, more: Partial<AdoptOptions> = {}): Promise<Said> => {
  page = html;
  return adoptedFrom(at(), more);
};

const codesOf = ({ findings }: Said): string[] =>
  findings.map(({ code, control }) => (control === null ? code : `${code} ${control}`));

describe("a form of a known record", () => {
  test("becomes a page file that holds: its fields in their order, with labels, groups, help and rules", async () => {
    const { page: draft, controls, findings } = await adopted(await withRivers(station()));
    expect(findings).toEqual([]);
    expect(controls.map(({ name, column, certainty }) => [name, column, certainty])).toEqual([
      ["_csrf", null, null],
      ...["name", "river_id", "region_id", "status", "alert_m", "warning_m", "telemetry", "installed_on", "notes"].map(
        (name) => [name, name, "certain"],
      ),
    ]);
    const file = parse(draft?.text ?? "") as { record: unknown; fields: unknown[]; path: string };
    expect(file.record).toEqual({ table: "network.station", key: "code" });
    expect(file.fields).toEqual([
      { code: { help: "Like MV-123." } },
      { name: { label: "Station name" } },
      expect.anything(),
      expect.anything(),
      "status",
      {
        alert_m: {
          label: "Alert level",
          unit: "m",
          help: "Above the gauge's zero.",
          group: "Levels",
          rules: [{ min: 0 }],
        },
      },
      { warning_m: { label: "Warning level", unit: "m", group: "Levels" } },
      { telemetry: { label: "Reports by telemetry" } },
      "installed_on",
      { notes: { control: "multi-line" } },
    ]);
    await writeFile(path.join(directory, "station.page.yaml"), draft?.text ?? "");
    const [checked] = await checkFiles({
      database: made.pages,
      files: [path.join(directory, "station.page.yaml")],
      rows: true,
    });
    expect(checked?.findings.filter(({ severity }) => severity === "error")).toEqual([]);
  });

  test("keeps the form's names, and takes what somebody says of a control before what it looks like", async () => {
    const html = `<form method="post" action="/stations/MV-014"><input type="hidden" name="_csrf" value="x1y2z3x1y2z3x1y2">
<label>Name <input name="station[title]" value="Otter &quot;Weir&quot; &amp; Mill"></label>
<label>Low <input name="low" value="1.25"></label><label>High <input name="station[warning_m]" value="2.75"></label></form>`;
    const plain = await adopted(html);
    expect(plain.controls.map(({ name, column }) => [name, column])).toEqual([
      ["_csrf", null],
      ["station[title]", "name"],
      ["low", "alert_m"],
      ["station[warning_m]", "warning_m"],
    ]);
    const chosen = await adopted(html, {
      columns: { low: "warning_m", "station[warning_m]": "alert_m", "station[title]": "" },
    });
    expect(chosen.controls.map(({ column, reasons }) => [column, reasons])).toEqual([
      [null, []],
      [null, []],
      ["warning_m", ["it was chosen"]],
      ["alert_m", ["it was chosen"]],
    ]);
    expect((parse(chosen.page?.text ?? "") as { names: unknown }).names).toEqual({
      warning_m: "low",
      alert_m: "station[warning_m]",
    });
    const file = path.join(directory, "names.page.yaml");
    await writeFile(file, plain.page?.text ?? "");
    const [checked] = await checkFiles({ database: made.pages, files: [file], rows: true });
    expect(checked?.findings.filter(({ severity }) => severity === "error")).toEqual([]);
    await expect(adopted(html, { columns: { low: "depth" } })).rejects.toThrow("network.station has no column depth.");
    expect(
      await quill(at(), "--table", "network.station", "--column", "station[title]=name", "--column", "low"),
    ).toMatchObject({
      code: 1,
      error: expect.stringContaining("NAME=COLUMN"),
    });
  });

  /** The choices with what is stored selected. */
  async function withRivers(html: string): Promise<string> {
    const { rows } = await client.query<{ river: number; region: number }>(
      "SELECT river_id AS river, region_id AS region FROM network.station WHERE code = 'MV-014'",
    );
    const { river = 0, region = 0 } = rows[0] ?? {};
    return html
      .replace('<option value="2" selected>Second</option>', `<option value="${river}" selected>Second</option>`)
      .replace('<option value="2">Two</option>', `<option value="${region}" selected>Two</option>`);
  }

  test.each([
    ["names in brackets, and the key in the query", brackets],
    ["names in camel case, and an address of its own", camel],
    ["a table, unquoted attributes, days and decimals as people write them", inTable],
  ])("in the manner of other stacks, %s, is as sound", async (_, html) => {
    const said = await adopted(await withRivers(html()));
    expect(codesOf(said).filter((each) => !each.startsWith("no-label"))).toEqual([]);
    expect(said.controls.filter(({ column }) => column === null).map(({ name }) => name)).toEqual(["_csrf"]);
  });

  const faults: readonly (readonly [what: string, code: string, plant: (html: string) => string])[] = [
    ["GET for a change", "get-for-a-change", (html) => html.replace('method="post"', 'method="get"')],
    ["no method", "get-for-a-change", (html) => html.replace('method="post" ', "")],
    ["no token", "no-token", (html) => html.replace(token, "")],
    ["a token that is empty", "no-token", (html) => html.replace("f3b0c44298fc1c149afbf4c8996fb924", "")],
    ["no key for the handler", "no-key", (html) => html.replace("/stations/MV-014/edit", "/stations/save")],
    [
      "a key in a disabled control",
      "no-key",
      (html) =>
        html
          .replace("/stations/MV-014/edit", "/stations/save")
          .replace(token, `${token}<label>Code <input name="code" value="MV-014" disabled></label>`),
    ],
    [
      "a key that can be typed over",
      "key-can-be-typed code",
      (html) => html.replace(token, `${token}<label>Code <input name="code" value="MV-014"></label>`),
    ],
    [
      "a placeholder in the place of the value",
      "placeholder-for-value warning_m",
      (html) => html.replace('value="2.75"', 'placeholder="2.75"'),
    ],
    ["no value", "value-missing alert_m", (html) => html.replace('value="1.25"', "")],
    [
      "a day in another notation than its control takes",
      "value-missing installed_on",
      (html) => html.replace('value="1999-03-02"', 'value="02/03/1999"'),
    ],
    [
      "a stored choice that isn't selected",
      "choice-not-selected status",
      (html) => html.replace("<option selected>live", "<option>live"),
    ],
    [
      "another choice selected",
      "choice-not-selected status",
      (html) =>
        html.replace("<option selected>live", "<option>live").replace("<option>closed", "<option selected>closed"),
    ],
    [
      "a stored choice that isn't offered",
      "choice-not-offered status",
      (html) => html.replace("<option selected>live</option>", ""),
    ],
    [
      "a box that isn't ticked",
      "box-not-ticked telemetry",
      (html) => html.replace(' value="true" checked', ' value="true"'),
    ],
    [
      "a text area without the line break that a browser drops",
      "white-space-differs notes",
      (html) => html.replace('name="notes">\n', 'name="notes">'),
    ],
    [
      "a text area that is indented",
      "white-space-differs notes",
      (html) => html.replace('name="notes">\n', 'name="notes">\n    '),
    ],
    [
      "a trimmed text",
      "white-space-differs notes",
      (html) => html.replace("Indented.  </textarea>", "Indented.</textarea>"),
    ],
    ["digits cut off", "value-cut warning_m", (html) => html.replace('value="2.75"', 'value="2.8"')],
    [
      "a text cut off",
      "value-cut notes",
      (html) => html.replace(", it's so.\n  Indented.  </textarea>", "</textarea>"),
    ],
    [
      "a day before, as a time zone makes it",
      "time-shifted installed_on",
      (html) => html.replace('value="1999-03-02"', 'value="1999-03-01"'),
    ],
    [
      "quotes that aren't escaped",
      "not-escaped name",
      (html) => html.replace("Otter &quot;Weir&quot; &amp; Mill", 'Otter "Weir" & Mill'),
    ],
    [
      "a text that is escaped twice",
      "not-escaped name",
      (html) => html.replace("Otter &quot;Weir&quot; &amp; Mill", "Otter &amp;quot;Weir&amp;quot; &amp;amp; Mill"),
    ],
    ["another column's value", "value-differs warning_m", (html) => html.replace('value="2.75"', 'value="14.20"')],
    [
      "a name that no column knows",
      "unknown-name gauge_colour",
      (html) => html.replace("</fieldset>", '</fieldset><label>Colour <input name="gauge_colour" value=""></label>'),
    ],
    [
      "two controls of one name",
      "name-twice warning_m",
      (html) =>
        html.replace("</fieldset>", '</fieldset><label>Warning level <input name="warning_m" value="2.75"></label>'),
    ],
    [
      "a control that does not take what is stored",
      "stored-value-refused name",
      (html) => html.replace('maxlength="60"', 'maxlength="10"'),
    ],
    [
      "a range that leaves the stored value out",
      "stored-value-refused alert_m",
      (html) => html.replace('min="0" value="1.25"', 'min="2" value="1.25"'),
    ],
    [
      "a control without a label",
      "no-label warning_m",
      (html) => html.replace('<label for="warning">Warning level</label>', "Warning level"),
    ],
    ["another table's form", "form-not-found", () => "<form method=post><input name=q></form>"],
  ];

  test.each(faults)("%s is found, and nothing else", async (_, code, plant) => {
    const sound = await withRivers(station());
    const html = plant(sound);
    expect(html).not.toBe(sound);
    const said = await adopted(html);
    expect(codesOf(said)).toEqual([code]);
    // It stands where it is said to stand.
    const control = said.findings[0]?.control;
    if (control)
      expect(
        html
          .split("\n")
          .slice((said.findings[0]?.line ?? 1) - 1)
          .join("\n"),
      ).toContain(`name="${control}"`);
  });

  /** A sound handler of that form, as a good engineer writes it in TypeScript. */
  const sound = `import type { Request, Response, Router } from "express";
import { pool } from "./pool.js";
import { readStation, sameToken } from "./read.js";

export function stationRoutes(router: Router): void {
  router.post("/stations/:code/edit", async (req: Request, res: Response) => {
    const { code } = req.params;
    if (!sameToken(req.session.token, req.body._csrf)) return res.status(403).render("refused");
    const { name, river_id, region_id, status, alert_m, warning_m, installed_on, notes } = req.body;
    const telemetry = req.body.telemetry === "true";
    const problems = readStation({ name, river_id, region_id, status, alert_m, warning_m, telemetry, installed_on, notes });
    if (problems.length > 0) {
      return res.status(422).render("station", { code, typed: req.body, problems });
    }
    const { rowCount } = await pool.query(
      \`UPDATE network.station SET name = $2, river_id = $3, region_id = $4, status = $5, alert_m = $6, warning_m = $7, telemetry = $8, installed_on = $9, notes = $10 WHERE code = $1\`,
      [code, name, river_id, region_id, status, alert_m, warning_m, telemetry, installed_on || null, notes],
    );
    if (rowCount === 0) return res.status(404).render("gone", { code });
    res.redirect(303, "/stations/" + code);
  });
}
`;
  /** The same in JavaScript with callbacks, in another layout. */
  const older = `const router = require("express").Router();
const SQL = "UPDATE station SET name = $1, river_id = $2, region_id = $3, status = $4, alert_m = $5, warning_m = $6, telemetry = $7, installed_on = $8, notes = $9" +
  " WHERE code = $10";
router.post("/stations/:code/edit", csrfProtection, function (req, res, next) {
  const b = req.body;
  const problems = validate(b);
  if (problems) return res.render("station", { problems: problems, typed: b });
  db.query(SQL, [b.name, b.river_id, b.region_id, b.status, b.alert_m, b.warning_m, b.telemetry ? true : false, b.installed_on, b.notes, req.params.code], function (err, result) {
    if (err) return next(err);
    if (result.rowCount === 0) return next(new Error("gone"));
    res.redirect("/stations/" + req.params.code);
  });
});
`;

  async function withHandler(handler: string, html?: string): Promise<Said> {
    const file = path.join(directory, "handler.ts");
    await writeFile(file, handler);
    return adopted(html ?? (await withRivers(station())), { handler: file });
  }

  test.each([
    ["TypeScript and await", sound],
    ["JavaScript and callbacks", older],
    [
      "a tagged template",
      sound
        .replace(
          /await pool\.query\([\s\S]*?\n {4}\);/,
          `await sql\`UPDATE network.station SET name = \${name}, notes = \${notes} WHERE code = \${code}\`;`,
        )
        .replace("{ rowCount }", "{ count: rowCount }"),
    ],
    [
      "RETURNING in the place of a number",
      sound
        .replace("{ rowCount }", "{ rows }")
        .replace("code = $1", "code = $1 RETURNING code")
        .replace("rowCount === 0", "rows.length === 0"),
    ],
    [
      "an object in the place of a text",
      sound
        .replace("await pool.query(\n", "await pool.query({ text:\n")
        .replace("code = $1`,\n      [", "code = $1`,\n      values: [")
        .replace("notes],\n    );", "notes] });"),
    ],
  ])("a sound handler, %s, has nothing said of it", async (_, handler) => {
    const said = await withHandler(handler);
    expect([codesOf(said), said.notRead]).toEqual([[], []]);
  });

  const handlerFaults: readonly (readonly [what: string, code: string, plant: (handler: string) => string])[] = [
    [
      "a statement put together from text",
      "sql-from-text",
      (text) => text.replace("notes = $10 WHERE code = $1", `notes = $10 WHERE code = '\${code}'`),
    ],
    [
      "columns' names from the request",
      "sql-from-text",
      (text) => text.replace("SET name = $2", `SET \${req.query.column} = $2`),
    ],
    ["UPDATE without WHERE", "no-where", (text) => text.replace(" WHERE code = $1", "")],
    ["WHERE by no key", "where-by-no-key", (text) => text.replace("WHERE code = $1", "WHERE river_id = $1")],
    [
      "all columns written from the body",
      "columns-from-body",
      (text) => text.replace("readStation({", "Object.entries(req.body).map(String); readStation({"),
    ],
    [
      "nobody looks at the rows",
      "rows-not-looked-at",
      (text) => text.replace("const { rowCount } = await", "await").replace(/ {4}if \(rowCount.*\n/, ""),
    ],
    [
      "answered before the write has ended",
      "answer-before-write",
      (text) => text.replace("const { rowCount } = await", "").replace(/ {4}if \(rowCount.*\n/, ""),
    ],
    ["GET for a change", "get-for-a-change", (text) => text.replace("router.post(", "router.get(")],
    [
      "nothing judged on the server",
      "browser-judges-alone",
      (text) =>
        text
          .replace(/ {4}if \(!sameToken.*\n/, "    const token = req.body._csrf;\n")
          .replace(/ {4}const problems[\s\S]*? {4}\}\n/, ""),
    ],
    [
      "what was typed is lost",
      "typed-is-lost",
      (text) =>
        text.replace(
          'return res.status(422).render("station", { code, typed: req.body, problems });',
          'return res.redirect("/stations/" + code + "/edit");',
        ),
    ],
    ["a control that nobody reads", "not-read notes", (text) => text.replaceAll(/, notes\b/g, "")],
    [
      "a name that the form does not send",
      "not-sent gauge_zero",
      (text) => text.replace("const telemetry", "const gaugeZero = req.body.gauge_zero;\n    const telemetry"),
    ],
    ["a token that nobody compares", "token-not-checked _csrf", (text) => text.replace(/ {4}if \(!sameToken.*\n/, "")],
  ];
  test.each(handlerFaults)("in the handler, %s is found, and nothing else", async (_, code, plant) => {
    const handler = plant(sound);
    expect(handler).not.toBe(sound);
    const said = await withHandler(handler);
    expect(codesOf(said)).toEqual([code]);
  });

  test("a box that can't be switched off is found by form and handler together; what isn't understood is said", async () => {
    const bare = (await withRivers(station())).replace('<input type="hidden" name="telemetry" value="false">', "");
    expect(codesOf(await withHandler(sound, bare))).toEqual([]);
    const taken = sound.replace('req.body.telemetry === "true"', "req.body.telemetry");
    expect(codesOf(await withHandler(taken, bare))).toEqual(["box-cannot-be-switched-off telemetry"]);
    const nothing = await withHandler("export const nothing = 1;");
    expect(nothing.notRead).toEqual([
      { line: 1, column: 1, because: "No function with a statement that changes something was found." },
    ]);
    expect((await withHandler("const = ;")).notRead).toHaveLength(1);
  });

  /** A sound template of that form, in EJS. */
  const template = `<h1><%= station.name %></h1>
<% if (problems.length) { %><p role="alert">Look at what is marked.</p><% } %>
<%- include("header") %>
<form method="post" action="/stations/<%= station.code %>/edit">
<input type="hidden" name="_csrf" value="<%= token %>">
<label>Station name <input name="name" required value="<%= station.name %>"></label>
<label>River <select name="river_id"><% for (const river of rivers) { %><option value="<%= river.id %>" <%= river.id === station.river_id ? "selected" : "" %>><%= river.name %></option><% } %></select></label>
<label>Alert level <input name="alert_m" value="<%= station.alert_m %>"></label>
<input type="hidden" name="telemetry" value="false"><label><input type="checkbox" name="telemetry" value="true" <%= station.telemetry ? "checked" : "" %>> Telemetry</label>
<label>Installed on <input type="date" name="installed_on" value="<%= station.installed_on %>"></label>
<label>Notes <textarea name="notes">
<%= station.notes %></textarea></label>
<button>Save</button></form>`;
  const templateFaults: readonly (readonly [what: string, code: string | null, plant: (text: string) => string])[] = [
    ["nothing", null, (text) => text],
    [
      "camel case",
      null,
      (text) => text.replace("station.alert_m", "station.alertM").replace("station.river_id", 'station["riverId"]'),
    ],
    [
      "a value printed as it is",
      "not-escaped name",
      (text) => text.replace('value="<%= station.name %>"', 'value="<%- station.name %>"'),
    ],
    ["no value", "value-missing alert_m", (text) => text.replace('value="<%= station.alert_m %>"', "")],
    [
      "a placeholder",
      "placeholder-for-value alert_m",
      (text) => text.replace('value="<%= station.alert_m %>"', 'placeholder="<%= station.alert_m %>"'),
    ],
    ["another column", "value-differs alert_m", (text) => text.replace("station.alert_m", "station.warning_m")],
    [
      "no choice selected",
      "choice-not-selected river_id",
      (text) => text.replace(' <%= river.id === station.river_id ? "selected" : "" %>', ""),
    ],
    [
      "a box that is never ticked",
      "box-not-ticked telemetry",
      (text) => text.replace(' <%= station.telemetry ? "checked" : "" %>', ""),
    ],
    [
      "white space in a text area",
      "white-space-differs notes",
      (text) => text.replace("<%= station.notes %></textarea>", "  <%= station.notes %>\n</textarea>"),
    ],
    ["digits cut off", "value-cut alert_m", (text) => text.replace("station.alert_m", "station.alert_m.toFixed(1)")],
    [
      "a day by way of a moment",
      "time-shifted installed_on",
      (text) => text.replace("station.installed_on", "station.installed_on.toISOString().slice(0, 10)"),
    ],
    ["no key", "no-key", (text) => text.replace("/stations/<%= station.code %>/edit", "/stations/save")],
    ["no token", "no-token", (text) => text.replace('<input type="hidden" name="_csrf" value="<%= token %>">', "")],
    ["GET", "get-for-a-change", (text) => text.replace('method="post"', 'method="get"')],
  ];
  test.each(templateFaults)(
    "of a template with %s is found what is there, and nothing else",
    async (_, code, plant) => {
      const file = path.join(directory, "station.ejs");
      await writeFile(file, plant(template));
      const said = await adoptedFrom(file);
      expect(codesOf(said)).toEqual(code === null ? [] : [code]);
      expect(said.controls.filter(({ column }) => column === null).map(({ name }) => name)).toEqual(
        code === "no-token" ? [] : ["_csrf"],
      );
      expect(said.page?.text).toContain("alert_m: { label: Alert level, unit: m }");
    },
  );

  test("moments are held against the zones that the form may show; a page that was saved is read as well", async () => {
    const form = (begins: string, weight = "12.125"): string =>
      `<form method="post" action="/ticks/7">${token}<label>Title <input name="title" value="Seventh tick"></label><label>Begins <input type="datetime-local" name="begins" value="${begins}"></label><label>Ends <input name="ends" value="01.07.2026 18:00"></label><label><input type="checkbox" name="done"> Done</label><label>Weight <input name="weight" value="${weight}"></label><label>Size <select name="size"><option>small</option><option selected>large</option></select></label></form>`;
    const look = async (html: string, zones: readonly string[] = []): Promise<string[]> => {
      const file = path.join(directory, "saved.html");
      await writeFile(file, html);
      return codesOf(await adoptedFrom(file, { table: "network.tick", key: { id: "7" }, zones }));
    };
    expect(await look(form("2026-07-01T12:30"))).toEqual([]);
    expect(await look(form("2026-07-01T13:30"))).toEqual(["time-shifted begins"]);
    expect(await look(form("2026-07-01T13:30"), ["Europe/London"])).toEqual([]);
    expect(await look(form("2026-07-01T12:30", "12.13"))).toEqual(["value-cut weight"]);
  });

  test("of our own, as the demo serves it, is sound, and drafted as what it is", async () => {
    const serving = await serve(
      {
        database: made.pages,
        pages: demoPages,
        store: undefined,
        port: undefined,
        host: "127.0.0.1",
        workbench: false,
        as: "Lotte Haas",
        roles: ["technician", "hydrologist"],
        name: "Vale",
        signingKeys: undefined,
      },
      () => {},
    );
    try {
      for (const [table, address, key, fields] of [
        ["network.station", "/stations/MV-014/edit", {}, 10],
        ["network.river", "/rivers/7/edit", {}, 2],
        ["network.region", "/regions/2/edit", {}, 2],
        ["network.sensor", "/sensors/MV-014/1/edit", { station_code: "MV-014", channel: "1" }, 7],
      ] as const) {
        const said = await adoptedFrom(`${serving.address}${address}`, { table, key, zones: ["Europe/London"] });
        expect([table, codesOf(said)]).toEqual([table, []]);
        expect([table, said.controls.filter(({ column }) => column !== null).length]).toEqual([table, fields]);
        // The form tells by itself what it is for.
        expect(await adoptedFrom(`${serving.address}${address}`, { table: undefined, key })).toMatchObject({ table });
      }
    } finally {
      await serving.stop();
    }
  });

  test("is written for people, for programs and for code scanning, and its file once", async () => {
    page = (await withRivers(station())).replace('method="post"', 'method="get"');
    const first = await quill(at(), "--to", "pages", "--header", "Cookie: session=a:b");
    expect(first.code).toBe(1);
    expect(asked.cookie).toBe("session=a:b");
    expect(first.out).toContain(
      "river_id      river_id (certain: it has the column's name, its label says so, it shows what is stored there)",
    );
    expect(first.out).toContain(
      `${at()}:2:1: error: The form is sent by GET: a change belongs into a POST. [get-for-a-change]`,
    );
    expect(first.out).toContain("pages/station.page.yaml is written, over network.station.");
    expect(await readFile(path.join(directory, "pages/station.page.yaml"), "utf8")).toContain(
      "Made from a form, over network.station.",
    );
    const again = await quill(at(), "--table", "station", "--to", "pages");
    expect(again.error).toContain("is there already, and is left as it is.");
    const log = JSON.parse((await quill(at(), "--table", "station", "--format", "sarif")).out);
    expect(log.runs[0].results[0]).toMatchObject({
      ruleId: "get-for-a-change",
      level: "error",
      locations: [{ physicalLocation: { region: { startLine: 2, startColumn: 1 } } }],
    });
  });

  test("what can't be done is said: another machine, no table, no record, an address that leads away", async () => {
    page = station();
    const said = async (...told: readonly string[]): Promise<string> => (await quill(...told)).error;
    expect(await said("http://192.0.2.1/stations/1", "--table", "network.station")).toContain("is on another machine");
    expect(await said(at(), "--table", "network.nothing")).toContain("There is no table network.nothing");
    page = '<form method="post"><input name="q"><input type="hidden" name="id" value="1"></form>';
    expect(await said(at())).toContain(
      "Which table is the form for? No control has the name of a column: say --table SCHEMA.NAME.",
    );
    await client.query(
      "CREATE TABLE network.tock (LIKE network.tick INCLUDING ALL); GRANT SELECT ON network.tock TO quill_pages",
    );
    page = '<form method="post"><input name="title"><input name="weight"><input name="size"></form>';
    expect(await said(at())).toContain(
      "Which table is the form for? Its controls fit network.tick, network.tock: say --table SCHEMA.NAME.",
    );
    // What its handler changes is the table, however its controls are called.
    const changes = path.join(directory, "ticks.ts");
    await writeFile(
      changes,
      `app.post("/x/:id", (req) => { db.query('INSERT INTO audit (what) VALUES ($1)', [1]); db.query('UPDATE "network"."tock" SET title = $1 WHERE id = $2', [req.body.title, req.params.id]); });`,
    );
    await client.query("INSERT INTO network.tock SELECT * FROM network.tick");
    expect(await adopted(page, { table: undefined, key: { id: "7" }, handler: changes })).toMatchObject({
      table: "network.tock",
    });
    page = station();
    expect(await said(`${origin}/stations/new`, "--table", "network.station")).toContain(
      "Say --key COLUMN=VALUE, by one of its keys: code",
    );
    expect(await said(at(), "--table", "network.station", "--key", "code=MV-999")).toContain(
      "network.station has no record with code MV-999.",
    );
    expect(await said("nothing.html", "--table", "network.station")).toContain("nothing.html can't be read.");
  });
});

test("the documentation has each kind of finding, with what it means and what to do", async () => {
  const text = await readFile(new URL("../../../../docs/adopting.md", import.meta.url), "utf8");
  const rows = [...text.matchAll(/^\| `([a-z-]+)` \| (\w+) \| (.*) \| (.*) \|$/gm)].map(
    ([, code, level, means, remedy]) => [
      code,
      { level, means: means?.replaceAll("\\", ""), remedy: remedy?.replaceAll("\\", "") },
    ],
  );
  expect(Object.fromEntries(rows)).toEqual(formFindingKinds);
});
