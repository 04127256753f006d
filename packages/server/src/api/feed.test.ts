import { once } from "node:events";
import { createServer, type Server } from "node:http";
import { type AddressInfo, connect, type Socket } from "node:net";
import { afterEach, beforeEach, describe, expect, test } from "@jest/globals";
import { until, untilAnswered } from "@loyal-quill/testing";
import express from "express";
import { Feed, type RolesNow } from "./feed.js";

let feed: Feed;
let server: Server;
let address: string;
/** What roles the listener has now; null where they are signed out. */
let roles: readonly string[] | null;
/** How often their roles were asked for. */
let asked: number;

beforeEach(async () => {
  feed = new Feed(300);
  roles = ["builder"];
  asked = 0;
  const app = express();
  const rolesNow: RolesNow = async (requests) => {
    asked++;
    return requests.map(() => roles);
  };
  app.get("/feed", (request, response) => {
    if (!feed.join(request, response, "somebody", rolesNow)) response.status(429).end();
  });
  server = createServer(app);
  server.keepAliveTimeout = 120_000;
  await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
  address = `http://127.0.0.1:${(server.address() as AddressInfo).port}/feed`;
});

afterEach(async () => {
  feed.close();
  server.closeAllConnections();
  await new Promise((resolve) => server.close(resolve));
});

/** A workbench that listens: what it was sent so far, and how it goes away. */
async function listen(who = 1) {
  const gone = new AbortController();
  const response = await fetch(`${address}?who=${who}`, { signal: gone.signal });
  let text = "";
  const reader = response.body?.pipeThrough(new TextDecoderStream()).getReader();
  const ended = (async () => {
    for (;;) {
      const { done, value } = (await reader?.read()) ?? { done: true, value: undefined };
      if (done) return "ended";
      text += value;
    }
  })().catch(() => "broken");
  const heard = async (part: string): Promise<void> => {
    await until(() => text.includes(part));
    expect(text).toContain(part);
  };
  return { response, heard, ended, leave: () => gone.abort(), text: () => text };
}

describe("a window that reads nothing", () => {
  const told = { kind: "draft", page: "x".repeat(100_000), revision: 1, by: "" } as const;

  /** Asks for the feed and reads no more than its beginning. */
  async function unread(): Promise<Socket> {
    const socket = connect(Number(new URL(address).port), "127.0.0.1");
    socket.on("error", () => {});
    socket.write("GET /feed HTTP/1.1\r\nhost: localhost\r\n\r\n");
    await once(socket, "data");
    return socket.pause();
  }

  test("is left after a while, and the others go on", async () => {
    const other = await listen();
    const socket = await unread();
    expect(feed.windows).toBe(2);
    // More than the systems at both ends keep for it, less than what ends it at once.
    for (let turn = 0; turn < 80; turn++) feed.tell(told);
    await until(() => feed.windows === 1);
    feed.tell({ ...told, page: "afterwards" });
    await other.heard("afterwards");
    socket.destroy();
  });

  test("is left at once where too much waits for it", async () => {
    const socket = await unread();
    for (let turn = 0; turn < 400 && feed.windows > 0; turn++) {
      feed.tell(told);
      await new Promise((resolve) => setImmediate(resolve));
    }
    await until(() => feed.windows === 0);
    socket.destroy();
  });
});

