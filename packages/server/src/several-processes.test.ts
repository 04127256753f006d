import { readFile, rm, writeFile } from "node:fs/promises";
import path from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { Client, freshDatabase, pastPooler, testCluster, until } from "@loyal-quill/testing";
import pg from "pg";
import type { CensusAnswer } from "./api/answers/proof.js";
import type { DraftAnswer, VersionAnswer } from "./api/answers/sheet.js";
import { Exchange } from "./processes/exchange.js";
import { Store } from "./store/store.js";
import { type Builder, people, startWorkbench, type TestWorkbench } from "./testing/workbench.js";

let workbenches: readonly TestWorkbench[];
let builders: readonly Builder[];
beforeAll(async () => {
  const first = await startWorkbench();
  const others = [await startWorkbench({ beside: first }), await startWorkbench({ beside: first })];
  workbenches = [first, ...others];
  builders = await Promise.all(workbenches.map((each) => each.builder("ines")));
});
afterAll(async () => {
  for (const each of [...workbenches].reverse()) await each.close();
});

/** Through a pooler nobody can be told at once. */
const hears = testCluster().entrance === testCluster().port ? "at once" : "by looking";
const file = (name: string): string => path.join(workbenches[0]?.directory ?? "", `${name}.page.yaml`);
const by = (index: number): Builder => {
  const builder = builders[index];
  if (!builder) throw new Error("no such process");
  return builder;
};
const versions = async (name: string): Promise<VersionAnswer[]> =>
  (await by(0).send<VersionAnswer[]>("GET", `/drafts/${name}/versions`)).said;
/** Waits until the newest version is this one: a machine that is busy sees a file later. */
const newest = async (name: string, text: string | null): Promise<void> => {
  await until(async () => (await versions(name))[0]?.text === text);
};

/** A workbench that listens to its process's feed. */
async function listen(client: Client) {
  const gone = new AbortController();
  const response = await client.open("/workbench/api/feed", gone.signal);
  let text = "";
  const ended = (async () => {
    for await (const part of response.body?.pipeThrough(new TextDecoderStream()) ?? []) text += part;
    return "ended";
  })().catch(() => "broken off");
  return {
    ended,
    text: () => text,
    has: async (part: string): Promise<void> => {
      await until(() => text.includes(part), part);
    },
    leave: () => gone.abort(),
  };
}

const quiet = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));

