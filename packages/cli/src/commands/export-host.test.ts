import { mkdir, readFile, writeFile } from "node:fs/promises";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { type Answered, ask, bodyOf, ended, type Side, side, tamsin } from "../testing/beside.js";
import {
  complaints,
  directoryWithin,
  exported,
  type Host,
  personHeader,
  removed,
  startExported,
  withExpress4,
} from "../testing/exported.js";
import { seen } from "../testing/seen.js";
import { draft } from "./draft.js";

/* Exported code in an application of somebody's own: what stands before it there, where it is mounted, and which Express that is. */

const names = ["station", "visit", "river", "region"];
const files = names.map((name) => fileURLToPath(new URL(`../../../../demo/pages/${name}.page.yaml`, import.meta.url)));
const visitId = "00000000-0000-4000-8000-000000000001";
const station = "/stations/MV-014/edit";
const visit = `/visits/${visitId}/edit`;

/** The routes are mounted at the name of what has read the form before them. */
const parsers: Host = {
  mount: "/:before",
  before: `
app.use("/json", express.json());
app.use("/nested", express.urlencoded({ extended: true }));
app.use("/both", express.json(), express.urlencoded({ extended: false }));
app.use("/text", express.text());
app.use("/all-text", express.text({ type: "*/*" }));
app.use("/taken", async (request, _response, next) => {
  for await (const _ of request);
  request.body = {};
  next();
});`,
  options: `actor: async (request: express.Request) => {
    if (request.get("x-fails")) throw new Error("The sessions are away.");
    return JSON.parse(request.get("${personHeader}") ?? "null");
  },`,
  // What the application says of errors itself.
  after: `app.use(((error, _request, response, _next) => {
  response.status(error.status ?? 500).send(\`Own words: \${error.message}\`);
}) as express.ErrorRequestHandler);`,
};

const directories = new Map<number, string>();
let base: Side;
beforeAll(async () => {
  const sql = `INSERT INTO field.visit (id, station_code, visitor_id, visited_at)
    SELECT '${visitId}'::uuid, 'MV-014', id, '2026-05-01 10:00Z' FROM office.person LIMIT 1`;
  base = await side(async () => ({ origin: "", stop: async () => {} }), [sql]);
  for (const version of [4, 5]) {
    const directory = await directoryWithin();
    directories.set(version, directory);
    await exported(base.made.pages, files, directory);
    if (version === 4) await withExpress4(directory);
  }
}, 120_000);
afterAll(async () => {
  await ended(base);
  for (const directory of directories.values()) await removed(directory);
});

const started = async (version: number, host: Host): Promise<Side> => ({
  ...base,
  application: await startExported(directories.get(version) ?? "", names, base.made.pages, host),
});