describe("the live feed", () => {
  test("is a stream of server-sent events that nothing on the way keeps back", async () => {
    const { response, heard } = await listen();
    expect(response.headers.get("content-type")).toContain("text/event-stream");
    expect(response.headers.get("cache-control")).toBe("no-store, no-transform");
    expect(response.headers.get("x-accel-buffering")).toBe("no");
    await heard("retry: 2000\n\n");
  });

  test("tells everybody who listens, each event on a line of its own", async () => {
    const [ines, maud] = [await listen(), await listen()];
    feed.tell({ kind: "draft", page: "station", revision: 3, by: "Ines\nFarrow" });
    feed.tell({ kind: "pages" });
    for (const one of [ines, maud]) {
      await one.heard('data: {"kind":"draft","page":"station","revision":3,"by":"Ines\\nFarrow"}\n\n');
      await one.heard('data: {"kind":"pages"}\n\n');
    }
  });

  test("forgets whoever has left, and goes on for the others", async () => {
    const [ines, maud] = [await listen(), await listen()];
    ines.leave();
    await ines.ended;
    feed.tell({ kind: "pages" });
    await maud.heard('data: {"kind":"pages"}');
    expect(ines.text()).not.toContain("pages");
  });

  test("who comes later hears what happens from then on", async () => {
    feed.tell({ kind: "pages" });
    const late = await listen();
    feed.tell({ kind: "draft", page: "visit", revision: 1, by: "Ines" });
    await late.heard("visit");
    expect(late.text()).not.toContain('"pages"');
  });

  test("asks again at each event: only builders are told, and who is signed out is told nothing more", async () => {
    const { heard, ended, text } = await listen();
    roles = ["auditor"];
    feed.tell({ kind: "draft", page: "station", revision: 1, by: "Ines" });
    await until(() => asked > 0);
    roles = ["builder"];
    feed.tell({ kind: "draft", page: "visit", revision: 1, by: "Ines" });
    await heard("visit");
    roles = null;
    feed.tell({ kind: "draft", page: "sensor", revision: 1, by: "Ines" });
    expect(await ended).toBe("ended");
    expect(text()).not.toMatch(/station|sensor/);
  });

  test("is open in eight windows of one person, no more", async () => {
    const all = await Promise.all(Array.from({ length: 8 }, () => listen()));
    expect(all.map(({ response }) => response.status)).toEqual(all.map(() => 200));
    expect((await fetch(address)).status).toBe(429);
    all[0]?.leave();
    await all[0]?.ended;
    const { response } = await untilAnswered(listen, (ninth) => ninth.response.status !== 429);
    expect(response.status).toBe(200);
  });

  test("ends every stream when the server stops", async () => {
    const { ended } = await listen();
    feed.close();
    expect(await ended).toBe("ended");
  });

  test("what nobody can say whether somebody may hear waits until that is known", async () => {
    let isAway = true;
    const app = express();
    app.get("/feed", (request, response) => {
      feed.join(request, response, "somebody", async () => {
        if (isAway) throw new Error("the store is away");
        return [roles];
      });
    });
    server.removeAllListeners("request");
    server.on("request", app);
    const { heard, text, leave } = await listen();
    await heard("retry");
    feed.tell({ kind: "draft", page: "first", revision: 1, by: "Ines" });
    await new Promise((resolve) => setTimeout(resolve, 50));
    expect(text()).not.toContain("first");
    isAway = false;
    feed.tell({ kind: "draft", page: "second", revision: 1, by: "Ines" });
    await heard("second");
    expect(text()).toMatch(/first.*second/s);
    leave();
  });

  test("what comes at once is told together, and the rights of all who listen are asked for once", async () => {
    let asked = 0;
    const app = express();
    const rolesNow: RolesNow = async (requests) => {
      asked++;
      await new Promise((resolve) => setTimeout(resolve, 20));
      return requests.map(({ query }) => (query.who === "2" ? undefined : roles));
    };
    app.get("/feed", (request, response) => {
      feed.join(request, response, String(request.query.who), rolesNow);
    });
    server.removeAllListeners("request");
    server.on("request", app);
    const [{ heard, text, leave }, other, unknown] = [await listen(1), await listen(3), await listen(2)];
    for (let number = 0; number < 100; number++)
      feed.tell({ kind: "draft", page: `page-${number}`, revision: 1, by: "Ines" });
    await heard("page-99");
    expect(text().match(/"kind":"draft"/g)).toHaveLength(100);
    await other.heard("page-99");
    expect(asked).toBeLessThanOrEqual(2);
    expect(unknown.text()).not.toContain("page-");
    for (const end of [leave, other.leave, unknown.leave]) end();
  });
});
