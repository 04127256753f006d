import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, test } from "@jest/globals";
import { Client } from "@loyal-quill/testing";
import { type ProvidedPerson, startProvider, type TestProvider } from "@loyal-quill/testing/provider";
import pg from "pg";
import { startWorkbench, type TestWorkbench } from "../testing/workbench.js";
import { SignOnElsewhere } from "./sign-on.js";

/** Signing in with a provider of OpenID Connect, a real one on loopback. */

let bench: TestWorkbench;
let provider: TestProvider;
let store: pg.Client;
beforeAll(async () => {
  bench = await startWorkbench({
    signIn: async (origin) => {
      provider = await startProvider(origin);
      return {
        passwords: false,
        elsewhere: {
          issuer: provider.issuer,
          clientId: provider.clientId,
          clientSecret: provider.clientSecret,
          name: "Vale House",
          scope: "openid email profile",
          rolesClaim: "groups",
          roles: { hydro: "hydrologist", web: "builder" },
          attributes: { region_id: "region" },
          origin,
        },
      };
    },
  });
  store = new pg.Client(bench.made.store);
  await store.connect();
});
afterAll(async () => {
  await store.end();
  await bench.close();
  await provider.close();
});

const orla = {
  sub: "u-1",
  email: "Orla@marrow-vale.example",
  email_verified: true,
  name: "Orla Quist",
  groups: ["hydro", "other"],
  region: 2,
};
beforeEach(() => {
  provider.person = orla;
});

/** A browser that follows where it is sent, here and at the provider, each with cookies of its own. */
class Browser {
  readonly here = new Client(bench.base);
  readonly there = new Client(provider.issuer);

  /** @param stopAt ends on the way as soon as it is to go to an address that begins so */
  async follow(address: string, stopAt = "\0"): Promise<{ status: number; text: string; at: string }> {
    let at = address;
    for (let turn = 0; turn < 12; turn++) {
      const url = new URL(at, bench.base);
      const client = url.origin === bench.base ? this.here : this.there;
      const answer = await client.get(`${url.pathname}${url.search}`);
      const to = answer.headers.get("location");
      if (to === null) return { status: answer.status, text: answer.text, at: url.href };
      at = new URL(to, url).href;
      if (at.startsWith(stopAt)) return { status: answer.status, text: "", at };
    }
    throw new Error(`it never ends: ${at}`);
  }
}

const signOn = async (next = "/stations") => {
  const browser = new Browser();
  const { text } = await browser.follow(`/sign-in?next=${encodeURIComponent(next)}`);
  const to = /href="(\/sign-in\/elsewhere\/go[^"]*)"/.exec(text)?.[1]?.replaceAll("&amp;", "&") ?? "";
  return { browser, ended: await browser.follow(to) };
};
const stored = async (sub: string) =>
  (
    await store.query("SELECT email, name, roles, attributes, active, password_hash FROM account WHERE subject = $1", [
      sub,
    ])
  ).rows[0];

