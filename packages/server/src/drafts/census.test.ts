import { describe, expect, test } from "@jest/globals";
import { type Database, DatabaseAway, type Page } from "@loyal-quill/core";
import { stationPage } from "../../../core/src/testing/marrow-vale.js";
import type { FeedEvent } from "../api/types.js";
import { Censuses } from "./census.js";

/** A database in which each census waits until it is let go: how many are inside, and the next way out. */
function waiting(fail?: Error) {
  const inside: (() => void)[] = [];
  let most = 0;
  const database: Database = {
    async transaction(run) {
      let letGo: () => void = () => {};
      const free = new Promise<void>((resolve) => {
        letGo = resolve;
      });
      inside.push(letGo);
      most = Math.max(most, inside.length);
      await free;
      try {
        if (fail) throw fail;
        return await run(database);
      } finally {
        inside.splice(inside.indexOf(letGo), 1);
      }
    },
    run: async () => [{ blocks: "0", rows: "0" }],
  };
  return { database, inside, most: () => most };
}

const settled = async (): Promise<void> => {
  for (let turn = 0; turn < 20; turn++) await new Promise((resolve) => setImmediate(resolve));
};

const page = stationPage as unknown as Page;

describe("censuses in the background", () => {
  test("two run at once, the others wait for their turn, and each has one", async () => {
    const { database, inside, most } = waiting();
    const censuses = new Censuses(database, () => {});
    const names = ["a", "b", "c", "d", "e"];
    for (const name of names) expect(censuses.begin(name, "text", page).state).toBe("running");
    await settled();
    expect(inside.length).toBe(2);
    for (let turn = 0; turn < names.length; turn++) {
      inside[0]?.();
      await settled();
    }
    expect(names.map((name) => censuses.of(name)?.state)).toEqual(names.map(() => "done"));
    expect(most()).toBe(2);
  });

  test("one that is cancelled while it waits counts nothing, and holds up nobody", async () => {
    const { database, inside } = waiting();
    const censuses = new Censuses(database, () => {});
    for (const name of ["a", "b", "c", "d"]) censuses.begin(name, "text", page);
    censuses.cancel("c");
    for (let turn = 0; turn < 4; turn++) {
      await settled();
      inside[0]?.();
    }
    await settled();
    expect(["a", "b", "c", "d"].map((name) => censuses.of(name)?.state)).toEqual(["done", "done", "cancelled", "done"]);
  });

  test("a second one of a page cancels the first, whose end is not taken for its own", async () => {
    const { database, inside } = waiting();
    const censuses = new Censuses(database, () => {});
    censuses.begin("a", "first", page);
    censuses.begin("a", "second", page);
    await settled();
    inside[0]?.();
    await settled();
    expect(censuses.of("a")).toMatchObject({ text: "second", state: "running" });
    inside[0]?.();
    await settled();
    expect(censuses.of("a")).toMatchObject({ text: "second", state: "done" });
  });

  test("what fails says why, gives its place to the next, and is told", async () => {
    const events: FeedEvent[] = [];
    const { database, inside } = waiting(new DatabaseAway("connection refused", false));
    const censuses = new Censuses(database, (event) => void events.push(event));
    for (const name of ["a", "b", "c"]) censuses.begin(name, "text", page);
    for (let turn = 0; turn < 3; turn++) {
      await settled();
      inside[0]?.();
    }
    await settled();
    expect(censuses.of("c")).toMatchObject({ state: "failed", because: "connection refused" });
    expect(events.filter((event) => event.kind === "census" && event.state === "failed")).toHaveLength(3);
  });

  test("the last fifty are remembered", async () => {
    const { database } = waiting();
    const censuses = new Censuses(database, () => {});
    for (let number = 0; number < 60; number++) censuses.begin(`page ${number}`, "text", page);
    expect(censuses.of("page 0")).toBeNull();
    expect(censuses.of("page 59")).not.toBeNull();
    censuses.close();
  });
});