describe.each([4, 5])("in an application of Express %i", (version) => {
  let at: Side;
  beforeAll(async () => {
    at = await started(version, parsers);
  }, 60_000);
  afterAll(() => at.application.stop());

  const save = async (
    address: string,
    edits: Readonly<Record<string, string>>,
    more: RequestInit = {},
  ): Promise<Answered> => ask(at, address, tamsin, bodyOf((await ask(at, address, tamsin)).seen, edits), more);
  const sendFile = async (address: string, photo: Blob, edits: Readonly<Record<string, string>> = {}) => {
    const body = new FormData();
    for (const [name, value] of (await ask(at, address, tamsin)).seen.sends) body.set(name, edits[name] ?? value);
    body.set("photo", photo, "weir.png");
    const response = await fetch(`${at.application.origin}${address}`, {
      method: "POST",
      body,
      redirect: "manual",
      headers: { [personHeader]: JSON.stringify(tamsin) },
    });
    return { status: response.status, text: await response.text() };
  };
  const photoStored = async (): Promise<string | null> => {
    const { rows } = await base.owner.query(
      "SELECT convert_from(photo, 'UTF8') AS photo FROM field.visit WHERE id = $1",
      [visitId],
    );
    return rows[0].photo;
  };

  test("the code is strict TypeScript", async () => {
    expect(await complaints(directories.get(version) ?? "")).toBe("");
  }, 60_000);

  test.each(["nothing", "json", "nested", "both", "text"])(
    "a form is saved, refused, and answered at the place where the routes are mounted, after: %s",
    async (before) => {
      const name = `Otter Weir, ${version}, ${before}`;
      const saved = await save(`/${before}${station}`, { name });
      expect([saved.status, saved.location, saved.left]).toEqual([
        303,
        `/${before}/stations`,
        `MV-014, ${name}, is saved.`,
      ]);
      expect((await base.owner.query("SELECT name FROM network.station WHERE code = 'MV-014'")).rows).toEqual([
        { name },
      ]);
      const refused = await save(`/${before}${station}`, { name: "" });
      expect([refused.status, refused.seen.summary?.lines]).toEqual([422, ["Station name is needed: enter a value."]]);
      for (const type of ["application/json", "text/plain", "multipart/form-data; boundary=x"])
        expect([
          type,
          (await ask(at, `/${before}${station}`, tamsin, "{}", { headers: { "content-type": type } })).status,
        ]).toEqual([type, 415]);
      const photo = `by ${before} of ${version}`;
      expect((await sendFile(`/${before}${visit}`, new Blob([photo], { type: "image/png" }))).status).toBe(303);
      expect(await photoStored()).toBe(photo);
    },
  );

  test("every link and form of a page leads below that place", async () => {
    for (const address of [`/nothing${visit}`, "/nothing/stations/MV-999/edit"]) {
      const response = await fetch(`${at.application.origin}${address}`, {
        headers: { [personHeader]: JSON.stringify(tamsin) },
      });
      const led = [...(await response.text()).matchAll(/(?:href|action)="([^"]*)"/g)].map(([, to]) => to);
      expect(led.length).toBeGreaterThan(0);
      expect(led.filter((to) => !to?.startsWith("/nothing/"))).toEqual([]);
    }
  });

  test("where nothing is left of a form, the application is told, and nothing is saved", async () => {
    const told =
      "Own words: A parser before these routes has read the form and left no fields: mount the routes before that parser.";
    const [stored, photo] = [await ask(at, `/nothing${station}`, tamsin), await photoStored()];
    expect((await save(`/all-text${station}`, { name: "Lost" })).fault).toBe(told);
    expect(await sendFile(`/taken${visit}`, new Blob(["lost"], { type: "image/png" }))).toEqual({
      status: 500,
      text: told,
    });
    expect((await ask(at, `/nothing${station}`, tamsin)).seen.fields).toEqual(stored.seen.fields);
    expect(await photoStored()).toBe(photo);
  });

  test("who can't be asked for is the application's error, and it goes on", async () => {
    const more = { headers: { "x-fails": "yes" } };
    for (const answer of [
      await ask(at, `/nothing${station}`, tamsin, undefined, more),
      await ask(at, `/nothing${station}`, tamsin, "name=x", more),
      await ask(at, `/nothing${visit}`, tamsin, "--x--", {
        headers: { ...more.headers, "content-type": "multipart/form-data; boundary=x" },
      }),
    ])
      expect(answer.fault).toBe("Own words: The sessions are away.");
    expect((await ask(at, `/nothing${station}`, tamsin)).status).toBe(200);
  });

  test("what is too large is said, with what was typed beside it", async () => {
    const large = await sendFile(`/nothing${visit}`, new Blob(["x".repeat(17_000_000)]), { findings: "Typed <here>." });
    expect([large.status, seen(large.text).heading]).toEqual([413, "What was sent is too large"]);
    expect(large.text).toContain("<dt>findings</dt><dd>Typed &lt;here&gt;.</dd>");
    expect((await save(`/nothing${station}`, { notes: "x".repeat(1_100_000) })).seen.heading).toBe(
      "What was sent is too large",
    );
  });

  test("methods are told", async () => {
    const options = await ask(at, `/nothing${station}`, null, undefined, { method: "OPTIONS" });
    expect([options.status, options.allow]).toEqual([204, "GET, HEAD, POST, OPTIONS"]);
    expect((await ask(at, `/nothing${station}`, tamsin, undefined, { method: "PUT" })).status).toBe(405);
  });
});

test("a form is taken by the page that made it, and by no other with the same key", async () => {
  const at = await started(5, {});
  try {
    const { seen: form } = await ask(at, "/rivers/3/edit", tamsin);
    expect((await ask(at, "/rivers/3/edit", tamsin, bodyOf(form, {}))).status).toBe(303);
    expect((await ask(at, "/regions/3/edit", tamsin, bodyOf(form, {}))).status).toBe(403);
  } finally {
    await at.application.stop();
  }
}, 60_000);