describe("signing in elsewhere", () => {
  test("leads back to where one was going, as an account made of what the provider says", async () => {
    const { ended } = await signOn("/stations?sort=name");
    expect([ended.status, ended.at]).toEqual([200, `${bench.base}/stations?sort=name`]);
    expect(await stored("u-1")).toEqual({
      email: "orla@marrow-vale.example",
      name: "Orla Quist",
      roles: ["hydrologist"],
      attributes: { region_id: 2 },
      active: true,
      password_hash: null,
    });
    const { rows } = await store.query("SELECT action, actor_name, detail FROM trail ORDER BY id DESC LIMIT 1");
    expect(rows).toEqual([{ action: "sign-in.ok", actor_name: "Orla Quist", detail: { by: "Vale House" } }]);
  });

  test("brings the account up to date each time", async () => {
    await signOn();
    provider.person = { ...orla, name: "Orla Brandt", groups: ["web"], region: 3 };
    const { ended } = await signOn();
    expect(ended.status).toBe(403);
    expect(await stored("u-1")).toMatchObject({
      name: "Orla Brandt",
      roles: ["builder"],
      attributes: { region_id: 3 },
    });
  });

  test("an account that was made under the issuer with a slash at its end is the same person's", async () => {
    await signOn();
    await store.query("UPDATE account SET issuer = issuer || '/' WHERE subject = 'u-1'");
    const { ended } = await signOn();
    expect(ended.status).toBe(200);
    const { rows } = await store.query(
      "UPDATE account SET issuer = rtrim(issuer, '/') WHERE subject = 'u-1' RETURNING issuer",
    );
    expect(rows).toEqual([{ issuer: provider.issuer }]);
  });

  test("calls somebody by the parts of a name where the provider tells no whole", async () => {
    const { name: _, ...nameless } = orla;
    const person = {
      ...nameless,
      sub: "u-7",
      email: "u-7@marrow-vale.example",
      given_name: "Orla",
      family_name: " Quist ",
    };
    provider.person = person;
    await signOn();
    expect(await stored("u-7")).toMatchObject({ name: "Orla Quist" });
    provider.person = { ...nameless, sub: "u-8", email: "u-8@marrow-vale.example" };
    await signOn();
    expect(await stored("u-8")).toMatchObject({ name: "u-8@marrow-vale.example" });
  });

  test("reads claims as providers write them: numbers in lists, truths as texts, roles further in", async () => {
    provider.person = { ...orla, sub: "u-5", email: "u-5@marrow-vale.example", email_verified: "true", region: [2, 3] };
    expect((await signOn()).ended.status).toBe(200);
    expect(await stored("u-5")).toMatchObject({ roles: ["hydrologist"], attributes: { region_id: ["2", "3"] } });
  });

  test.each([
    ["no address", { email: undefined }, "The provider sends no claim email"],
    ["an address that is none", { email: "orla" }, "The claim email is not as OpenID Connect Core, 5.1, has it."],
    [
      "more in a list than can be stored",
      { region: Array(201).fill(2) },
      "Attributes (region_id) must have at most 200 texts.",
    ],
    ["an object for an attribute", { region: { id: 2 } }, "The attribute region_id must be a text"],
    [
      "a longer text than can be stored",
      { region: "x".repeat(1001) },
      "Attributes (region_id) must have at most 1,000 characters.",
    ],
  ])("%s: nobody is signed in by half of what they are, and the log says why", async (_, claims, said) => {
    provider.person = { ...orla, sub: "u-6", ...claims } as ProvidedPerson;
    const before = bench.logged.length;
    const { ended, browser } = await signOn();
    expect(ended.text).toContain("Signing in with the other application did not work.");
    expect((await browser.here.get("/stations")).status).toBe(303);
    expect(await stored("u-6")).toBeUndefined();
    const lines = bench.logged.slice(before).join("");
    expect(lines).toContain(said);
    expect(lines).not.toMatch(/orla|xxx/i);
  });

  test("who is refused there, or disabled here, is told so and not signed in", async () => {
    provider.person = null;
    const refused = await signOn();
    expect(refused.ended.text).toContain("Signing in with the other application did not work.");
    provider.person = orla;
    await signOn();
    await store.query("UPDATE account SET active = false WHERE subject = 'u-1'");
    const disabled = await signOn();
    expect(disabled.ended.text).toContain("You are known there, but not here.");
    expect((await disabled.browser.here.get("/stations")).status).toBe(303);
    await store.query("UPDATE account SET active = true WHERE subject = 'u-1'");
  });

  test("an account with a password is not given to whoever has its address there, nor one by an address that isn't verified", async () => {
    provider.person = { ...orla, sub: "u-2", email: "hollis@marrow-vale.example" };
    expect((await signOn()).ended.text).toContain("You are known there, but not here.");
    provider.person = { ...orla, sub: "u-3", email: "new@marrow-vale.example", email_verified: false };
    expect((await signOn()).ended.text).toContain("You are known there, but not here.");
    const { email_verified: _, ...unsaid } = orla;
    provider.person = { ...unsaid, sub: "u-4", email: "unsaid@marrow-vale.example" };
    expect((await signOn()).ended.text).toContain("You are known there, but not here.");
    expect([await stored("u-2"), await stored("u-3"), await stored("u-4")]).toEqual([undefined, undefined, undefined]);
  });

  test("a token that the provider's keys have not signed is nobody's, though it came from its own address", async () => {
    provider.forges = true;
    const { ended, browser } = await signOn();
    provider.forges = false;
    expect(ended.text).toContain("Signing in with the other application did not work.");
    expect((await browser.here.get("/stations")).status).toBe(303);
  });

  test("an answer is taken once, in the browser that asked, with the state that was given", async () => {
    const browser = new Browser();
    await browser.follow("/sign-in");
    const { at } = await browser.follow("/sign-in/elsewhere/go?next=/stations", `${bench.base}/sign-in/elsewhere?`);
    const path = at.slice(bench.base.length);
    const failed = "/sign-in?problem=elsewhere-failed";
    const other = new Client(bench.base);
    await other.get("/sign-in");
    expect((await other.get(path)).headers.get("location")).toBe(failed);
    expect((await browser.here.get(path.replace(/state=[^&]*/, "state=x"))).headers.get("location")).toBe(failed);
    // What was kept for the way back is gone with the first answer.
    expect((await browser.here.get(path)).headers.get("location")).toBe(failed);
    const again = await signOn();
    expect(again.ended.status).toBe(200);
  });

  test("there are no passwords beside it", async () => {
    const { status, text } = await bench
      .signIn("hollis")
      .catch((error: unknown) => ({ status: 0, text: String(error) }));
    expect([status, text]).toEqual([0, expect.stringContaining("There is no form on this page")]);
    const client = new Client(bench.base);
    expect((await client.post("/sign-in", "email=hollis%40marrow-vale.example&password=x&token=x")).status).toBe(422);
  });

  test("signing out signs out there as well", async () => {
    const { browser } = await signOn();
    const { text } = await browser.here.get("/my-account");
    const token = /name="token" value="([^"]+)"/.exec(text)?.[1] ?? "";
    const out = await browser.here.post("/sign-out", `token=${token}`);
    expect([out.status, out.headers.get("refresh")]).toEqual([
      200,
      expect.stringMatching(new RegExp(`^0; url=${provider.issuer}/session/end\\?.*id_token_hint=`)),
    ]);
    expect((await browser.here.get("/stations")).status).toBe(303);
  });
});

