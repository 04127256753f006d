import { setImmediate } from "node:timers/promises";
import { describe, expect, test } from "@jest/globals";
import { QueryClient, QueryObserver } from "@tanstack/react-query";
import { AskingAnew, askAnew, madeOf, type Source } from "./made-of.js";

/** Asking anew, whose pauses end when they are told to. */
function asking(queries: QueryClient) {
  let next: (() => void) | undefined;
  const told = new AskingAnew(queries, (run) => {
    next = run;
    return () => {
      next = undefined;
    };
  });
  const pauseEnds = (): boolean => {
    const run = next;
    next = undefined;
    run?.();
    return run !== undefined;
  };
  return { told, pauseEnds };
}

/** A query on screen, and how often it was asked. Each answer waits until it is given. */
function onScreen(queries: QueryClient, name: string, ...of: readonly Source[]) {
  const asked = { times: 0, stopped: 0, answer: async (): Promise<void> => {} };
  const observer = new QueryObserver(queries, {
    queryKey: [name],
    queryFn: ({ signal }) => {
      asked.times++;
      signal.addEventListener("abort", () => asked.stopped++);
      return new Promise<number>((resolve) => {
        asked.answer = async () => {
          resolve(asked.times);
          await setImmediate();
        };
      });
    },
    ...madeOf(...of),
  });
  observer.subscribe(() => {});
  return asked;
}

describe("what is on screen", () => {
  test("is asked for anew where something that it is made of has changed, and only then", async () => {
    const queries = new QueryClient();
    const [list, versions] = [onScreen(queries, "list", "rows", "files"), onScreen(queries, "versions", "files")];
    await list.answer();
    await versions.answer();
    asking(queries).told.changed("rows", "requests");
    expect([list.times, versions.times]).toEqual([2, 1]);
    await list.answer();
    void askAnew(queries, "files");
    expect([list.times, versions.times]).toEqual([3, 2]);
    queries.clear();
  });

  test("is asked for once in a pause, however much changes, and not at all where nothing does", async () => {
    const queries = new QueryClient();
    const list = onScreen(queries, "list", "rows");
    await list.answer();
    const { told, pauseEnds } = asking(queries);
    for (let turn = 0; turn < 100; turn++) {
      told.changed("rows");
      await list.answer();
    }
    expect(list.times).toBe(2);
    // What changed since is not lost.
    expect(pauseEnds()).toBe(true);
    expect(list.times).toBe(3);
    await list.answer();
    expect(pauseEnds()).toBe(true);
    expect([list.times, pauseEnds()]).toEqual([3, false]);
    told.changed("rows");
    expect(list.times).toBe(4);
    queries.clear();
  });

  test("gets its answer where answers are slower than changes: what is being asked for is not given up", async () => {
    const queries = new QueryClient();
    const list = onScreen(queries, "list", "rows");
    await list.answer();
    const { told, pauseEnds } = asking(queries);
    for (let turn = 0; turn < 5; turn++) {
      told.changed("rows");
      pauseEnds();
    }
    expect([list.times, list.stopped]).toEqual([2, 0]);
    await list.answer();
    expect(queries.getQueryData(["list"])).toBe(2);
    pauseEnds();
    expect(list.times).toBe(3);
    queries.clear();
  });
});
