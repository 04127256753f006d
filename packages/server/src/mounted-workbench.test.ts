import { cp, mkdtemp, readFile, rm, writeFile } from "node:fs/promises";
import { createServer, type Server } from "node:http";
import type { AddressInfo } from "node:net";
import os from "node:os";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { forgetControls } from "@loyal-quill/core/controls/index";
import { forgetRules } from "@loyal-quill/core/rules/index";
import { createPages, type Pages } from "@loyal-quill/runtime";
import { bodyOf, Client, formOf, freshDatabase, type TestDatabase, untilAnswered } from "@loyal-quill/testing";
import compression from "compression";
import express from "express";
import pg from "pg";
import type { PersonAnswer, SessionAnswer } from "./api/answers/people.js";
import type { DraftTrialAnswer, PageFileAnswer } from "./api/answers/sheet.js";
import { type HostPerson, type MountedWorkbench, mountWorkbench } from "./index.js";

const key = "a key for tests, thirty-two bytes long";
const ines: HostPerson = {
  id: "7",
  name: "Ines Castell",
  email: "Ines@marrow-vale.example",
  roles: ["builder", "administrator", "auditor", "technician"],
};
const tamsin: HostPerson = {
  id: "8",
  name: "Tamsin Okoro",
  email: "tamsin@marrow-vale.example",
  roles: ["technician"],
};

let made: TestDatabase;
let owner: pg.Client;
let directory: string;
let built: string;
let pages: Pages;
let workbench: MountedWorkbench;
let server: Server;
let client: Client;
let person: HostPerson | null = ines;

/** An application of somebody's own, whose sign-in says who asks. */
beforeAll(async () => {
  made = await freshDatabase();
  owner = new pg.Client(made.owner);
  await owner.connect();
  directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-pages-"));
  await cp(fileURLToPath(new URL("../../../demo/pages", import.meta.url)), directory, { recursive: true });
  await writeFile(
    path.join(directory, "station.page.mjs"),
    `export default {
      check: ({ form, isTrial, problem }) => { if (form.name === "Refused") problem("name", isTrial ? "not even tried" : "not served"); },
      inTransaction: ({ query, say, isTrial }) => query("SELECT 1").then(() => say("trial: " + isTrial)),
      afterSave: () => { throw new Error("a trial has no after"); },
    };`,
  );
  await writeFile(
    path.join(directory, "quill.config.mjs"),
    `export default {
      rules: [{ name: "vale-grid", label: "Place on the grid", words: "a place on the grid", broken: (value) => /^MV \\d/.test(value) ? null : "No place on the grid." }],
      controls: [{ name: "grid-picker", write: () => { throw new Error("it is not asked for here"); } }],
    };`,
  );
  built = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-built-"));
  await writeFile(path.join(built, "index.html"), "<!doctype html><title>the built workbench</title>");
  const actor = (): (HostPerson & { attributes: Record<string, never> }) | null =>
    person && { ...person, attributes: {} };
  pages = await createPages({ database: made.pages, pages: directory, signingKey: key, actor, onError: () => {} });
  workbench = await mountWorkbench(
    {
      databases: { vale: { pages, mount: "/records", database: made.pages, log: made.reader } },
      store: made.store,
      signingKey: key,
      person: () => person,
      people: () => [tamsin],
      signIn: "/own/sign-in",
      name: "Somebody's own",
    },
    built,
  );
  const app = express();
  app.use("/workbench", workbench.router);
  app.use("/elsewhere", workbench.router);
  app.use("/records", pages.router);
  app.use((error: Error, _request: express.Request, response: express.Response, _next: express.NextFunction) => {
    response.status(500).send(error.message);
  });
  server = createServer(app);
  server.keepAliveTimeout = 120_000;
  await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
  client = new Client(`http://127.0.0.1:${(server.address() as AddressInfo).port}`);
});
afterAll(async () => {
  forgetControls();
  forgetRules();
  workbench.endStreams();
  server.closeAllConnections();
  await new Promise((resolve) => server.close(resolve));
  await workbench.close();
  await pages.close();
  await owner.end();
  await made.drop();
  await Promise.all([rm(directory, { recursive: true }), rm(built, { recursive: true })]);
});

async function as<Result>(other: HostPerson | null, run: () => Promise<Result>): Promise<Result> {
  const before = person;
  person = other;
  try {
    return await run();
  } finally {
    person = before;
  }
}

const session = async (): Promise<SessionAnswer> => JSON.parse((await client.get("/workbench/api/session")).text);