describe("a provider that was never tried with", () => {
  const origin = "http://127.0.0.1:9";
  const settings = { name: "Vale House", scope: "openid email profile", rolesClaim: "realm_access.roles", roles: null };
  let elsewhere: TestProvider | undefined;
  const clock = Date.now;
  afterEach(async () => {
    Date.now = clock;
    await elsewhere?.close();
  });

  /** Somebody goes there and comes back. */
  async function gone(there: TestProvider, how: SignOnElsewhere) {
    const client = new Client(there.issuer);
    const { address, waiting } = await how.begin("/");
    for (let at = address, turn = 0; turn < 12; turn++) {
      if (at.startsWith(origin)) return how.finish(new URL(at).search, waiting);
      const { pathname, search } = new URL(at);
      at = new URL((await client.get(pathname + search)).headers.get("location") ?? "", there.issuer).href;
    }
    throw new Error("it never ends");
  }

  test.each(["client_secret_basic", "client_secret_post"] as const)(
    "is shown who asks by %s, where it takes nothing else",
    async (way) => {
      elsewhere = await startProvider(origin, [way]);
      elsewhere.person = { ...orla, realm_access: { roles: ["hydrologist", "technician"] } };
      const { issuer, clientId, clientSecret } = elsewhere;
      const how = new SignOnElsewhere({ ...settings, issuer, clientId, clientSecret, attributes: {}, origin });
      const { person } = await gone(elsewhere, how);
      expect(person).toMatchObject({ subject: "u-1", roles: ["hydrologist", "technician"], isVerified: true });
    },
  );

  test("is asked what it is like once an hour, and not at every sign-in", async () => {
    elsewhere = await startProvider(origin);
    elsewhere.person = orla;
    const { issuer, clientId, clientSecret, asked } = elsewhere;
    const how = new SignOnElsewhere({ ...settings, issuer, clientId, clientSecret, attributes: {}, origin });
    const times = (): number => asked.filter((path) => path.includes("/.well-known/")).length;
    await gone(elsewhere, how);
    await gone(elsewhere, how);
    expect(times()).toBe(1);
    Date.now = () => clock() + 61 * 60_000;
    expect((await gone(elsewhere, how)).person.hasRoles).toBe(false);
    expect(times()).toBe(2);
  });
});
