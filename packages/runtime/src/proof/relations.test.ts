import { afterAll, beforeAll, expect, test } from "@jest/globals";
import { draftPages } from "@loyal-quill/authoring";
import { readCatalog, tableName } from "@loyal-quill/core";
import { freshDatabase, type TestDatabase } from "@loyal-quill/testing";
import pg from "pg";
import { connect, databaseOver } from "../index.js";

let made: TestDatabase;
let pool: pg.Pool;
beforeAll(async () => {
  made = await freshDatabase("template0");
  const owner = new pg.Client(made.owner);
  await owner.connect();
  await owner.query(`
    CREATE SCHEMA proof;
    CREATE SCHEMA hidden;
    CREATE TABLE proof.station (code text PRIMARY KEY, name text);
    CREATE TABLE proof.reading (code text, value integer);
    CREATE TABLE proof.other (id integer PRIMARY KEY, said text);
    CREATE TABLE hidden.secret (id integer PRIMARY KEY);
    CREATE VIEW proof.named AS SELECT code, name FROM proof.station;
    CREATE VIEW proof.joined AS SELECT s.code, r.value FROM proof.station AS s JOIN proof.reading AS r USING (code);
    CREATE VIEW proof.hopeless AS SELECT a.value FROM proof.reading AS a;
    CREATE VIEW proof.above AS SELECT code FROM proof.hopeless, proof.named;
    CREATE VIEW proof.alone AS SELECT 1 AS one;
    CREATE MATERIALIZED VIEW proof.kept AS SELECT code FROM proof.station;
    CREATE RULE log AS ON UPDATE TO proof.other DO ALSO SELECT 1;
    GRANT USAGE ON SCHEMA proof TO quill_pages;
    GRANT SELECT, INSERT, UPDATE ON ALL TABLES IN SCHEMA proof TO quill_pages;
    CREATE TABLE proof.partly (id integer PRIMARY KEY, open text, closed text);
    GRANT SELECT (id, open), UPDATE (open) ON proof.partly TO quill_pages;
    CREATE TABLE proof.shown_only (id integer PRIMARY KEY, text text);
    GRANT SELECT ON proof.shown_only TO quill_pages;
  `);
  await owner.end();
  pool = connect(made.pages, 2);
});
afterAll(async () => {
  await pool.end();
  await made.drop();
});

test("every relation that can't have a page is named with the right reason, and where it leads", async () => {
  const catalog = await readCatalog(databaseOver(pool));
  const { drafts, without } = draftPages(catalog);
  expect(drafts.map(({ table }) => table)).toEqual(["proof.other", "proof.station"]);
  expect(Object.fromEntries(without.map(({ table, because }) => [table, because]))).toEqual({
    "hidden.secret":
      "this connection may not use its schema: grant USAGE on the schema hidden, and SELECT on the table",
    "proof.above": expect.stringMatching(
      /^a view that joins proof\.hopeless and proof\.named, none of which can have a page/,
    ),
    "proof.alone": "a view of no table: there is no record behind it to correct",
    "proof.hopeless": expect.stringMatching(
      /^a view of proof\.reading, which can't have a page either: it needs a primary key/,
    ),
    "proof.joined":
      "a view that joins proof.reading and proof.station: make a page for proof.station, the one of them that can have one",
    "proof.kept": "a materialized view, which can't be written, of proof.station: make a page for that table",
    "proof.named": "a view of proof.station: make a page for that table",
    "proof.partly":
      "this connection may read some of its columns only, and the change log needs the whole record: grant SELECT on the table",
    "proof.reading": "it needs a primary key, or a unique set of columns of which none may be null",
    "proof.shown_only":
      "this connection may not update it: grant UPDATE, on the table or on the columns that people may correct",
  });
});

test("rules that rewrite a table's statements are read with their events", async () => {
  const { tables } = await readCatalog(databaseOver(pool));
  expect(
    tables.filter((each) => each.rewriteRules.length > 0).map((each) => [tableName(each), each.rewriteRules]),
  ).toEqual([["proof.other", [{ name: "log", on: "update" }]]]);
});

test("what a domain demands, and those that it is made of, is demanded of its columns", async () => {
  const owner = new pg.Client(made.owner);
  await owner.connect();
  await owner.query(`
    CREATE DOMAIN proof.share AS numeric(5,2) CHECK (VALUE BETWEEN 0 AND 100);
    CREATE DOMAIN proof.rate AS proof.share NOT NULL DEFAULT 20 CHECK (VALUE <= 25);
    CREATE DOMAIN proof.mood AS varchar(10) CHECK (VALUE IN ('good', 'bad'));
    CREATE TABLE proof.due (id integer PRIMARY KEY, rate proof.rate, mood proof.mood);
    GRANT SELECT ON proof.due TO quill_pages;
  `);
  await owner.end();
  const { tables } = await readCatalog(databaseOver(pool));
  const due = tables.find(({ name }) => name === "due");
  expect(due?.columns.slice(1)).toMatchObject([
    {
      name: "rate",
      nullable: false,
      default: "20",
      type: { kind: "decimal", precision: 5, scale: 2, shown: "proof.rate" },
    },
    { name: "mood", nullable: true, default: null, type: { kind: "text", maxLength: 10 } },
  ]);
  expect(due?.demands).toEqual([
    { constraint: "share_check", column: "rate", by: ">=", values: ["0"] },
    { constraint: "share_check", column: "rate", by: "<=", values: ["100"] },
    { constraint: "rate_check", column: "rate", by: "<=", values: ["25"] },
    { constraint: "mood_check", column: "mood", by: "in", values: ["good", "bad"] },
  ]);
});
