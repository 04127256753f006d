import { createHmac } from "node:crypto";
import { createServer } from "node:http";
import type { AddressInfo } from "node:net";
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, test } from "@jest/globals";
import { bodyOf, Client, formOf, until } from "@loyal-quill/testing";
import { type AfterSave, createPages, type OwnStepsOf, webhook } from "../index.js";
import { type Served, serve } from "../testing/served.js";
import { demoPages, hollis, makeTrips, type Trips } from "../testing/trips.js";
import { waitAfter } from "./outbox.js";

let trips: Trips;
const opened: Served[] = [];
const errors: string[] = [];

beforeAll(async () => {
  trips = await makeTrips();
});
afterAll(() => trips.close());
beforeEach(async () => {
  errors.length = 0;
  await trips.owner.query("DELETE FROM quill_log.outbox");
});
afterEach(async () => {
  await Promise.all(opened.splice(0).map((each) => each.stop()));
});

async function mounted(steps: OwnStepsOf): Promise<Client> {
  const pages = await createPages({
    database: trips.database,
    pages: demoPages,
    signingKey: "a key for tests, thirty-two bytes long",
    actor: () => hollis,
    steps: { station: { ...steps, outbox: true } },
    onError: (error) => void errors.push((error as Error).message),
  });
  const served = await serve(pages);
  opened.push(served);
  return new Client(served.origin);
}

const address = "/stations/MV-014/edit";

async function save(client: Client, edits: Record<string, string>): Promise<number> {
  return (await client.post(address, bodyOf(formOf((await client.get(address)).text), edits))).status;
}

const kept = async (): Promise<Record<string, unknown>[]> =>
  (
    await trips.owner.query(
      "SELECT page, tries, said, given_up IS NOT NULL AS given_up FROM quill_log.outbox ORDER BY id",
    )
  ).rows;

/** As if the time until the next try had passed. */
const passTime = () => trips.owner.query("UPDATE quill_log.outbox SET due = now()");

describe("the outbox", () => {
  test("keeps what is to be done until it is done, and then no more", async () => {
    const seen: AfterSave[] = [];
    const client = await mounted({
      afterSave: (saved) => {
        seen.push(saved);
        if (saved.attempt === 1) throw new Error("no line");
      },
    });
    expect(await save(client, { notes: "first" })).toBe(303);
    await until(() => errors.length === 1);
    expect(errors[0]).toMatch(/^afterSave of station failed for entry \d+, try 1: no line; it is tried again in 2 s$/);
    expect(await kept()).toEqual([{ page: "station", tries: 1, said: "no line", given_up: false }]);
    await passTime();
    // Another save has it looked at once more.
    expect(await save(client, { notes: "second" })).toBe(303);
    await until(async () => (await kept()).length === 1);
    expect(seen.map(({ attempt, changes }) => [attempt, changes[0]?.new])).toEqual([
      [1, "first"],
      [2, "first"],
      [1, "second"],
    ]);
    expect(new Set(seen.map(({ entry }) => entry)).size).toBe(2);
  });

  test("has what a process that ended did not do, done by the next one", async () => {
    const never = await mounted({ afterSave: () => new Promise(() => {}), limit: 1_500 });
    expect(await save(never, { notes: "by the one that ended" })).toBe(303);
    await until(async () => (await kept())[0]?.tries === 1);
    // As far as others see, its process has ended here.
    await passTime();
    const seen: AfterSave[] = [];
    await mounted({ afterSave: (saved) => void seen.push(saved) });
    await until(() => seen.length === 1);
    expect(seen[0]).toMatchObject({ attempt: 2, page: "station", operation: "change", key: { code: "MV-014" } });
    await until(async () => (await kept()).length === 0);
    // What the first one says when its time is up changes nothing any more.
    await until(() => errors.length === 1);
    expect(await kept()).toEqual([]);
  });

  test("is looked at by several at once, and each thing is done by one of them", async () => {
    const seen: string[] = [];
    const slowly = {
      afterSave: async ({ entry }: AfterSave) => {
        seen.push(entry);
        await new Promise((resolve) => setTimeout(resolve, 20));
      },
    };
    const clients = await Promise.all([mounted(slowly), mounted(slowly), mounted(slowly)]);
    for (let turn = 0; turn < 9; turn++)
      expect(await save(clients[turn % 3] as Client, { notes: `turn ${turn} ${Date.now()}` })).toBe(303);
    await until(async () => (await kept()).length === 0);
    expect(seen).toHaveLength(9);
    expect(new Set(seen).size).toBe(9);
  });

  test("takes nothing of a save that was taken back", async () => {
    const client = await mounted({
      afterSave: () => {},
      inTransaction: ({ problem }) => problem(null, "no"),
    });
    expect(await save(client, { notes: "never" })).toBe(422);
    expect(await kept()).toEqual([]);
  });

  test("gives up in the end, and says so", async () => {
    const client = await mounted({
      afterSave: () => {
        throw new Error("never again");
      },
    });
    expect(await save(client, { notes: "hopeless" })).toBe(303);
    await until(() => errors.length === 1);
    await trips.owner.query("UPDATE quill_log.outbox SET tries = 59, due = now()");
    await save(client, { notes: "another" });
    await until(() => errors.some((said) => said.endsWith("it is given up")));
    await until(async () => (await kept())[0]?.given_up === true);
    expect((await kept())[0]).toEqual({ page: "station", tries: 60, said: "never again", given_up: true });
    expect([waitAfter(1), waitAfter(5), waitAfter(60)]).toEqual([2, 32, 3600]);
  });

  test("is missed at the start, not at the first save", async () => {
    await trips.owner.query("REVOKE DELETE ON quill_log.outbox FROM quill_pages");
    try {
      await expect(mounted({ afterSave: () => {} })).rejects.toThrow(
        /station keep what is to be done.*quill log install/,
      );
    } finally {
      await trips.owner.query("GRANT DELETE ON quill_log.outbox TO quill_pages");
    }
  });
});

