import { randomUUID } from "node:crypto";
import os from "node:os";
import { afterAll, afterEach, beforeAll, describe, expect, test } from "@jest/globals";
import type { Census } from "@loyal-quill/authoring";
import { freshDatabase, type TestDatabase, until } from "@loyal-quill/testing";
import pg from "pg";
import type { FeedEvent } from "../api/types.js";
import { Store } from "../store/store.js";
import { Censuses } from "./census.js";
import { DeskRefusal } from "./desk-refusal.js";
import type { Threads } from "./threads.js";

const census = { rows: 3 } as unknown as Census;

let made: TestDatabase;
let store: Store;
let plain: pg.Client;
const open: Censuses[] = [];
beforeAll(async () => {
  made = await freshDatabase();
  store = await Store.open(made.store, made.reader);
  plain = new pg.Client(made.store);
  await plain.connect();
});
afterEach(async () => {
  await Promise.all(open.splice(0).map((each) => each.close()));
});
afterAll(async () => {
  await plain.end();
  await store.close();
  await made.drop();
});

/** A process that takes censuses, each of which goes on until it is let go. */
function process(fail?: Error) {
  const inside: { readonly name: string; readonly letGo: () => void; readonly progress: (done: number) => void }[] = [];
  const events: FeedEvent[] = [];
  const threads: Pick<Threads, "census"> = {
    census({ name }, progress) {
      let letGo: (came: Census | "cancelled") => void = () => {};
      const came = new Promise<Census | "cancelled">((resolve, reject) => {
        letGo = (answer) => (fail ? reject(fail) : resolve(answer));
      });
      inside.push({ name, letGo: () => letGo(census), progress });
      return { came, cancel: () => letGo("cancelled") };
    },
  };
  const censuses = new Censuses(
    { jobs: store.jobs, process: randomUUID() },
    threads,
    (event) => void events.push(event),
  );
  open.push(censuses);
  return { censuses, inside, events };
}

const draft = (name: string, text = "text") => ({ name, text });
const hasEnded = async (censuses: Censuses, name: string): Promise<boolean> =>
  (await censuses.of(name))?.state !== "running";

