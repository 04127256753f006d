import { once } from "node:events";
import { createServer, type Server, type ServerResponse } from "node:http";
import { type AddressInfo, connect, type Socket } from "node:net";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import type { Actor } from "@loyal-quill/core";
import { until } from "@loyal-quill/testing";
import { createPages, type Pages } from "../index.js";
import { type Served, serve } from "../testing/served.js";
import { hollis, makeTrips, type Trips } from "../testing/trips.js";
import { endUnread } from "./downloads.js";

/** Readers who ask for much and read none of it: others are served as if they were not there. */

const page = `format: loyal-quill/page@1
title: "Line {id}"
path: /lines/{id}
record: { table: proof.line, key: id }
list: { columns: [id, text] }
fields: [text]
`;

const file = `format: loyal-quill/page@1
title: "File {id}"
path: /files/{id}
record: { table: proof.file, key: id }
fields: [{ content: { control: file } }]
`;

let trips: Trips;
let pages: Pages;
let served: Served;
beforeAll(async () => {
  trips = await makeTrips({
    sql: [
      "CREATE SCHEMA proof",
      "CREATE TABLE proof.line (id integer PRIMARY KEY, text text NOT NULL)",
      "INSERT INTO proof.line SELECT i, repeat('text of the line ' || i, 20) FROM generate_series(1, 60000) AS s(i)",
      "CREATE TABLE proof.file (id integer PRIMARY KEY, content bytea)",
      "ALTER TABLE proof.file ALTER COLUMN content SET STORAGE EXTERNAL",
      "INSERT INTO proof.file VALUES (1, decode(repeat('00ff', 3000000), 'hex'))",
      "GRANT USAGE ON SCHEMA proof TO quill_pages",
      "GRANT SELECT, UPDATE ON ALL TABLES IN SCHEMA proof TO quill_pages",
    ],
    files: { line: page, file },
  });
  pages = await createPages({
    database: trips.pool.options.connectionString ?? "",
    poolSize: 5,
    pages: trips.directory,
    signingKey: "a key for tests, thirty-two bytes long",
    actor: (request): Actor => ({ ...hollis, id: request.get("x-person") ?? "nobody" }),
  });
  served = await serve(pages, "/records");
});
afterAll(async () => {
  await served.stop();
  await trips.close();
});

/** Asks for something and reads no more of it than its first part. */
async function ask(path: string, person: string): Promise<{ socket: Socket; status: number }> {
  const socket = connect(Number(new URL(served.origin).port), "127.0.0.1");
  socket.on("error", () => {});
  socket.write(`GET ${path} HTTP/1.1\r\nhost: localhost\r\nx-person: ${person}\r\naccept: text/csv\r\n\r\n`);
  const [first] = (await once(socket, "data")) as [Buffer];
  socket.pause();
  return { socket, status: Number(/^HTTP\/1\.1 (\d+)/.exec(first.toString("latin1"))?.[1]) };
}

const status = async (path: string, person: string): Promise<number> => {
  const answer = await fetch(`${served.origin}${path}`, { headers: { "x-person": person } });
  await answer.arrayBuffer();
  return answer.status;
};
const inUse = async (): Promise<number> =>
  (
    await trips.one<{ count: number }>(
      "SELECT count(*)::integer FROM pg_stat_activity WHERE usename = 'quill_pages' AND datname = current_database() AND state <> 'idle'",
    )
  ).count;