describe("several processes over one store and one directory", () => {
  test("a file that is changed on disk makes one version for each of its texts, whoever sees it first", async () => {
    const text = await readFile(file("visit"), "utf8");
    await quiet(300);
    const before = (await versions("visit")).length;
    const texts = Array.from({ length: 5 }, (_, index) => text.replace("plural: Visits", `plural: Visits ${index}`));
    for (const each of texts) {
      await writeFile(file("visit"), each);
      await newest("visit", each);
    }
    // The others have seen the last one too by then.
    await quiet(600);
    const made = (await versions("visit")).slice(0, -before);
    expect(made.map((each) => /plural: (.*)/.exec(each.text ?? "")?.[1])).toEqual([
      "Visits 4",
      "Visits 3",
      "Visits 2",
      "Visits 1",
      "Visits 0",
    ]);
    expect(made.every((each) => each.by === null)).toBe(true);
  });

  test("a file that is taken away makes one version too", async () => {
    await quiet(200);
    const before = (await versions("loan")).length;
    await rm(file("loan"));
    await newest("loan", null);
    await quiet(600);
    const now = await versions("loan");
    expect([now.length, now[0]?.text]).toEqual([before + 1, null]);
  });

  test("the same draft published by all of them at once is published once", async () => {
    const { said } = await by(0).send<DraftAnswer>("GET", "/drafts/sensor");
    const text = said.text.replace("plural: Sensors", "plural: Sensors of the network");
    const draft = (await by(0).send<DraftAnswer>("PUT", "/drafts/sensor", { was: said.text, text })).said;
    const before = (await versions("sensor")).length;
    const answers = await Promise.all(
      builders.map(({ send }) => send("POST", "/drafts/sensor/publish", { revision: draft.revision })),
    );
    expect(answers.map(({ status }) => status).sort()).toEqual([200, 409, 409]);
    expect(await readFile(file("sensor"), "utf8")).toBe(text);
    await quiet(500);
    const now = await versions("sensor");
    expect([now.length, now[0]?.by]).toEqual([before + 1, "ines"]);
  });

  test("what happens in one is told in the feeds of all: requests, drafts, work in the background", async () => {
    const heard = await Promise.all(builders.map(({ client }) => listen(client)));
    const [first, second] = [by(0), by(1)];
    await until(() => workbenches.every(({ application }) => application.exchange.processes().length === 3));
    expect(workbenches.map(({ application }) => application.exchange.hears)).toEqual([hears, hears, hears]);
    const { said } = await second.send<DraftAnswer>("GET", "/drafts/region");
    const text = said.text.replace("plural: Regions", "plural: Regions of the vale");
    await second.send("PUT", "/drafts/region", { was: said.text, text });
    await first.client.get("/stations/MV-014/edit");
    await second.send("POST", "/drafts/region/census", { text });
    for (const each of heard) {
      await each.has('"kind":"draft","page":"region","revision":1');
      await each.has('"path":"/stations/MV-014/edit"');
      await each.has('"kind":"census","page":"region","state":"done"');
    }
    const census = await by(2).send<CensusAnswer>("GET", "/drafts/region/census");
    expect([census.said.state, census.said.text]).toEqual(["done", text]);
    // Who said it is not told a second time.
    expect(heard[1]?.text().match(/"kind":"draft","page":"region"/g)).toHaveLength(1);
    for (const each of heard) each.leave();
  });

  test("an account that was changed is told of in the feeds of all, by whatever it was: a command hears nothing itself", async () => {
    const heard = await Promise.all(builders.map(({ client }) => listen(client)));
    for (const each of heard) await each.has("retry");
    const told = () => heard.map((each) => each.text().split('{"kind":"people"}').length - 1);
    const command = await Store.open(workbenches[0]?.made.store ?? "", workbenches[0]?.made.reader ?? "");
    const account = {
      id: crypto.randomUUID(),
      email: "late@marrow-vale.example",
      name: "Late Comer",
      passwordHash: null,
    };
    const made = { ...account, roles: ["technician"], attributes: {}, active: true };
    expect(await command.accounts.make(made)).toBe(true);
    await until(() => told().every((count) => count === 1));
    // There is one already: nothing was changed.
    expect(await command.accounts.make(made)).toBe(false);
    await command.accounts.revise(made.id, () => ({ change: { name: "Late Again" } }));
    await until(() => told().every((count) => count === 2));
    await command.close();
    for (const each of heard) each.leave();
  });

  test("page files may be the store's: what is published is served by all, and a machine needs none of its own", async () => {
    const [one, other] = [
      await startWorkbench({ beside: workbenches[0] as TestWorkbench, ofStore: true }),
      await startWorkbench({ beside: workbenches[0] as TestWorkbench, ofStore: true }),
    ];
    const [here, there] = [await one.builder("ines"), await other.builder("ines")];
    const { said } = await here.send<DraftAnswer>("GET", "/drafts/river");
    const text = said.text.replace("plural: Rivers", "plural: Rivers everywhere");
    expect(text).not.toBe(said.text);
    const kept = await here.send<DraftAnswer>("PUT", "/drafts/river", { was: said.text, text });
    expect([kept.status, kept.said]).toEqual([200, expect.objectContaining({ text })]);
    const before = (await versions("river")).length;
    const published = await here.send("POST", "/drafts/river/publish", { revision: kept.said.revision });
    expect([published.status, published.said]).toEqual([200, expect.anything()]);
    const plurals = () =>
      [one, other].map(
        ({ application }) => application.pages.loaded().pages.find(({ name }) => name === "river")?.plural,
      );
    await until(() => plurals().every((plural) => plural === "Rivers everywhere"));
    expect((await versions("river")).length).toBe(before + 1);
    const listed = await there.send<VersionAnswer[]>("GET", "/drafts/river/versions");
    expect([listed.status, listed.status === 200 ? listed.said[0]?.text : listed.said]).toEqual([200, text]);
    // Those that have files keep theirs.
    expect(await readFile(file("river"), "utf8")).toBe(said.text);
    await other.close();
    await one.close();
  });

  test("each process listens on one connection, and leaves none behind", async () => {
    const made = await freshDatabase();
    await (await Store.open(made.store, made.reader)).close();
    const plain = new pg.Client(made.store);
    await plain.connect();
    const listening = async (): Promise<number> =>
      (
        await plain.query(
          "SELECT count(*)::int AS n FROM pg_stat_activity WHERE datname = current_database() AND query LIKE 'LISTEN %'",
        )
      ).rows[0].n;
    const direct = pastPooler(made.store);
    const exchange = await Exchange.open(direct, { version: "1", onError: () => {} });
    expect(await listening()).toBe(1);
    // What was told before it came is no news to it, and what is told from then on is.
    const other = await Exchange.open(direct, { version: "1", onError: () => {} });
    const early = Array.from({ length: 5 }, (_, index) => `early ${index}`);
    for (const page of early) exchange.tell("", { kind: "published", page });
    const happened = async (): Promise<number> =>
      (await plain.query("SELECT count(*)::int AS n FROM happening")).rows[0].n;
    await until(async () => (await happened()) >= early.length);
    const late = await Exchange.open(direct, { version: "1", onError: () => {} });
    const heard = { other: [] as string[], late: [] as string[] };
    other.hear("", (told) => void heard.other.push(told.kind === "published" ? told.page : ""));
    late.hear("", (told) => void heard.late.push(told.kind === "published" ? told.page : ""));
    exchange.tell("", { kind: "published", page: "later" });
    await until(() => heard.late.length + heard.other.length >= 2);
    await quiet(200);
    expect([heard.late, heard.other.at(-1)]).toEqual([["later"], "later"]);
    await Promise.all([other.close(), late.close()]);
    await exchange.close();
    await until(async () => (await listening()) === 0);
    await plain.end();
    await made.drop();
  });

  test("whose sessions are ended hears nothing more, and whoever else listens goes on", async () => {
    const [first] = workbenches;
    const maud = (await first?.builder("maud"))?.client ?? by(0).client;
    const windows = [await listen(maud), await listen(maud)];
    const other = await listen(by(0).client);
    await by(0).client.get("/stations/MV-011/edit");
    for (const each of [...windows, other]) await each.has('"path":"/stations/MV-011/edit"');
    await workbenches[1]?.application.store.accounts.endSessions(people.maud.id);
    await by(0).client.get("/stations/MV-012/edit");
    await other.has('"path":"/stations/MV-012/edit"');
    for (const { ended, text } of windows) {
      expect(await ended).toBe("ended");
      expect(text()).not.toContain("MV-012");
    }
    other.leave();
  });

  test("a session that is ended in one is none in the others at once, and wrong passwords count for all", async () => {
    const [first, second] = workbenches;
    const { client } = (await first?.signIn("hollis")) ?? {};
    const there = new Client(second?.base ?? "");
    there.takeCookies(client ?? there);
    expect((await there.get("/stations/MV-014/edit")).status).toBe(200);
    await first?.application.store.accounts.endSessions(people.hollis.id);
    expect((await there.get("/stations/MV-014/edit")).status).toBe(303);
    const tries = Array.from({ length: 12 }, (_, turn) =>
      workbenches[turn % 3]?.signIn("maud", { password: "wrong" }).then(({ status }) => status),
    );
    expect((await Promise.all(tries)).filter((status) => status === 422)).toHaveLength(10);
  });

  test("a store that a newer program has changed too much for this one is left alone", async () => {
    const made = await freshDatabase();
    await (await Store.open(made.store, made.reader)).close();
    const plain = new pg.Client(made.store);
    await plain.connect();
    await plain.query("INSERT INTO migration (name) VALUES ('2031-01-of-the-next-version')");
    await (await Store.open(made.store, made.reader)).close();
    await plain.query("UPDATE needed SET migration = '2031-01-of-the-next-version'");
    await expect(Store.open(made.store, made.reader)).rejects.toThrow(
      "The store was brought up to date by a newer version of Loyal Quill, which this one can't work beside (2031-01-of-the-next-version): update it.",
    );
    await plain.end();
    await made.drop();
  });

  test("two that begin at once on an empty store both come up", async () => {
    const made = await freshDatabase();
    const stores = await Promise.all([1, 2, 3].map(() => Store.open(made.store, made.reader)));
    expect(await Promise.all(stores.map((each) => each.accounts.all()))).toEqual([[], [], []]);
    await Promise.all(stores.map((each) => each.close()));
    await made.drop();
  });
});
