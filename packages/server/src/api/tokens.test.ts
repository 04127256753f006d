import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { type Builder, people, startWorkbench, type TestWorkbench } from "../testing/workbench.js";
import type { MadeTokenAnswer, TokenAnswer } from "./answers/people.js";

let workbench: TestWorkbench;
let ines: Builder;

beforeAll(async () => {
  workbench = await startWorkbench({ several: true });
  ines = await workbench.builder("ines");
});
afterAll(() => workbench.close());

const of = `/people/${people.hollis.id}/tokens`;
const make = async (pages: readonly string[] | null, days = 30): Promise<MadeTokenAnswer> =>
  (await ines.send<MadeTokenAnswer>("POST", of, { name: "nightly import", pages, days })).said;

const ask = (token: string, path: string, more: RequestInit = {}) =>
  fetch(workbench.base + path, {
    ...more,
    redirect: "manual",
    headers: { accept: "application/json", authorization: `Bearer ${token}`, ...(more.headers as object) },
  });

describe("a token for programs", () => {
  test("acts as its account on its pages only, and stands in the log by its name", async () => {
    const { token, made } = await make(["station"]);
    expect(token).toMatch(/^quill_[\w-]{43}$/);
    const read = await ask(token, "/stations/MV-014");
    expect([read.status, read.headers.get("set-cookie")]).toEqual([200, null]);
    const changed = await ask(token, "/stations/MV-014", {
      method: "PATCH",
      headers: { "content-type": "application/json", "if-match": read.headers.get("etag") ?? "" },
      body: JSON.stringify({ notes: "by a program" }),
    });
    expect(changed.status).toBe(200);
    const history = (await (await ask(token, "/stations/MV-014/history")).json()) as { items: { by: string }[] };
    expect(history.items[0]?.by).toBe("hollis (nightly import)");
    // What the account may open besides, and what is no page.
    expect((await ask(token, "/sensors")).status).toBe(403);
    expect((await ask(token, "/workbench/api/people")).status).toBe(401);
    const described = (await (await ask(token, "/openapi.json")).json()) as { paths: object };
    expect(Object.keys(described.paths)).toEqual([
      "/stations",
      "/stations/{code}",
      "/stations/{code}/edit",
      "/stations/new",
      "/stations/{code}/delete",
    ]);
    const [listed] = (await ines.send<TokenAnswer[]>("GET", of)).said;
    expect(listed).toMatchObject({
      id: made.id,
      pages: ["station"],
      madeBy: "ines",
      usedAt: expect.any(String),
    });
    expect(JSON.stringify(listed)).not.toContain(token.slice(6));
  });

  test("is none any more once it is revoked, has ended, or its account is disabled", async () => {
    const { token, made } = await make(null);
    expect((await ask(token, "/sensors")).status).toBe(200);
    const pool = workbench.application.store;
    expect((await ines.send("DELETE", `${of}/${made.id}`)).status).toBe(200);
    const revoked = await ask(token, "/sensors");
    expect([revoked.status, revoked.headers.get("www-authenticate")]).toEqual([401, "Bearer"]);
    expect((await ines.send("DELETE", `${of}/${made.id}`)).status).toBe(404);
    const ended = `quill_${"e".repeat(43)}`;
    const { digestOf } = await import("../sign-in/passwords.js");
    await pool.tokens.keep({
      id: crypto.randomUUID(),
      name: "old",
      digest: digestOf(ended),
      accountId: people.hollis.id,
      pages: null,
      madeAt: new Date(0),
      madeBy: "",
      endsAt: new Date(),
      usedAt: null,
    });
    expect((await ask(ended, "/sensors")).status).toBe(401);
    const live = (await make(null)).token;
    const account = await pool.accounts.one(people.hollis.id);
    if (!account) throw new Error("no account");
    await pool.accounts.keep({ ...account, active: false });
    expect((await ask(live, "/sensors")).status).toBe(401);
    await pool.accounts.keep({ ...account, active: true });
    expect((await ask(live, "/sensors")).status).toBe(200);
  });

  test.each([
    ["", "Basic x"],
    ["", "Bearer quill_short"],
    ["", `Bearer quill_${"x".repeat(43)}`],
  ])("another authorization is nobody's, whoever is signed in besides: %s%s", async (_, authorization) => {
    const { client } = await workbench.signIn("hollis");
    const answer = await client.send("/stations", { headers: { authorization, accept: "application/json" } });
    expect(answer.status).toBe(401);
    expect((await client.send("/stations", { headers: { accept: "application/json" } })).status).toBe(200);
  });

  test("is of one database: another one's pages don't know it", async () => {
    const { token } = await make(null);
    expect((await ask(token, "/archive/openapi.json")).status).toBe(401);
  });

  test.each([
    [{ name: "", pages: null, days: 1 }],
    [{ name: "x", pages: [], days: 1 }],
    [{ name: "x", pages: null, days: 0 }],
    [{ name: "x", pages: null, days: 1.5 }],
    [{ name: "x", pages: null, days: 9999 }],
    [{}],
  ])("%j makes none", async (body) => {
    expect((await ines.send("POST", of, body)).status).toBe(400);
  });
});
