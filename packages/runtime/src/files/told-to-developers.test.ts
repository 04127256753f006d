import { mkdtemp, rm, writeFile } from "node:fs/promises";
import os from "node:os";
import path from "node:path";
import { afterEach, beforeEach, describe, expect, test } from "@jest/globals";
import { bodyOf, Client, formOf } from "@loyal-quill/testing";
import { createPages, type Pages, type PagesOptions } from "../index.js";
import { errorText } from "../own/errors.js";
import { ownFrame, type Served, serve } from "../testing/served.js";
import { makeTrips, type Trips, tamsin } from "../testing/trips.js";

/*
 * What a developer is told whose pages are mounted and something is wrong: on the console, by `pages.ready`, and below the page that failed.
 */

const file = `format: loyal-quill/page@1
title: "Buoy {id}"
path: /buoys/{id}
record: { table: network.buoy, key: id }
access: { open: "true" }
fields: [name]
`;

let trips: Trips;
let pages: Pages | undefined;
let served: Served | undefined;
let errors: Error[] = [];
let problems: string[] = [];

beforeEach(async () => {
  errors = [];
  problems = [];
  trips = await makeTrips({
    sql: [
      "CREATE TABLE network.buoy (id integer PRIMARY KEY, name text)",
      "INSERT INTO network.buoy VALUES (1, 'North')",
      "GRANT SELECT, UPDATE ON network.buoy TO quill_pages",
    ],
    files: { buoy: file },
  });
});
afterEach(async () => {
  await served?.stop();
  await trips.close();
});

async function start(more: Partial<PagesOptions> = {}): Promise<Client> {
  pages = await createPages({
    database: trips.database,
    pages: trips.directory,
    signingKey: "a key for tests, thirty-two bytes long",
    actor: () => tamsin,
    frame: ownFrame,
    onError: (error) => void errors.push(error as Error),
    onProblem: ({ file: name, finding }) => void problems.push(`${name}:${finding.line}: ${finding.message}`),
    ...more,
  });
  served = await serve(pages, "/records");
  return new Client(served.origin);
}

const rename = async (client: Client, name: string) => {
  const form = formOf((await client.get("/records/buoys/1/edit")).text);
  return client.post("/records/buoys/1/edit", bodyOf(form, { name }));
};

describe("a developer is told", () => {
  test("what is served and what isn't, once it is known, and of each error where it stands", async () => {
    await writeFile(path.join(trips.directory, "wreck.page.yaml"), file.replace("fields: [name]", "fields: [nmae]"));
    const client = await start();
    const ready = await pages?.ready;
    expect(ready?.served).toEqual([{ name: "buoy", title: "Buoy", path: "/buoys" }]);
    expect(ready?.problems).toMatchObject([{ file: "wreck.page.yaml", served: "nothing", finding: { line: 6 } }]);
    expect(ready?.log).toBeNull();
    expect(problems).toEqual([expect.stringMatching(/^wreck\.page\.yaml:6: .*nmae/)]);
    // Both have one address; the sound one is served.
    expect((await client.get("/records/buoys")).status).toBe(200);
  });

  test("by the page itself, outside production only, and never of a workbench that isn't there", async () => {
    await writeFile(path.join(trips.directory, "buoy.page.yaml"), file.replace("fields: [name]", "fields: [nmae]"));
    const client = await start();
    const { status, text } = await client.get("/records/buoys");
    expect(status).toBe(503);
    expect(text).toMatch(/For developers[\s\S]*buoy\.page\.yaml:6:\d+ {2}error[\s\S]*nmae/);
    expect(text).not.toContain("workbench");
    await served?.stop();
    const quiet = await start({ developer: false });
    expect((await quiet.get("/records/buoys")).text).not.toContain("For developers");
  });

  test("of a change log that is missing, with the command, at the start and at a save", async () => {
    await trips.owner.query("ALTER SCHEMA quill_log RENAME TO elsewhere");
    const client = await start();
    expect((await pages?.ready)?.log).toContain("quill log install --database OWNER_URL --for ROLE");
    expect(errors.map(({ message }) => message)).toEqual([expect.stringContaining("There is no change log")]);
    const { status, text } = await rename(client, "South");
    expect(status).toBe(503);
    expect(text).toContain("The change log is missing, and nothing is saved without it.");
    expect(text).toMatch(/For developers[\s\S]*quill log install/);
    expect(text).not.toContain("does not fit its table");
  });

  test("of a log that the connection may not write", async () => {
    await trips.owner.query("REVOKE USAGE ON SCHEMA quill_log FROM quill_pages");
    await start();
    expect((await pages?.ready)?.log).toContain("This connection may not write the change log");
  });
});

describe("an error of the developer's own code", () => {
  let directory: string;
  beforeEach(async () => {
    directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-own-"));
  });
  afterEach(() => rm(directory, { recursive: true }));

  test("is told with its file, its line and the line itself first, and what it was thrown through after that", async () => {
    const source = path.join(directory, "buoy.page.mjs");
    await writeFile(source, "export function check() {\n  const level = {};\n  return level.deep.er;\n}\n");
    const cause = new TypeError("Cannot read properties of undefined (reading 'er')");
    cause.stack = `TypeError: ${cause.message}\n    at check (file://${source}?changed=17:3:21)\n    at run (node:internal/x:1:1)`;
    const [place = "", line = "", mark = ""] = errorText(new Error("check of buoy.page.mjs failed", { cause })).split(
      "\n",
    );
    expect(place).toMatch(/buoy\.page\.mjs:3:21 {2}check of buoy\.page\.mjs failed$/);
    expect(line).toBe("     3 |   return level.deep.er;");
    expect(mark.indexOf("^")).toBe(line.indexOf("er;", line.indexOf("deep")));
  });

  test("is told as it is where none of it is theirs", () => {
    const error = new Error("away");
    error.stack = "Error: away\n    at x (node:internal/y:1:2)";
    expect(errorText(error)).toBe(error.stack);
    expect(errorText("a text")).toBe("a text");
  });

  test("in a module that can't be read names the line", async () => {
    await writeFile(
      path.join(trips.directory, "buoy.page.mjs"),
      "export default {\n  check() {\n    const = 4;\n  },\n};\n",
    );
    await expect(start()).rejects.toThrow(/buoy\.page\.mjs can't be loaded: Unexpected token.*line 3: const = 4;/);
  });
});
