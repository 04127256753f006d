import { mkdtemp, rm, writeFile } from "node:fs/promises";
import os from "node:os";
import path from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { type Actor, type Database, type Handled, handle } from "@loyal-quill/core";
import {
  bodyOf,
  everyTypePage,
  everyTypeRows,
  everyTypeSql,
  everyTypeTyped,
  formOf,
  freshDatabase,
  type TestDatabase,
} from "@loyal-quill/testing";
import pg from "pg";
import { connect, databaseOver, type Loaded, loadPageFiles, signerOf } from "./index.js";

const ines: Actor = { id: "ines", name: "Ines Farrow", roles: ["builder"], attributes: {} };
const signer = signerOf("a key for tests, thirty-two bytes long");

let made: TestDatabase;
let pool: pg.Pool;
let owner: pg.Client;
let database: Database;
let site: Loaded;
let directory: string;

beforeAll(async () => {
  made = await freshDatabase();
  owner = new pg.Client(made.owner);
  await owner.connect();
  for (const statement of everyTypeSql) await owner.query(statement);
  pool = connect(made.pages);
  database = databaseOver(pool);
  directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-pages-"));
  await writeFile(path.join(directory, "every-type.page.yaml"), everyTypePage);
  site = await loadPageFiles(directory, database);
});

afterAll(async () => {
  await Promise.all([pool.end(), owner.end(), rm(directory, { recursive: true })]);
  await made.drop();
});

const send = (method: string, address: string, body: string | null = null): Promise<Handled> =>
  handle(
    site,
    {
      id: crypto.randomUUID(),
      at: new Date(),
      method,
      path: address,
      query: {},
      body: body === null ? null : { text: body },
      actor: ines,
      session: "s",
      said: null,
      signIn: null,
      frame: {
        base: "",
        application: "Proof",
        home: "/",
        language: "en",
        styleSheets: [],
        person: null,
        signOut: null,
      },
    },
    { database, signer, elapsed: () => performance.now() },
  );

const addressOf = (row: number): string => `/every-type/${row}/edit`;
const rowText = async (row: number): Promise<string> =>
  (
    await owner.query<{ text: string }>(
      'SELECT t::text || t.xmin::text AS text FROM proof."Every Type" AS t WHERE id = $1',
      [row],
    )
  ).rows[0]?.text ?? "";

describe("a table with a column of every type", () => {
  test("gets a sound page", () => {
    expect(site.files.flatMap((file) => file.findings)).toEqual([]);
    expect(site.pages).toHaveLength(1);
  });

  test.each(Array.from({ length: everyTypeRows }, (_, index) => index + 1))(
    "row %d opened and sent untouched changes nothing and writes nothing",
    async (row) => {
      const before = await rowText(row);
      const form = formOf((await send("GET", addressOf(row))).response.body);
      const { recorded, response } = await send("POST", addressOf(row), bodyOf(form));
      const touched = recorded?.steps
        .find((step) => step.step === "read")
        ?.values.filter((value) => value.note !== "untouched");
      expect(touched).toEqual([]);
      expect([response.status, recorded?.outcome]).toEqual([303, "unchanged"]);
      expect(await rowText(row)).toBe(before);
    },
  );

  test.each(everyTypeTyped)(
    "touching %j with %j stores %j, and the log says so of that field only",
    async (column, text, stored) => {
      const form = formOf((await send("GET", addressOf(1))).response.body);
      const { recorded } = await send("POST", addressOf(1), bodyOf(form, { [column]: text }));
      expect([recorded?.outcome, recorded?.steps.at(-1)?.stopped]).toEqual(["saved", null]);
      const { rows } = await owner.query<{ fields: { field: string; new: string }[] }>(
        "SELECT fields FROM quill_log.change ORDER BY id DESC LIMIT 1",
      );
      expect(rows[0]?.fields.map((change) => [change.field, change.new])).toEqual([[column, stored]]);
    },
  );

  test.each([
    ["inet", "10.0.0.256", "Inet can't be stored: invalid input syntax for type inet"],
    ["range", "[7,3]", "Range can't be stored: range lower bound must be less than or equal to range upper bound"],
    ["code", "XX-1", "Code can't be stored: value for domain proof.code violates check constraint"],
    ["percent%", "100.50", "Percent% can't be stored: value for domain proof.share violates check constraint"],
    ["texts", "{a", "Texts can't be stored: malformed array literal"],
    ["xml", "<a", "Xml can't be stored: invalid XML content"],
    ["day", "0044-02-30 BC", "Day can't be stored: date/time field value out of range"],
    ["nested", "{1,two}", "Nested can't be stored: invalid input syntax for type integer"],
    ["rounded", "3450", "Rounded must be a multiple of 100."],
    ["small", "32768", "Small is above 32767"],
  ])(
    "what PostgreSQL refuses of %j becomes the field's message, and what was typed stays: %j",
    async (column, text, message) => {
      const before = await rowText(2);
      const form = formOf((await send("GET", addressOf(2))).response.body);
      const { response } = await send("POST", addressOf(2), bodyOf(form, { [column]: text, select: "typed too" }));
      expect(response.status).toBe(422);
      expect(response.body.replaceAll("&#39;", "'")).toContain(message);
      expect(formOf(response.body).get(column)).toBe(text);
      expect(formOf(response.body).get("select")).toBe("typed too");
      expect(await rowText(2)).toBe(before);
    },
  );

  test("several refused values are told at once", async () => {
    const form = formOf((await send("GET", addressOf(2))).response.body);
    const { response } = await send("POST", addressOf(2), bodyOf(form, { inet: "x", mac: "y", bits: "z" }));
    expect(response.body).toContain("3 things to put right");
  });

  test("generated columns are shown and never written", async () => {
    const { response } = await send("GET", addressOf(1));
    expect(formOf(response.body).has("doubled")).toBe(false);
    expect(formOf(response.body).has("number")).toBe(false);
    const { recorded } = await send("POST", addressOf(1), bodyOf(formOf(response.body), { doubled: "7", number: "7" }));
    expect(recorded?.outcome).toBe("unchanged");
  });
});