async function send<T>(
  method: string,
  address: string,
  body?: unknown,
  token?: string,
): Promise<{ status: number; said: T }> {
  const answer = await client.send(`/workbench/api${address}`, {
    method,
    headers: { "x-csrf-token": token ?? (await session()).csrfToken, "content-type": "application/json" },
    ...(body === undefined ? {} : { body: JSON.stringify(body) }),
  });
  return { status: answer.status, said: JSON.parse(answer.text) as T };
}

describe("the workbench in somebody's application", () => {
  test("is open to whom the application's sign-in says, by their roles", async () => {
    expect((await client.get("/workbench/pages/station")).text).toContain("the built workbench");
    expect(await session()).toMatchObject({
      name: "Ines Castell",
      application: "Somebody's own",
      accountsHere: false,
      mount: "/records",
      roles: ["builder", "administrator", "auditor"],
    });
    expect((await as(tamsin, () => client.get("/workbench"))).status).toBe(403);
    expect((await as(tamsin, () => client.get("/workbench/api/session"))).status).toBe(403);
    const nobody = await as(null, () => client.get("/workbench/requests"));
    expect([nobody.status, nobody.headers.get("location")]).toEqual([303, "/own/sign-in?next=%2Fworkbench%2Frequests"]);
    expect((await as(null, () => client.get("/workbench/api/session"))).status).toBe(401);
  });

  test("makes one account of somebody who comes with several requests at once", async () => {
    const fern = { ...ines, id: "11", name: "Fern", email: "fern@marrow-vale.example" };
    const answers = await as(fern, () =>
      Promise.all(Array.from({ length: 5 }, () => client.get("/workbench/api/session"))),
    );
    expect(answers.map(({ status }) => status)).toEqual([200, 200, 200, 200, 200]);
    const { said } = await send<PersonAnswer[]>("GET", "/people");
    expect(said.filter(({ name }) => name === "Fern")).toHaveLength(1);
  });

  test("takes what changes something from its own pages only, each person's", async () => {
    const theirs = await as({ ...ines, id: "9", email: "other@marrow-vale.example" }, session);
    expect((await send("PUT", "/drafts/station", { text: "x" }, theirs.csrfToken)).status).toBe(403);
    expect((await send("PUT", "/drafts/station", { text: "x" }, "")).status).toBe(403);
  });

  test("knows people as the application does, those too who have not come yet; accounts are not changed here", async () => {
    const { said } = await send<PersonAnswer[]>("GET", "/people");
    expect(said.map(({ name, email, roles }) => [name, email, roles.includes("technician")])).toEqual(
      expect.arrayContaining([
        ["Ines Castell", "ines@marrow-vale.example", true],
        ["Tamsin Okoro", "tamsin@marrow-vale.example", true],
      ]),
    );
    await as({ ...ines, name: "Ines Castell-Vale" }, async () =>
      expect((await session()).name).toBe("Ines Castell-Vale"),
    );
    const id = said.find(({ name }) => name === "Tamsin Okoro")?.id;
    expect((await send("POST", `/people/${id}/password`, {})).status).toBe(409);
    const clash = await as({ ...ines, id: "10" }, () => client.get("/workbench/api/session"));
    expect(clash.status).toBe(500);
  });

  test("hears of every request to the application's pages", async () => {
    expect((await client.get("/records/stations/MV-014/edit")).status).toBe(200);
    const told = await untilAnswered(
      () => send<{ requests: { path: string }[] }>("GET", "/requests"),
      ({ said }) => JSON.stringify(said).includes("/stations/MV-014/edit"),
    );
    expect(told.status).toBe(200);
  });

  test("tries a draft with the application's own steps, and leaves out what is done after a save", async () => {
    const person = (await send<PersonAnswer[]>("GET", "/people")).said.find(({ name }) => name === "Tamsin Okoro")?.id;
    const text = await readFile(path.join(directory, "station.page.yaml"), "utf8");
    const asked = { text, key: ["MV-014"], as: person };
    const open = await send<DraftTrialAnswer>("POST", "/drafts/station/trial", asked);
    const form = (edits: Record<string, string>): string => bodyOf(formOf(open.said.trial?.html ?? ""), edits);
    const refused = await send<DraftTrialAnswer>("POST", "/drafts/station/trial", {
      ...asked,
      form: form({ name: "Refused" }),
    });
    expect(refused.said.trial?.html).toContain("not even tried");
    const tried = await send<DraftTrialAnswer>("POST", "/drafts/station/trial", {
      ...asked,
      form: form({ name: "Tried" }),
    });
    const { outcome, steps } = tried.said.trial?.recorded ?? {};
    expect([outcome, steps?.flatMap(({ own = [] }) => own.map(({ name, said }) => [name, said]))]).toEqual([
      "saved",
      [
        ["check", null],
        ["inTransaction", "trial: true"],
      ],
    ]);
    expect((await owner.query("SELECT FROM network.station WHERE name = 'Tried'")).rowCount).toBe(0);
  });

  test("offers the application's own rules and controls, and judges drafts by them", async () => {
    const { said } = await send<PageFileAnswer>("GET", "/page-file");
    expect(said.rules.find(({ name }) => name === "vale-grid")).toMatchObject({
      label: "Place on the grid",
      fits: ["text"],
    });
    const text = (await readFile(path.join(directory, "station.page.yaml"), "utf8")).replace(
      "rules: [{ max-length: 12 }]",
      "rules: [vale-grid]",
    );
    const asked = { text, key: ["MV-014"] };
    const open = await send<DraftTrialAnswer>("POST", "/drafts/station/trial", asked);
    const field = open.said.sheet.fields.find(({ name }) => name === "grid_reference");
    expect([field?.controls.includes("grid-picker"), JSON.stringify(field?.rules)]).toEqual([
      true,
      expect.stringContaining("a place on the grid"),
    ]);
    const form = bodyOf(formOf(open.said.trial?.html ?? ""), { grid_reference: "elsewhere" });
    const refused = await send<DraftTrialAnswer>("POST", "/drafts/station/trial", { ...asked, form });
    expect(refused.said.trial?.html).toContain("No place on the grid.");
  });

  test("says what is missing of somebody whom the application hands in", async () => {
    const half = { id: "9", name: "Hollis Brandt", roles: ["builder"] } as unknown as HostPerson;
    const { status, text } = await as(half, () => client.get("/workbench/pages"));
    expect([status, text]).toEqual([
      500,
      "The option person of createWorkbench handed in somebody without email, a text.",
    ]);
    const odd = { ...ines, id: "10", email: "odd@marrow-vale.example", attributes: { region_id: 2, constructor: 1 } };
    expect((await as(odd, () => client.get("/workbench/pages"))).text).toBe(
      'The option person of createWorkbench handed in somebody with an attribute that can\'t be called "constructor": every JavaScript object has a member of that name.',
    );
    const rich = { ...odd, attributes: { region: { id: 2 } } } as unknown as HostPerson;
    expect((await as(rich, () => client.get("/workbench/pages"))).text).toContain(
      "The attribute region must be a text",
    );
    const regions = { ...odd, id: "11", attributes: { regions: [2n, 3] } } as unknown as HostPerson;
    expect((await as(regions, () => client.get("/workbench/pages"))).status).toBe(200);
  });

  test("is mounted where its modules know that they are", async () => {
    const { status, text } = await client.get("/elsewhere");
    expect([status, text]).toEqual([
      500,
      'Mount the workbench at /workbench: app.use("/workbench", workbench.router).',
    ]);
  });

  test("says what is missing", async () => {
    const options = { databases: {}, store: made.store, signingKey: key, person: () => null, signIn: "/" };
    await expect(mountWorkbench(options, built)).rejects.toThrow("The workbench needs a database");
    await expect(mountWorkbench({ ...options, store: undefined }, built)).rejects.toThrow("The store is missing");
    await expect(mountWorkbench({ ...options, signingKey: undefined }, built)).rejects.toThrow(
      "The signing key is missing",
    );
  });

  test("tells what happens as it happens, also in an application that compresses its answers", async () => {
    const app = express();
    app.use(compression());
    app.use("/workbench", workbench.router);
    const compressing = createServer(app);
    await new Promise<void>((resolve) => compressing.listen(0, "127.0.0.1", resolve));
    const { port } = compressing.address() as AddressInfo;
    const feed = await fetch(`http://127.0.0.1:${port}/workbench/api/feed`);
    const reader = feed.body?.getReader();
    let heard = "";
    const hear = async (): Promise<void> => {
      heard += new TextDecoder().decode((await reader?.read())?.value);
    };
    while (!heard.includes("retry:")) await hear();
    await client.get("/records/stations");
    while (!heard.includes("data:")) await hear();
    await reader?.cancel();
    compressing.closeAllConnections();
    await new Promise((resolve) => compressing.close(resolve));
    expect(feed.headers.get("content-encoding")).toBeNull();
  });

  test("ends its live feeds, and begins none afterwards, so that an application can stop", async () => {
    const feed = await fetch(`${client.base}/workbench/api/feed`);
    expect(feed.status).toBe(200);
    workbench.endStreams();
    expect(await feed.text()).toContain("retry:");
    expect((await fetch(`${client.base}/workbench/api/feed`)).status).toBe(503);
  });
});
