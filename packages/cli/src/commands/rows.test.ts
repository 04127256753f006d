import { execFile } from "node:child_process";
import { mkdtemp, readFile, rm, writeFile } from "node:fs/promises";
import os from "node:os";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { afterAll, beforeAll, expect, test } from "@jest/globals";
import { freshDatabase, type TestDatabase } from "@loyal-quill/testing";
import { parse } from "csv-parse/sync";
import { stringify } from "csv-stringify/sync";
import { type CellValue, readXlsx, writeXlsx } from "hucre/xlsx";
import pg from "pg";

const program = fileURLToPath(new URL("../../bin/quill.js", import.meta.url));
const demoPages = fileURLToPath(new URL("../../../../demo/pages", import.meta.url));
const keys = "a-key-of-thirty-two-bytes-or-more";

let made: TestDatabase;
let directory: string;
beforeAll(async () => {
  made = await freshDatabase();
  directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-rows-"));
});
afterAll(async () => {
  await rm(directory, { recursive: true });
  await made.drop();
});

interface Ended {
  readonly code: number;
  readonly out: string;
  readonly error: string;
}

/** Runs the real command to its end. */
const quill = (told: readonly string[], environment: Record<string, string> = { QUILL_SIGNING_KEYS: keys }) =>
  new Promise<Ended>((resolve) => {
    execFile(
      process.execPath,
      [program, "rows", ...told],
      { cwd: directory, env: { PATH: process.env.PATH, DATABASE_URL: made.pages, ...environment } },
      (error, out, said) => resolve({ code: typeof error?.code === "number" ? error.code : 0, out, error: said }),
    );
  });

const who = ["--pages", demoPages, "--as", "batch", "--role", "technician"];

/** The file, with cells set by record and heading. */
async function edited(edits: Record<string, Record<string, string>>): Promise<string> {
  const rows: string[][] = parse(await readFile(path.join(directory, "stations.csv"), "utf8"), { bom: true });
  const [heads = []] = rows;
  const text = stringify(
    rows.map((row) => row.map((cell, index) => edits[row[0] ?? ""]?.[heads[index] ?? ""] ?? cell)),
    { delimiter: ";" },
  );
  await writeFile(path.join(directory, "edited.csv"), text);
  return "edited.csv";
}

test("rows go out with a filter, come back, are looked at, and are saved with an entry each", async () => {
  const got = await quill(["get", "station", ...who, "--to", "stations.csv", "--query", "is.status=live&sort=-code"]);
  expect(got).toEqual({ code: 0, out: "stations.csv is written.\n", error: "" });
  const untouched = await quill(["apply", "stations.csv", ...who, "--dry-run"]);
  expect(untouched.out).toMatch(/^Page station: rows read: (\d+), unchanged: \1\.\nNothing was written/);
  expect(untouched.code).toBe(0);
  const [, first = [], second = []]: string[][] = parse(await readFile(path.join(directory, "stations.csv"), "utf8"));
  const [one = "", two = ""] = [first[0], second[0]];
  expect(one > two).toBe(true);
  const file = await edited({ [one]: { Notes: "From a terminal." }, [two]: { "Alert level": "99" } });
  const looked = await quill(["apply", file, ...who, "--dry-run"]);
  expect(looked.code).toBe(1);
  expect(looked.out).toContain("→ From a terminal.");
  expect(looked.out).toContain("The warning level must lie above the alert level.");
  const saved = await quill(["apply", file, ...who, "--save", "--format", "json"]);
  expect(JSON.parse(saved.out)).toMatchObject({
    page: "station",
    saved: 1,
    changed: [{ line: 2, cells: [{ field: "notes", new: "From a terminal." }] }],
    refused: [{ line: 3 }],
    conflicts: [],
  });
  expect(saved.code).toBe(1);
  const client = new pg.Client(made.owner);
  await client.connect();
  const { rows } = await client.query(
    "SELECT actor_id, record_key FROM quill_log.change WHERE page = 'station' ORDER BY id DESC LIMIT 2",
  );
  expect(rows[0]).toEqual({ actor_id: "batch", record_key: { code: one } });

  // Somebody else changes the same field: it is left, or told to be overwritten.
  await client.query("UPDATE network.station SET notes = 'Theirs' WHERE code = $1", [one]);
  const later = await edited({ [one]: { Notes: "Mine after all." } });
  const conflict = await quill(["apply", later, ...who, "--save"]);
  expect(conflict.out).toContain("stored now: Theirs");
  expect([conflict.code, /Rows saved: 0\./.test(conflict.out)]).toEqual([1, true]);
  const mine = await quill(["apply", later, ...who, "--save", "--conflicts", "mine"]);
  expect([mine.code, /Rows saved: 1\./.test(mine.out)]).toEqual([0, true]);
  expect((await client.query("SELECT notes FROM network.station WHERE code = $1", [one])).rows).toEqual([
    { notes: "Mine after all." },
  ]);
  await client.end();
});

