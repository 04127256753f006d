import { createServer, type Server } from "node:http";
import { type AddressInfo, connect } from "node:net";
import { afterAll, afterEach, beforeAll, describe, expect, test } from "@jest/globals";
import type { RecordedRequest } from "@loyal-quill/core";
import { bodyOf, Client, formOf } from "@loyal-quill/testing";
import express from "express";
import pg from "pg";
import { atTheEdge, impatient, loopback } from "./edge.js";
import { Keys } from "./keys.js";
import { makeLogger, plainError } from "./log.js";
import { fitting, mostRecorded } from "./store/fitting.js";
import { startWorkbench, type TestWorkbench } from "./testing/workbench.js";

let server: Server | undefined;
afterEach(async () => {
  server?.closeAllConnections();
  await new Promise<void>((resolve) => (server ? server.close(() => resolve()) : resolve()));
  server = undefined;
});

async function serve(...handlers: readonly express.RequestHandler[]): Promise<number> {
  const app = express();
  app.use(...handlers);
  app.use((_request, response) => void response.send("served"));
  server = createServer(app);
  server.keepAliveTimeout = 120_000;
  await new Promise<void>((resolve) => server?.listen(0, "127.0.0.1", resolve));
  return (server.address() as AddressInfo).port;
}

/** Sends lines as they are; answers the status, or "closed". */
const raw = (port: number, lines: string): Promise<string> =>
  new Promise((resolve) => {
    const socket = connect(port, "127.0.0.1", () => socket.write(lines));
    let text = "";
    socket.on("data", (part) => {
      text += String(part);
      if (text.includes("\r\n\r\n")) {
        resolve(text.slice(9, 12));
        socket.destroy();
      }
    });
    socket.on("close", () => resolve("closed"));
    socket.on("error", () => resolve("closed"));
  });

describe("at the edge", () => {
  test.each([
    ["Host: 127.0.0.1:4310", "200"],
    ["Host: localhost", "200"],
    ["Host: LOCALHOST.:80", "200"],
    ["Host: rebound.example", "421"],
    ["Host: 127.0.0.1.rebound.example", "421"],
    ["Host: localhost\r\nHost: rebound.example", "400"],
    ["Host: localhost\r\nhost: localhost", "400"],
  ])("%j is answered %s", async (host, status) => {
    expect(await raw(await serve(atTheEdge(loopback)), `GET / HTTP/1.1\r\n${host}\r\n\r\n`)).toBe(status);
  });

  test.each([
    ["/?q=%00", "400"],
    ["/?q=%ED%A0%80", "400"],
    ["/?q=%E2%82%AC", "200"],
    ["/?q=100%25", "200"],
  ])("%s is answered %s", async (path, status) => {
    expect(await raw(await serve(atTheEdge(loopback)), `GET ${path} HTTP/1.1\r\nHost: localhost\r\n\r\n`)).toBe(status);
  });

  test("the body of somebody whom nobody knows is not waited for", async () => {
    const port = await serve(impatient(50), express.urlencoded({ extended: false }));
    const slow =
      "POST / HTTP/1.1\r\nHost: localhost\r\nContent-Type: application/x-www-form-urlencoded\r\nContent-Length: 100\r\n";
    expect(await raw(port, `${slow}\r\na=`)).toBe("408");
    expect(await raw(port, `${slow.replace("100", "3")}\r\na=b`)).toBe("200");
  });

  test("over HTTPS the cookies are bound to this host, and HTTPS is demanded from then on", async () => {
    const bench = await startWorkbench({ deployment: { secure: true, hops: 1, hosts: null } });
    try {
      const answer = await fetch(`${bench.base}/sign-in`, { headers: { "x-forwarded-proto": "https" } });
      expect(answer.headers.get("strict-transport-security")).toBe("max-age=31536000");
      expect(answer.headers.getSetCookie()).toEqual([
        expect.stringMatching(
          /^__Host-quill_before=[\w-]{43}; Max-Age=3600; Path=\/; Expires=[^;]*; HttpOnly; Secure; SameSite=Lax$/,
        ),
      ]);
    } finally {
      await bench.close();
    }
  });
});

describe("behind a proxy that is believed", () => {
  let bench: TestWorkbench;
  beforeAll(async () => {
    bench = await startWorkbench({ deployment: { secure: false, hops: 1, hosts: null } });
  });
  afterAll(() => bench.close());

  /** Tries to sign in with a wrong password. @returns the status */
  async function guess(forwarded: string, name: string): Promise<number> {
    const client = new Client(bench.base);
    const form = formOf((await client.get("/sign-in")).text);
    const body = bodyOf(form, { email: `${name}@marrow-vale.example`, password: "a wrong guess" });
    const { status } = await client.send("/sign-in", {
      method: "POST",
      headers: { "content-type": "application/x-www-form-urlencoded", "x-forwarded-for": forwarded },
      body,
    });
    return status;
  }

  test.each([
    ["that writes a port beside an address", "hollis", (turn: number) => `203.0.113.9:${40_000 + turn}`],
    ["that writes it beside one of IPv6", "maud", (turn: number) => `[2001:db8::${turn}]:${40_000 + turn}`],
    ["that writes no address at all", "ines", (turn: number) => `unknown-${turn}`],
  ])("guesses are counted by who makes them, with one %s", async (_, name, written) => {
    const statuses: number[] = [];
    for (let turn = 1; turn <= 11; turn++) statuses.push(await guess(written(turn), name));
    expect(statuses).toEqual([...Array(10).fill(422), 429]);
  });

  test("the trail tells addresses, whatever stands there", async () => {
    for (const written of ["198.51.100.7:51234", "x".repeat(4000), `fe80::1%${"e".repeat(4000)}`, "[::1]"])
      expect(await guess(written, "nobody")).toBe(422);
    const store = new pg.Client(bench.made.store);
    await store.connect();
    const { rows } = await store.query("SELECT address FROM trail WHERE subject = 'unknown account' ORDER BY id");
    await store.end();
    expect(rows.map(({ address }) => address)).toEqual(["198.51.100.7", "127.0.0.1", "fe80::1", "::1"]);
  });
});

