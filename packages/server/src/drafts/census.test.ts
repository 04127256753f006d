import { describe, expect, test } from "@jest/globals";
import type { Census } from "@loyal-quill/authoring";
import type { FeedEvent } from "../api/types.js";
import { Censuses } from "./census.js";
import { DeskRefusal } from "./desk-refusal.js";
import type { Threads } from "./threads.js";

const census = { rows: 3 } as unknown as Census;

/** Threads in which each census goes on until it is let go. */
function waiting(fail?: Error) {
  const inside: { readonly name: string; readonly letGo: () => void; readonly progress: (done: number) => void }[] = [];
  const threads: Pick<Threads, "census"> = {
    census({ name }, progress) {
      let isCancelled = false;
      let letGo: () => void = () => {};
      const free = new Promise<void>((resolve) => {
        letGo = resolve;
      });
      inside.push({ name, letGo, progress });
      const came = free.then(() => {
        if (fail) throw fail;
        return isCancelled ? ("cancelled" as const) : census;
      });
      return {
        came,
        cancel: () => {
          isCancelled = true;
        },
      };
    },
  };
  return { threads, inside };
}

const settled = (): Promise<void> => new Promise((resolve) => setImmediate(resolve));
const draft = (name: string, text = "text") => ({ name, text });

describe("censuses in the background", () => {
  test("one tells how far it is, and then what it came to", async () => {
    const events: FeedEvent[] = [];
    const { threads, inside } = waiting();
    const censuses = new Censuses(threads, (event) => void events.push(event));
    expect(censuses.begin(draft("a"))).toMatchObject({ state: "running", done: 0, census: null });
    inside[0]?.progress(0.5);
    expect(censuses.of("a")).toMatchObject({ state: "running", done: 0.5 });
    inside[0]?.letGo();
    await settled();
    expect(censuses.of("a")).toMatchObject({ state: "done", done: 1, census });
    expect(events).toMatchObject([
      { page: "a", state: "running", done: 0.5 },
      { page: "a", state: "done", done: 1 },
    ]);
  });

  test("one that is cancelled says so, the others go on", async () => {
    const { threads, inside } = waiting();
    const censuses = new Censuses(threads, () => {});
    for (const name of ["a", "b"]) censuses.begin(draft(name));
    censuses.cancel("b");
    for (const each of inside) each.letGo();
    await settled();
    expect(["a", "b"].map((name) => censuses.of(name)?.state)).toEqual(["done", "cancelled"]);
  });

  test("a second one of a page cancels the first, whose end is not taken for its own", async () => {
    const { threads, inside } = waiting();
    const censuses = new Censuses(threads, () => {});
    censuses.begin(draft("a", "first"));
    censuses.begin(draft("a", "second"));
    inside[0]?.letGo();
    await settled();
    expect(censuses.of("a")).toMatchObject({ text: "second", state: "running" });
    inside[1]?.letGo();
    await settled();
    expect(censuses.of("a")).toMatchObject({ text: "second", state: "done" });
  });

  test.each([
    [Object.assign(new Error("connection refused"), { name: "DatabaseAway" }), "connection refused"],
    [new DeskRefusal("Too busy", "Try again."), "Try again."],
    [new TypeError("x is undefined"), "Something went wrong here meanwhile."],
  ])("what fails says why: %s", async (error, because) => {
    const events: FeedEvent[] = [];
    const { threads, inside } = waiting(error);
    const censuses = new Censuses(threads, (event) => void events.push(event));
    censuses.begin(draft("a"));
    inside[0]?.letGo();
    await settled();
    expect(censuses.of("a")).toMatchObject({ state: "failed", because });
    expect(events).toMatchObject([{ kind: "census", state: "failed" }]);
  });

  test("the last fifty are remembered", () => {
    const { threads } = waiting();
    const censuses = new Censuses(threads, () => {});
    for (let number = 0; number < 60; number++) censuses.begin(draft(`page ${number}`));
    expect(censuses.of("page 0")).toBeNull();
    expect(censuses.of("page 59")).not.toBeNull();
    censuses.close();
  });
});
