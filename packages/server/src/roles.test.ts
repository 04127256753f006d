import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { Client } from "@loyal-quill/testing";
import { GuardedRoutes } from "./api/access.js";
import type { SessionAnswer } from "./api/answers/people.js";
import { hashPassword } from "./sign-in/passwords.js";
import { password, people, startWorkbench, type TestWorkbench } from "./testing/workbench.js";

/** Every route of the workbench's API, asked by nobody, by each role and by an account that was disabled. */

const roles = ["builder", "administrator", "auditor", "hydrologist"] as const;
type Role = (typeof roles)[number];

let bench: TestWorkbench;
const clients = new Map<Role | "nobody" | "disabled", { client: Client; token: string }>();

async function account(name: string, given: readonly string[]): Promise<string> {
  const id = `5e0c7a10-4b1d-4c55-9d0e-0000000001${String(clients.size).padStart(2, "0")}`;
  await bench.application.store.accounts.keep({
    id,
    email: `${name}@marrow-vale.example`,
    name,
    passwordHash: await hashPassword(password),
    roles: [...given],
    attributes: {},
    active: true,
  });
  const { client } = await bench.signIn(name);
  const session = await client.get("/workbench/api/session");
  const { csrfToken = "" } = session.status === 200 ? (JSON.parse(session.text) as SessionAnswer) : {};
  clients.set(name as Role, { client, token: csrfToken });
  return id;
}

beforeAll(async () => {
  bench = await startWorkbench();
  clients.set("nobody", { client: new Client(bench.base), token: "" });
  for (const role of roles) await account(role, [role]);
  const id = await account("disabled", ["builder", "administrator", "auditor"]);
  await bench.application.store.accounts.change(id, { active: false });
});
afterAll(() => bench.close());

const { hollis } = people;
/** Who gets on, by route. A body that is none is refused by whoever would take it. */
const routes: Readonly<Record<string, readonly Role[]>> = {
  "GET /session": ["builder", "administrator", "auditor"],
  "GET /feed": ["builder", "administrator", "auditor"],
  "GET /trail": ["auditor"],
  "GET /changes": ["auditor"],
  "GET /changes/entries": ["auditor"],
  "GET /changes/record": ["auditor"],
  "POST /changes/put-back/plan": ["auditor"],
  "POST /adopt": ["builder"],
  "POST /adopt/tables": ["builder"],
  "POST /changes/put-back": ["auditor"],
  "GET /changes/verification": ["auditor"],
  "POST /changes/verification": ["auditor"],
  "DELETE /changes/verification": ["auditor"],
  "GET /page-file": ["builder"],
  "GET /pages": ["builder"],
  "GET /pages/:name/records": ["builder"],
  "GET /pages/:name/extremes": ["builder"],
  "GET /pages/:name/first": ["builder"],
  "GET /pages/:name/neighbour": ["builder"],
  "GET /databases": ["builder"],
  "GET /database": ["builder"],
  "GET /database/:table": ["builder"],
  "GET /requests": ["builder"],
  "GET /requests/newest": ["builder"],
  "GET /requests/sums": ["builder"],
  "GET /requests/:id/plan": ["builder"],
  "GET /requests/:id": ["builder"],
  "GET /accounts": ["builder"],
  "POST /drafts": ["builder"],
  "GET /drafts/:name": ["builder"],
  "PUT /drafts/:name": ["builder"],
  "DELETE /drafts/:name": ["builder"],
  "POST /drafts/:name/bring-in": ["builder"],
  "POST /drafts/:name/publish": ["builder"],
  "GET /drafts/:name/effects": ["builder"],
  "POST /drafts/:name/note": ["builder"],
  "GET /drafts/:name/versions": ["builder"],
  "POST /drafts/:name/review": ["builder"],
  "POST /drafts/:name/code": ["builder"],
  "GET /drafts/:name/census": ["builder"],
  "POST /drafts/:name/census": ["builder"],
  "DELETE /drafts/:name/census": ["builder"],
  "GET /drafts/:name/rehearsal": ["builder"],
  "POST /drafts/:name/rehearsal": ["builder"],
  "DELETE /drafts/:name/rehearsal": ["builder"],
  "GET /drafts/:name/rehearsal/:id": ["builder"],
  "GET /drafts/:name/replay": ["builder"],
  "POST /drafts/:name/replay": ["builder"],
  "DELETE /drafts/:name/replay": ["builder"],
  "GET /drafts/:name/replay/:id": ["builder"],
  "POST /drafts/:name/condition": ["builder"],
  "POST /drafts/:name/trial": ["builder"],
  "POST /drafts/:name/list": ["builder"],
  "GET /people": ["builder", "administrator"],
  "GET /people/:id/may": ["builder", "administrator"],
  "POST /people": ["administrator"],
  "PUT /people/:id": ["administrator"],
  "POST /people/:id/password": ["administrator"],
  "DELETE /people/:id/factor": ["administrator"],
  "GET /people/:id/sessions": ["administrator"],
  "DELETE /people/:id/sessions": ["administrator"],
  "GET /people/:id/tokens": ["administrator"],
  "POST /people/:id/tokens": ["administrator"],
  "DELETE /people/:id/tokens/:token": ["administrator"],
};