test("a workbook goes out, comes back with a new record, and what can't be saved is written into another", async () => {
  const get = await quill(["get", "station", ...who, "--to", "stations.xlsx", "--query", "is.river_id=2"]);
  expect(get.out).toBe("stations.xlsx is written.\n");
  const read = async (name: string): Promise<CellValue[][]> =>
    (await readXlsx(await readFile(path.join(directory, name)))).sheets[0]?.rows ?? [];
  const rows = await read("stations.xlsx");
  const [heads = [], first = [], second = []] = rows;
  const at = (heading: string): number => heads.findIndex((head) => String(head).startsWith(heading));
  first[at("Notes")] = "From a workbook.";
  second[at("Alert level")] = 99;
  const added = first.with(at("Code"), "MV-901").with(at("Grid"), "MV 901 000").with(-1, null);
  const bytes = (await writeXlsx({ sheets: [{ name: "a", rows: [...rows, added] }] })) as Uint8Array;
  await writeFile(path.join(directory, "edited.xlsx"), bytes);
  const told = ["apply", "edited.xlsx", ...who, "--add-new", "--left", "left.xlsx"];
  const looked = await quill([...told, "--dry-run"]);
  expect(looked.error).toBe("");
  expect(looked.out).toMatch(/^new {7}row 6$/m);
  const saved = await quill([...told, "--save"]);
  expect([saved.code, /Rows saved: 2\./.test(saved.out)]).toEqual([1, true]);
  const left = await read("left.xlsx");
  expect(left).toHaveLength(2);
  expect(String(left[1]?.at(-1))).toContain("The warning level must lie above the alert level.");
  const wrong = await quill(["get", "station", ...who, "--to", "stations.ods"]);
  expect(wrong.error).toContain("stations.ods can't be written: only .csv and .xlsx files are.");
});

test("what can't be done is said: keys, pages, files, another person, a filter that is none", async () => {
  await quill(["get", "station", ...who, "--to", "stations.csv"]);
  const said = async (told: readonly string[], environment?: Record<string, string>): Promise<[number, string]> => {
    const { code, error } = await quill(told, environment);
    return [code, error];
  };
  expect(await said(["get", "station", ...who, "--to", "s.csv"], {})).toEqual([
    1,
    expect.stringContaining("Set QUILL_SIGNING_KEYS"),
  ]);
  expect(await said(["get", "station", ...who, "--to", "s.csv"], { QUILL_SIGNING_KEYS: "short" })).toEqual([
    1,
    expect.stringContaining("shorter than 32 bytes"),
  ]);
  expect(await said(["get", "stations", ...who, "--to", "s.csv"])).toEqual([
    1,
    expect.stringContaining("There is no page stations"),
  ]);
  expect(await said(["get", "visit", ...who, "--to", "s.csv"])).toEqual([
    1,
    expect.stringContaining("spreadsheet: true makes it so"),
  ]);
  expect(await said(["get", "station", ...who, "--to", "s.csv", "--query", "is.nothing=1"])).toEqual([
    1,
    expect.stringContaining("no list with is.nothing=1"),
  ]);
  expect(await said(["get", "station", ...who.slice(0, 4), "--to", "s.csv"])).toEqual([
    1,
    expect.stringContaining("answers 403"),
  ]);
  expect(await said(["apply", "none.csv", ...who, "--dry-run"])).toEqual([1, expect.stringContaining("can't be read")]);
  expect(await said(["apply", "stations.csv", ...who, "--dry-run"], { QUILL_SIGNING_KEYS: `${keys}-another` })).toEqual(
    [1, expect.stringContaining("no row that was marked with these keys")],
  );
  const other = await quill([
    "apply",
    "stations.csv",
    "--pages",
    demoPages,
    "--as",
    "else",
    "--role",
    "technician",
    "--dry-run",
  ]);
  expect(other.code).toBe(1);
  expect(other.out).toContain("This row was downloaded by someone else.");
});