describe("the line that a save leaves", () => {
  let at: Side;
  beforeAll(async () => {
    const list = `app.get(["/stations", "/visits", "/said/:name"], (request, response) => { response.send(\`<p>\${takeSaid(request, response) ?? "Nothing"}</p>\`); });`;
    at = await started(5, { before: `const { takeSaid } = await import("./shared/answers.js");\n${list}` });
  }, 60_000);
  afterAll(() => at.application.stop());

  /** What a browser would say at an address that keeps these cookies. */
  const saidAt = async (address: string, cookies: readonly string[]) => {
    const response = await fetch(`${at.application.origin}${address}`, {
      headers: { [personHeader]: JSON.stringify(tamsin), cookie: cookies.map((each) => each.split(";")[0]).join("; ") },
    });
    const text = await response.text();
    return {
      status: response.status,
      said: seen(text).said ?? /^<p>(.*)<\/p>$/.exec(text)?.[1] ?? null,
      cookies: response.headers.getSetCookie(),
    };
  };
  const saved = async (address: string, edits: Readonly<Record<string, string>>): Promise<string> => {
    const response = await fetch(`${at.application.origin}${address}`, {
      method: "POST",
      body: new URLSearchParams(bodyOf((await ask(at, address, tamsin)).seen, edits)),
      redirect: "manual",
      headers: { [personHeader]: JSON.stringify(tamsin) },
    });
    return response.headers.getSetCookie().join();
  };

  test("is said at the address that it was left for, and at no other; the list can say it, too", async () => {
    const ofStation = await saved(station, { name: "Said Weir" });
    expect(ofStation).toContain("Path=/stations;");
    expect(await saidAt("/stations/MV-020/edit", [ofStation])).toEqual({ status: 200, said: null, cookies: [] });
    expect(await saidAt("/stations?page=2", [ofStation])).toEqual({
      status: 200,
      said: "MV-014, Said Weir, is saved.",
      cookies: [expect.stringMatching(/^page_said=; Path=\/stations; Expires=Thu, 01 Jan 1970/)],
    });
    const ofVisit = await saved(visit, { findings: "Said." });
    expect((await saidAt(visit, [ofStation, ofVisit])).said).toMatch(/^Visit to MV-014, .* is saved\.$/);
    expect((await saidAt("/stations", [ofVisit, ofStation])).said).toBe("MV-014, Said Weir, is saved.");
  });

  test.each([
    ["a path that no cookie can have", "/said/x;y", "page_said=%2Fsaid%2Fx%253By%20Said", "Said"],
    ["what can't be decoded", "/stations", "page_said=%2Fstations%20%E0%A4%A", "Nothing"],
    ["nothing", "/stations", "page_said=", "Nothing"],
  ])("no cookie that a person can send is a fault: %s", async (_, address, cookie, said) => {
    expect(await saidAt(address, [cookie])).toMatchObject({ status: 200, said });
  });
});

test("a secret that anybody could guess is refused at the start", async () => {
  await expect(started(5, { options: 'secret: "",' })).rejects.toThrow(
    "The secret that signs the forms needs at least 32 characters.",
  );
});

describe("values have one text form", () => {
  test("whatever the database says of days", async () => {
    const name = new URL(base.made.pages).pathname.slice(1);
    await base.owner.query(`ALTER DATABASE "${name}" SET datestyle = 'German, DMY'`);
    const at = await started(5, {});
    try {
      const { seen: form } = await ask(at, visit, tamsin);
      expect(form.fields.find(({ name: field }) => field === "visited_at")?.text).toBe("2026-05-01T11:00");
      const saved = await ask(at, visit, tamsin, bodyOf(form, { visited_at: "2026-05-02T12:30" }));
      expect([saved.status, saved.left]).toEqual([303, "Visit to MV-014, 2026-05-02 12:30:00 is saved."]);
    } finally {
      await at.application.stop();
      await base.owner.query(`ALTER DATABASE "${name}" RESET datestyle`);
    }
  }, 60_000);

  test("a pool whose sessions may print them otherwise is refused, with what it needs", async () => {
    await expect(
      started(5, {
        options: 'pool: new pg.Pool({ connectionString: process.env.DATABASE_URL, options: "-c timezone=utc" }),',
      }),
    ).rejects.toThrow('add "-c DateStyle=ISO" to the options of the pool');
  }, 60_000);

  test("intervals, too", async () => {
    await base.owner.query(
      `CREATE TABLE field.gate (id int PRIMARY KEY, note text, wait interval, "update" text);
       GRANT SELECT, UPDATE ON field.gate TO quill_pages`,
    );
    const to = path.join(directories.get(5) ?? "", "gate");
    await mkdir(to);
    await draft({ database: base.made.pages, tables: ["field.gate"], to }, () => {});
    await writeFile(
      path.join(to, "gate.page.yaml"),
      (await readFile(path.join(to, "gate.page.yaml"), "utf8")).replace(/ *- wait.*\n/, ""),
    );
    await exported(base.made.pages, [to], to);
    expect(await readFile(path.join(to, "gate/routes.ts"), "utf8")).toContain(
      'needSettings(options.pool, "IntervalStyle=iso_8601");',
    );
  });
});

test("a column with a bracket in its name is not exported: parsers of forms take it for a list", async () => {
  await base.owner.query(
    'CREATE TABLE field.gauge (id int PRIMARY KEY, "level[m]" text); GRANT SELECT, UPDATE ON field.gauge TO quill_pages',
  );
  const to = path.join(directories.get(5) ?? "", "bracket");
  await mkdir(to);
  await draft({ database: base.made.pages, tables: ["field.gauge"], to }, () => {});
  expect((await exported(base.made.pages, [to], to)).join()).toContain(
    "not exported, since its column level[m] has a bracket in its name, which parsers of forms take for a list.",
  );
});