const addressOf = (route: string): string =>
  route
    .replace(":name", "station")
    .replace(":table", "network.station")
    .replace("/requests/:id", "/requests/------------------------------------")
    .replace(":id", hollis.id)
    .replace(":token", hollis.id);

/** The status alone: an answer that does not end, like the live feed, is left. */
async function statusOf(
  who: Role | "nobody" | "disabled",
  route: string,
  written: (address: string) => string = (address) => `/workbench/api${address}`,
): Promise<number> {
  const [method = "", address = ""] = addressOf(route).split(" ");
  const { client, token } = clients.get(who) ?? { client: new Client(bench.base), token: "" };
  const gone = new AbortController();
  const answer = client.send(written(address), {
    method,
    signal: gone.signal,
    headers: { "x-csrf-token": token, "content-type": "application/json" },
    ...(method === "GET" ? {} : { body: "{}" }),
  });
  if (!/feed/i.test(written(address))) return (await answer).status;
  const left = setTimeout(() => gone.abort(), 500);
  const status = await answer.then(({ status }) => status).catch(() => 200);
  clearTimeout(left);
  return status;
}

describe("the workbench's API", () => {
  test("has no route that isn't asked here, and each names those who get on", () => {
    const named = bench.application.api.map(({ method, path, roles: who }) => [`${method} ${path}`, who.toSorted()]);
    expect(Object.fromEntries(named)).toEqual(
      Object.fromEntries(Object.entries(routes).map(([route, who]) => [route, who.toSorted()])),
    );
    expect(named).toHaveLength(Object.keys(routes).length);
  });

  test("a route that names nobody can't be added", () => {
    const guarded = new GuardedRoutes(async () => null);
    expect(() => guarded.get([], "/open", (_request, response) => void response.json({}))).toThrow(
      "The route GET /open does not name who may use it.",
    );
  });

  test.each(Object.entries(routes))("%s gets on for %p only", async (route, allowed) => {
    expect([await statusOf("nobody", route), await statusOf("disabled", route)]).toEqual([401, 401]);
    for (const role of roles) {
      const status = await statusOf(role, route);
      expect([role, status === 403, status < 500]).toEqual([role, !allowed.includes(role), true]);
    }
  });

  const spellings: Readonly<Record<string, (address: string) => string>> = {
    "in capitals": (address) => `/workbench/api${address.toUpperCase()}`,
    "with //": (address) => `/workbench/api${address.replaceAll("/", "//")}`,
    "with %2f": (address) => `/workbench/api/${address.slice(1).replaceAll("/", "%2f")}`,
    "with letters encoded": (address) =>
      `/workbench/api${address.replace(/[^/]+$/, (last) => `%${(last.codePointAt(0) ?? 0).toString(16)}${last.slice(1)}`)}`,
    "with ;": (address) => `/workbench/api${address};a=b`,
    "with a slash at the end": (address) => `/workbench/api${address}/`,
  };
  test.each(Object.entries(spellings))("written %s no route is open to others", async (_how, written) => {
    for (const [route, allowed] of Object.entries(routes)) {
      const others = roles.filter((role) => !allowed.includes(role));
      const asked = ["nobody", "disabled", ...others] as const;
      const statuses = await Promise.all(asked.map((who) => statusOf(who, route, written)));
      for (const [index, who] of asked.entries()) {
        const status = statuses[index] ?? 0;
        const isRight = who === "nobody" || who === "disabled" ? status === 401 : status === 403 || status === 404;
        expect([who, route, status, isRight]).toEqual([who, route, status, true]);
      }
    }
  });

  test("takes nothing that changes something without the session's token", async () => {
    const { client } = clients.get("administrator") ?? { client: new Client(bench.base) };
    const body = JSON.stringify({});
    const headers = { "content-type": "application/json" };
    expect(
      (await client.send(`/workbench/api/people/${hollis.id}/password`, { method: "POST", body, headers })).status,
    ).toBe(403);
  });

  test("answers 404 for what is no id", async () => {
    expect(await statusOf("builder", "GET /requests/:id")).toBe(404);
    const admin = clients.get("administrator");
    expect((await admin?.client.get("/workbench/api/people/-/sessions"))?.status).toBe(404);
  });
});