describe("exports that nobody reads", () => {
  test("are one a person and four in all, hold no connection, and leave the lists to everybody", async () => {
    const csv = "/records/lines/~csv";
    const stuck = await Promise.all(["a", "b", "c", "d"].map((person) => ask(csv, person)));
    expect(stuck.map((each) => each.status)).toEqual([200, 200, 200, 200]);
    const again = await ask(csv, "a");
    const fifth = await ask(csv, "e");
    expect([again.status, fifth.status]).toEqual([429, 503]);
    // They are read from the database to their end, whoever reads them.
    await until(async () => (await inUse()) === 0);
    const lists = await Promise.all(
      Array.from({ length: 10 }, (_, index) => status("/records/lines", `reader ${index}`)),
    );
    expect(lists).toEqual(Array.from({ length: 10 }, () => 200));
    for (const { socket } of [...stuck, again, fifth]) socket.destroy();
    // Their turns are free again.
    await until(async () => (await status(csv, "a")) === 200);
  });

  test("an export adds few listeners to an answer that has others", async () => {
    const warnings: string[] = [];
    const warned = (warning: Error): void => void warnings.push(warning.message);
    process.on("warning", warned);
    const more = await createPages({
      database: trips.pool,
      pages: trips.directory,
      signingKey: "a key for tests, thirty-two bytes long",
      actor: () => hollis,
    });
    const others = await serve(more, "/records", (_request, response, next) => {
      for (let index = 0; index < 5; index++) response.on("close", () => {});
      next();
    });
    const answer = await fetch(`${others.origin}/records/lines/~csv`, { headers: { "x-person": "listener" } });
    expect((await answer.text()).length).toBeGreaterThan(1_000_000);
    await new Promise((resolve) => setImmediate(resolve));
    process.off("warning", warned);
    expect(warnings).toEqual([]);
    await others.stop();
  });

  test("an export that is read slowly is whole", async () => {
    const answer = await fetch(`${served.origin}/records/lines/~csv`, { headers: { "x-person": "slow" } });
    const parts: Uint8Array[] = [];
    let length = 0;
    for await (const part of answer.body as unknown as AsyncIterable<Uint8Array>) {
      length += part.length;
      parts.push(part);
      if (length % 5 === 0) await new Promise((resolve) => setTimeout(resolve, 1));
    }
    expect(Buffer.concat(parts).toString().split("\r\n")).toHaveLength(60_002);
  });
});

test("files that nobody reads hold no connection", async () => {
  const path = "/records/files/~file/1?column=content";
  const stuck = await Promise.all(["a", "b", "c", "d", "e", "f"].map((person) => ask(path, person)));
  expect(stuck.map((each) => each.status)).toEqual(Array.from({ length: 6 }, () => 200));
  await until(async () => (await inUse()) === 0);
  expect(await status("/records/lines", "g")).toBe(200);
  expect(await status(path, "g")).toBe(200);
  for (const { socket } of stuck) socket.destroy();
});

describe("an answer that nobody reads", () => {
  let server: Server;
  afterAll(() => void server.close());

  test("is broken off, and one that is read is not", async () => {
    const closed: string[] = [];
    const answers = new Map<string | undefined, ServerResponse>();
    server = createServer((request, response) => {
      answers.set(request.url, response);
      response.on("close", () => closed.push(`${request.url} ${response.writableFinished}`));
      response.writeHead(200);
      response.write(Buffer.alloc(20_000_000));
    });
    await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
    const { port } = server.address() as AddressInfo;
    const socket = connect(port, "127.0.0.1");
    socket.on("error", () => {});
    socket.write("GET /unread HTTP/1.1\r\nhost: localhost\r\n\r\n");
    await once(socket, "data");
    socket.pause();
    const read = (await fetch(`http://127.0.0.1:${port}/read`)).body?.getReader();
    let length = 0;
    while (length < 20_000_000) length += (await read?.read())?.value?.length ?? 0;
    await until(() => answers.get("/read")?.writableLength === 0);
    // Both have the same short time from here on: all of the one was taken, and nothing of the other.
    for (const answer of answers.values()) endUnread(answer, 100);
    const quiet = once(answers.get("/read") as ServerResponse, "timeout");
    await until(() => closed.length > 0);
    // What is told from time to time goes on, however long it is quiet in between.
    await quiet;
    answers.get("/read")?.end("the end");
    for (let part = await read?.read(); part && !part.done; part = await read?.read()) length += part.value.length;
    expect(length).toBe(20_000_007);
    await until(() => closed.length >= 2);
    expect(closed.toSorted()).toEqual(["/read true", "/unread false"]);
    socket.destroy();
  });
});