describe("censuses in the background", () => {
  test("one tells how far it is, and then what it came to, to whichever process is asked", async () => {
    const [here, there] = [process(), process()];
    expect(await here.censuses.begin(draft("a"))).toMatchObject({ state: "running", done: 0, census: null });
    here.inside[0]?.progress(0.5);
    expect(await here.censuses.of("a")).toMatchObject({ state: "running", done: 0.5 });
    await until(async () => (await there.censuses.of("a"))?.done === 0.5);
    here.inside[0]?.letGo();
    await until(() => hasEnded(here.censuses, "a"));
    for (const { censuses } of [here, there])
      expect(await censuses.of("a")).toMatchObject({ state: "done", done: 1, census });
    expect(here.events).toMatchObject([
      { page: "a", state: "running", done: 0.5 },
      { page: "a", state: "done", done: 1 },
    ]);
  });

  test("one that is cancelled says so, wherever that was said, and the others go on", async () => {
    const [here, there] = [process(), process()];
    for (const name of ["b", "c", "d"]) await here.censuses.begin(draft(name));
    await here.censuses.cancel("c");
    await there.censuses.cancel("d");
    await until(() => hasEnded(here.censuses, "d"));
    here.inside[0]?.letGo();
    await until(() => hasEnded(here.censuses, "b"));
    const states = await Promise.all(["b", "c", "d"].map(async (name) => (await there.censuses.of(name))?.state));
    expect(states).toEqual(["done", "cancelled", "cancelled"]);
  });

  test("a second one of a page cancels the first, whose end is not taken for its own", async () => {
    const [here, there] = [process(), process()];
    await here.censuses.begin(draft("e", "first"));
    await there.censuses.begin(draft("e", "second"));
    here.inside[0]?.letGo();
    await new Promise((resolve) => setTimeout(resolve, 200));
    expect(await here.censuses.of("e")).toMatchObject({ text: "second", state: "running" });
    there.inside[0]?.letGo();
    await until(() => hasEnded(here.censuses, "e"));
    expect(await here.censuses.of("e")).toMatchObject({ text: "second", state: "done" });
  });

  test("what a process lets go as it ends goes on in another one, and is done once", async () => {
    const [here, there] = [process(), process()];
    await here.censuses.begin(draft("f"));
    await here.censuses.close();
    expect((await there.censuses.of("f"))?.state).toBe("running");
    await until(() => there.inside.length === 1);
    there.inside[0]?.letGo();
    await until(() => hasEnded(there.censuses, "f"));
    expect(await there.censuses.of("f")).toMatchObject({ state: "done", census });
  });

  test("one whose processes all ended without a word is given up in the end", async () => {
    const here = process();
    await here.censuses.begin(draft("g"));
    await plain.query("UPDATE job SET process = gen_random_uuid(), beat = '-infinity', tries = 3 WHERE name = 'g'");
    await until(() => hasEnded(here.censuses, "g"));
    expect(await here.censuses.of("g")).toMatchObject({
      state: "failed",
      because: "The process that worked on it ended, and so did 2 before it. It is not tried again.",
    });
  });

  test("a process that lives and misses its signs has not ended; one that is gone is told by what was seen", async () => {
    const { jobs } = store;
    const [busy, other] = [randomUUID(), randomUUID()];
    const silent = async (pid: number, host: string, seconds: number, tries = 1): Promise<void> => {
      await plain.query("DELETE FROM process WHERE id = $1", [busy]);
      await plain.query("INSERT INTO process (id, host, pid, version) VALUES ($1, $2, $3, 'x')", [busy, host, pid]);
      await jobs.begin({ kind: "held-up", name: "k" }, busy, {}, 5);
      await plain.query("UPDATE job SET beat = now() - make_interval(secs => $1), tries = $2 WHERE kind = 'held-up'", [
        seconds,
        tries,
      ]);
    };
    const taken = async (lives: boolean): Promise<number> =>
      (await jobs.takeOver("held-up", other, () => lives)).length;
    await silent(4711, os.hostname(), 60);
    expect([await taken(true), await taken(false)]).toEqual([0, 1]);
    // Of another machine nothing is known but that it says nothing.
    await silent(4711, "another.machine", 60);
    expect(await taken(true)).toBe(1);
    // Nor is anybody waited for without end.
    await silent(4711, os.hostname(), 600);
    expect(await taken(true)).toBe(1);
    await silent(4711, "another.machine", 60, 3);
    expect(await taken(true)).toBe(0);
    expect(await jobs.of("held-up", "k")).toMatchObject({
      state: "failed",
      because:
        "The process that worked on it (4711 on another.machine) gave no sign for 60 seconds, and so did 2 before it. It is not tried again.",
    });
  });

  test.each([
    [Object.assign(new Error("connection refused"), { name: "DatabaseAway" }), "connection refused"],
    [new DeskRefusal("Too busy", "Try again."), "Try again."],
    [new TypeError("x is undefined"), "Something went wrong here meanwhile."],
  ])("what fails says why: %s", async (error, because) => {
    const { censuses, inside, events } = process(error);
    await censuses.begin(draft("h"));
    inside[0]?.letGo();
    await until(() => hasEnded(censuses, "h"));
    expect(await censuses.of("h")).toMatchObject({ state: "failed", because });
    expect(events).toMatchObject([{ kind: "census", state: "failed" }]);
  });

  test("the last fifty are remembered", async () => {
    const { censuses, inside } = process();
    for (let number = 0; number < 60; number++) {
      await censuses.begin(draft(`page ${number}`));
      inside.at(-1)?.letGo();
      await until(() => hasEnded(censuses, `page ${number}`));
    }
    await censuses.begin(draft("page 60"));
    expect(await censuses.of("page 0")).toBeNull();
    expect(await censuses.of("page 59")).not.toBeNull();
  });
});