describe("a webhook", () => {
  test("sends a signed CloudEvent, and again where it was not taken", async () => {
    const got: { headers: Record<string, unknown>; body: string }[] = [];
    const receiver = createServer((request, response) => {
      let body = "";
      request.on("data", (part) => {
        body += part;
      });
      request.on("end", () => {
        got.push({ headers: request.headers, body });
        response.writeHead(got.length === 1 ? 503 : 204).end();
      });
    });
    await new Promise<void>((resolve) => receiver.listen(0, "127.0.0.1", resolve));
    const url = `http://127.0.0.1:${(receiver.address() as AddressInfo).port}/hook`;
    const secret = "a secret for tests, long enough";
    try {
      const client = await mounted({ afterSave: webhook({ url, secret, source: "https://vale.example/" }) });
      expect(await save(client, { notes: "told by post" })).toBe(303);
      await until(() => errors.length === 1);
      expect(errors[0]).toContain("answered 503");
      await passTime();
      await save(client, { notes: "and again" });
      await until(() => got.length === 3);
      const [first, second] = got;
      expect(second?.body).toBe(first?.body);
      const event = JSON.parse(first?.body ?? "") as Record<string, unknown>;
      expect(event).toEqual({
        specversion: "1.0",
        id: first?.headers["webhook-id"],
        source: "https://vale.example/",
        type: "loyal-quill.record.changed",
        subject: "network.station/MV-014",
        time: expect.stringMatching(/^\d{4}-\d\d-\d\dT.*Z$/),
        datacontenttype: "application/json",
        data: {
          page: "station",
          table: "network.station",
          key: { code: "MV-014" },
          changes: [expect.objectContaining({ field: "notes", new: "told by post" })],
          actor: { id: "hollis", name: "Hollis Brandt" },
          reason: null,
          requestId: expect.any(String),
        },
      });
      const signed = `${first?.headers["webhook-id"]}.${first?.headers["webhook-timestamp"]}.${first?.body}`;
      const expected = createHmac("sha256", secret).update(signed).digest("base64");
      expect(first?.headers["webhook-signature"]).toBe(`v1,${expected}`);
      expect(first?.headers["content-type"]).toBe("application/cloudevents+json; charset=utf-8");
    } finally {
      await new Promise((resolve) => receiver.close(resolve));
    }
  });

  test("needs a secret that is one", () => {
    expect(() => webhook({ url: "https://x.example/", secret: "short", source: "/" })).toThrow(/24 bytes/);
    expect(() => webhook({ url: "https://x.example/", secret: undefined, source: "/" })).toThrow(/24 bytes/);
  });
});
