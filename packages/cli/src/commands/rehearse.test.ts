import { execFile } from "node:child_process";
import { cp, mkdtemp, readFile, rm, writeFile } from "node:fs/promises";
import os from "node:os";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { freshDatabase, type TestDatabase } from "@loyal-quill/testing";
import pg from "pg";

const program = fileURLToPath(new URL("../../bin/quill.js", import.meta.url));
const demoPages = fileURLToPath(new URL("../../../../demo/pages", import.meta.url));

let made: TestDatabase;
let directory: string;
beforeAll(async () => {
  made = await freshDatabase();
  directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-rehearse-"));
  await cp(demoPages, directory, { recursive: true });
});
afterAll(async () => {
  await rm(directory, { recursive: true });
  await made.drop();
});

/** Runs the real command to its end. */
const rehearse = (...told: readonly string[]): Promise<{ code: number; out: string; error: string }> =>
  new Promise((resolve) => {
    const words = [program, "rehearse", "--database", made.pages, ...told];
    execFile(process.execPath, words, { cwd: directory, maxBuffer: 2 ** 28 }, (error, out, said) =>
      resolve({ code: typeof error?.code === "number" ? error.code : 0, out, error: said }),
    );
  });

/** What a table holds, as one text. */
async function rowsOf(table: string): Promise<string> {
  const client = new pg.Client(made.owner);
  await client.connect();
  const { rows } = await client.query(`SELECT t::text FROM ${table} AS t ORDER BY 1`);
  await client.end();
  return JSON.stringify(rows);
}

const write = (name: string, text: string): Promise<void> => writeFile(path.join(directory, name), text);

async function changed(name: string, from: string, to: string): Promise<void> {
  const text = await readFile(path.join(demoPages, name), "utf8");
  if (!text.includes(from)) throw new Error(`not in the file: ${from}`);
  await write(name, text.replace(from, to));
}

const cases = `format: loyal-quill/cases@1
people:
  north: { roles: [technician], attributes: { region_id: 1 } }
cases:
  - name: A region has to have a name
    as: north
    type: { name: "" }
    expect: { outcome: invalid, status: 422, at: [name] }
  - name: A region may be called anything
    as: north
    type: { name: Rehearsed Vale }
    expect: { outcome: saved, stored: { name: Lower Vale } }
`;

describe("quill rehearse", () => {
  test("tells of a sound page, ends with 0, and leaves table and log as they were", async () => {
    const before = [await rowsOf("network.region"), await rowsOf("quill_log.change")];
    const { code, out, error } = await rehearse("region.page.yaml");
    expect({ code, error }).toEqual({ code: 0, error: "" });
    expect(out).toMatch(
      /^region\.page\.yaml: \d{3} cases in [\d.]+ s, as somebody who is .+: \d+ as expected, 0 not as expected/,
    );
    expect([await rowsOf("network.region"), await rowsOf("quill_log.change")]).toEqual(before);
  });

  test("finds values for each field of a page of a table whose rows have few: none chosen, one record referred to, moments that no control shows", async () => {
    const owner = new pg.Client(made.owner);
    await owner.connect();
    await owner.query(`
      CREATE TABLE field.inspection (
        id uuid PRIMARY KEY DEFAULT gen_random_uuid(), river_id integer NOT NULL REFERENCES network.river,
        held_at timestamp NOT NULL, outcome text CHECK (outcome IN ('sound', 'worn')), due date CHECK (due > '2027-01-01')
      );
      INSERT INTO field.inspection (river_id, held_at)
        SELECT (SELECT min(id) FROM network.river), '2026-03-04 10:00:00.123456'::timestamp + i * interval '1 day' FROM generate_series(1, 4) AS i;
      GRANT SELECT, INSERT, UPDATE, DELETE ON field.inspection TO quill_pages`);
    await owner.end();
    await write(
      "inspection.page.yaml",
      `format: loyal-quill/page@1
title: "Inspection {held_at}"
path: /inspections/{id}
record: { table: field.inspection, key: id }
access: { open: "true", new: true }
fields: [river_id, held_at, outcome, due]
`,
    );
    const { out } = await rehearse("--quick", "--format", "json", "inspection.page.yaml");
    await rm(path.join(directory, "inspection.page.yaml"));
    const { cases: played, counts } = JSON.parse(out).files[0].rehearsal;
    const open = played.filter(({ verdict }: { verdict: string }) => !["as expected", "left out"].includes(verdict));
    expect(open.map(({ id, because }: { id: string; because: string[] }) => [id, because])).toEqual([]);
    expect(counts["as expected"]).toBeGreaterThan(80);
  });

  test("plays the cases that stand beside the page, and ends with 1 where one comes out otherwise", async () => {
    await write("region.cases.yaml", cases);
    const { code, out } = await rehearse("--quick", "--format", "json", "region.page.yaml");
    await rm(path.join(directory, "region.cases.yaml"));
    expect(code).toBe(1);
    const [{ rehearsal }] = JSON.parse(out).files;
    const own = rehearsal.cases.filter((each: { kind: string }) => each.kind === "own");
    expect(own).toMatchObject([
      { verdict: "as expected", title: "A region has to have a name" },
      { verdict: "otherwise", because: ["name is stored as Rehearsed Vale, not as Lower Vale."] },
    ]);
    expect(own[0].evidence.at(-1)).toMatchObject({ status: 422, touched: [], entries: [] });
  });

  test("says file and line of a case that can't be read", async () => {
    await write("region.cases.yaml", cases.replace("expect: { outcome: saved", "expect: { outcom: saved"));
    const { code, error } = await rehearse("region.page.yaml");
    await rm(path.join(directory, "region.cases.yaml"));
    expect(code).not.toBe(0);
    expect(error).toMatch(
      /region\.cases\.yaml:12: "outcom" is not a name that a file of cases knows here\. Did you mean "outcome"\?/,
    );
  });

  test("tells what comes out otherwise than with the page as it was", async () => {
    await changed(
      "station.page.yaml",
      "notes: { control: multi-line, rules: [{ max-length: 2000 }] }",
      "notes: { control: multi-line }",
    );
    const { code, out } = await rehearse("--quick", "--against", demoPages, "station.page.yaml");
    await cp(path.join(demoPages, "station.page.yaml"), path.join(directory, "station.page.yaml"));
    expect(out).toContain("differs from before  published.check.max-length.outside:notes");
    expect(code).toBe(1);
  });

  test("writes what continuous integration reads, with the review's error where a page can't be rehearsed", async () => {
    await changed("river.page.yaml", "record:", "recrd:");
    const { code, out } = await rehearse("--quick", "--format", "junit", "region.page.yaml", "river.page.yaml");
    await cp(path.join(demoPages, "river.page.yaml"), path.join(directory, "river.page.yaml"));
    expect(code).toBe(1);
    expect(out).toMatch(
      /^<\?xml version="1\.0" encoding="UTF-8"\?>\n<testsuites><testsuite name="region\.page\.yaml" tests="\d+" failures="0"/,
    );
    expect(out).toContain(
      '<testcase classname="region.route" name="route.wrong-method: PUT to the address of the form"',
    );
    expect(out).toContain('<testsuite name="river.page.yaml" tests="1" failures="0" errors="1">');
  });
});