describe("keys", () => {
  const [old, next] = ["an old secret of thirty-two bytes, or more", "a new secret of thirty-two bytes, or more"];

  test("each use has its own, and what an older one signed still counts", () => {
    const [before, after] = [new Keys([old]), new Keys([next, old])];
    const signature = before.sign("requests", "x");
    expect(after.isSigned("requests", "x", signature)).toBe(true);
    expect(after.isSigned("device", "x", signature)).toBe(false);
    expect(after.isSigned("requests", "y", signature)).toBe(false);
    expect(after.sign("requests", "x")).not.toBe(signature);
    expect(before.isSigned("requests", "x", after.sign("requests", "x"))).toBe(false);
  });

  test("a short one is refused", () => {
    expect(() => new Keys([next, "short"])).toThrow("Signing key 2 is shorter than 32 bytes.");
  });

  test("a form and a session outlive a new key", async () => {
    const first = await startWorkbench({ signingKeys: [old] });
    const second = await startWorkbench({ beside: first, signingKeys: [next, old] });
    const third = await startWorkbench({ beside: first, signingKeys: [next] });
    try {
      const { client } = await first.signIn("hollis");
      const form = formOf((await client.get("/stations/MV-014/edit")).text);
      const at = (base: string): typeof client => Object.assign(Object.create(client) as typeof client, { base });
      const edited = bodyOf(form, {
        notes: "Saved under another key, in a text that is longer than a dozen characters.",
      });
      expect((await at(third.base).post("/stations/MV-014/edit", edited)).status).toBe(401);
      expect((await at(second.base).post("/stations/MV-014/edit", edited)).status).toBe(303);
      expect((await at(second.base).get("/stations/MV-014/edit")).text).toContain("Saved under another key");
    } finally {
      await third.close();
      await second.close();
      await first.close();
    }
  });
});

describe("the log", () => {
  test("holds nothing of what the database said", () => {
    const lines: string[] = [];
    const logger = makeLogger("info", { write: (line: string) => void lines.push(line) });
    const refusal = Object.assign(
      new Error(
        "insert into \"account\" values ('$argon2id$v=19$secret') - duplicate key value violates unique constraint",
      ),
      {
        name: "UniqueConstraintViolationException",
        code: "23505",
        detail: "Key (email)=(orla@marrow-vale.example) already exists.",
        parameters: ["$argon2id$v=19$secret"],
      },
    );
    logger.error({ err: refusal }, "a request failed");
    expect(lines.join("")).not.toMatch(/argon2|orla|insert/i);
    expect(JSON.parse(lines[0] ?? "{}")).toMatchObject({
      msg: "a request failed",
      err: { type: "UniqueConstraintViolationException", code: "23505" },
    });
    expect(plainError(new TypeError("x is undefined"))).toMatchObject({ type: "TypeError", message: "x is undefined" });
    expect(plainError(Object.assign(new Error("connect ECONNREFUSED"), { code: "ECONNREFUSED" }))).toMatchObject({
      message: "connect ECONNREFUSED",
    });
    const wrapped = (cause: Error): Error => new TypeError("fetch failed", { cause });
    expect(plainError(wrapped(new Error("connect ECONNREFUSED 127.0.0.1:1")))).toMatchObject({
      message: "fetch failed",
      cause: { type: "Error", message: "connect ECONNREFUSED 127.0.0.1:1" },
    });
    expect(JSON.stringify(plainError(wrapped(refusal)))).not.toMatch(/argon2|orla|insert/i);
    const circle = new Error("round");
    circle.cause = circle;
    expect(JSON.stringify(plainError(circle)).match(/"message":"round"/g)).toHaveLength(4);
  });
});

describe("a recorded request", () => {
  const recorded = (value: string, count = 1): RecordedRequest => ({
    id: "0197fd3c-7c3b-7000-8000-000000000000",
    at: "2026-11-26T12:00:00.000Z",
    operation: "save",
    method: "POST",
    path: "/stations/MV-014/edit",
    page: "station",
    actor: null,
    key: ["MV-014"],
    outcome: "saved",
    status: 303,
    ms: 4,
    steps: [
      {
        step: "read",
        ms: 1,
        stopped: null,
        statements: [],
        values: Array.from({ length: count }, (_, index) => ({ name: `f${index}`, value })),
      },
    ],
  });

  test.each([
    [1, 100_000],
    [2000, 100],
    [100_000, 3],
  ])("of %d values of %d characters is no larger than 64 kB, and tells its way", (count, length) => {
    const kept = fitting(recorded("😀".repeat(length / 2), count));
    expect(JSON.stringify(kept).length).toBeLessThanOrEqual(mostRecorded);
    expect(kept).toMatchObject({ page: "station", outcome: "saved", steps: [{ step: "read" }] });
    expect(JSON.stringify(kept)).not.toMatch(/\\ud[89a-f]/i);
  });
});
