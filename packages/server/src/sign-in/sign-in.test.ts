import { afterAll, afterEach, beforeAll, describe, expect, test } from "@jest/globals";
import { type Answer, bodyOf, Client, formOf } from "@loyal-quill/testing";
import pg from "pg";
import type { PersonAnswer, PersonSession, TrailAnswer } from "../api/answers/people.js";
import { type Builder, password, people, startWorkbench, type TestWorkbench } from "../testing/workbench.js";
import { codeAt, stepOfCode } from "./factor.js";
import { countedAddress } from "./limits.js";
import { hashPassword, passwordProblem } from "./passwords.js";

let bench: TestWorkbench;
let ines: Builder;
let store: pg.Client;
beforeAll(async () => {
  bench = await startWorkbench({ signIn: () => ({ factorRoles: ["duty-officer"] }) });
  ines = await bench.builder("ines");
  store = new pg.Client(bench.made.store);
  await store.connect();
});
// Tries of one test are none of the next one's, however it ended.
afterEach(() => store.query("DELETE FROM attempt"));
afterAll(async () => {
  await store.end();
  await bench.close();
});

const fresh = (): Client => new Client(bench.base);
const emailOf = (name: string): string => `${name}@marrow-vale.example`;

/** An account of a test's own. */
async function account(name: string, roles: readonly string[] = ["hydrologist"]): Promise<string> {
  const { rows } = await store.query<{ id: string }>("SELECT gen_random_uuid() AS id");
  const id = rows[0]?.id ?? "";
  await bench.application.store.accounts.keep({
    id,
    email: emailOf(name),
    name,
    passwordHash: await hashPassword(password),
    roles: [...roles],
    attributes: { region_id: 2 },
    active: true,
  });
  return id;
}

async function attempt(client: Client, edits: Readonly<Record<string, string>>) {
  const form = formOf((await client.get("/sign-in")).text);
  return client.post("/sign-in", bodyOf(form, { password, ...edits }));
}

/** Sends the first form of a page that leads to an address, filled in. */
async function send(client: Client, text: string, action: string, edits: Readonly<Record<string, string>>) {
  const at = text.indexOf(`action="${action}"`);
  expect(at).toBeGreaterThan(0);
  const html = text.slice(text.lastIndexOf("<form", at), text.indexOf("</form>", at) + 7);
  const form = formOf(html.includes('class="quill-sheet"') ? html : html.replace("<form", '<form class="quill-sheet"'));
  return client.post(action, bodyOf(form, edits));
}

const count = async (text: string): Promise<number> => Number((await store.query(text)).rows[0]?.count);
const trail = async (action: string): Promise<TrailAnswer["entries"]> =>
  (await ines.send<TrailAnswer>("GET", `/trail?action=${action}`)).said.entries;

describe("a session from request to request", () => {
  const ends = async (id: string): Promise<string[]> =>
    (
      await store.query<{ expire: string }>("SELECT expire::text FROM session WHERE account_id = $1 ORDER BY sid", [id])
    ).rows.map(({ expire }) => expire);

  test("is kept alive once in a while, by each process for itself", async () => {
    const id = await account("runa");
    const client = fresh();
    expect((await attempt(client, { email: emailOf("runa") })).status).toBe(303);
    await client.get("/stations");
    // Another end than it would be given.
    await store.query("UPDATE session SET expire = expire - interval '10 minutes' WHERE account_id = $1", [id]);
    const first = await ends(id);
    for (let turn = 0; turn < 5; turn++) expect((await client.get("/stations/MV-014/edit")).status).toBe(200);
    expect(await ends(id)).toEqual(first);
    const other = await startWorkbench({ beside: bench });
    try {
      const there = new Client(other.base);
      there.takeCookies(client);
      expect((await there.get("/stations/MV-014/edit")).status).toBe(200);
      expect(await ends(id)).not.toEqual(first);
    } finally {
      await other.close();
    }
  });

  test("has its cookie sent once, for as long as it may last; what is kept of it ends after its idle time", async () => {
    const id = await account("ysolde");
    const client = fresh();
    const cookies = (answer: Answer): string[] =>
      answer.headers.getSetCookie().filter((each) => each.startsWith("quill_session="));
    const [cookie = "", ...more] = cookies(await attempt(client, { email: emailOf("ysolde") }));
    expect(more).toEqual([]);
    const hours = (Date.parse(/Expires=([^;]*)/.exec(cookie)?.[1] ?? "") - Date.now()) / 3_600_000;
    expect(Math.round(hours)).toBe(12);
    // A form that is still on its way when a session begins anew (another password) would take the browser back to the one of before.
    for (const path of ["/stations", "/stations/MV-014/edit", "/my-account"])
      expect(cookies(await client.get(path))).toEqual([]);
    const idle = "SELECT round(extract(epoch FROM expire - now()) / 60) AS count FROM session WHERE account_id = ";
    expect(await count(`${idle}'${id}'`)).toBe(120);
  });

  test("is no other's, and what becomes of it or its account is seen with the next request", async () => {
    const id = await account("sela");
    const [one, two] = [fresh(), fresh()];
    for (const client of [one, two]) expect((await attempt(client, { email: emailOf("sela") })).status).toBe(303);
    const status = async (client: Client): Promise<number> => (await client.get("/stations/MV-014/edit")).status;
    expect([await status(one), await status(two)]).toEqual([200, 200]);
    const { accounts } = bench.application.store;
    await accounts.change(id, { attributes: { region_id: 1 } });
    expect([await status(one), await status(two)]).toEqual([404, 404]);
    await accounts.change(id, { attributes: { region_id: 2 }, name: "Sela Marsh" });
    expect((await one.get("/stations")).text).toContain("Sela Marsh");
    await store.query("DELETE FROM session WHERE sid = (SELECT min(sid) FROM session WHERE account_id = $1)", [id]);
    expect([await status(one), await status(two)].toSorted()).toEqual([200, 303]);
    await accounts.change(id, { active: false });
    expect([await status(one), await status(two)]).toEqual([303, 303]);
    await accounts.change(id, { active: true });
    await accounts.endSessions(id);
    expect([await status(one), await status(two)]).toEqual([303, 303]);
  });

  test("that was without a request for too long has ended", async () => {
    const id = await account("tove");
    const client = fresh();
    expect((await attempt(client, { email: emailOf("tove") })).status).toBe(303);
    expect((await client.get("/stations")).status).toBe(200);
    await store.query("UPDATE session SET expire = now() - interval '1 second' WHERE account_id = $1", [id]);
    expect((await client.get("/stations")).status).toBe(303);
  });
});

describe("signing in", () => {
  test("nothing is kept of somebody who only looks", async () => {
    const before = await count("SELECT count(*) FROM session");
    const client = fresh();
    for (const path of ["/sign-in", "/", "/stations", "/stations/MV-014/edit"]) await client.get(path);
    expect(await count("SELECT count(*) FROM session")).toBe(before);
  });

  test("the form of another browser is not taken", async () => {
    const form = formOf((await fresh().get("/sign-in")).text);
    const other = fresh();
    await other.get("/sign-in");
    expect((await other.post("/sign-in", bodyOf(form, { email: emailOf("hollis"), password }))).status).toBe(403);
  });

  test("ten wrong passwords are the last, however the address is written", async () => {
    await account("ada");
    const client = fresh();
    const written = [
      "ada@marrow-vale.example",
      " ada@marrow-vale.example",
      "ADA@marrow-vale.example ",
      "\tAda@Marrow-Vale.example",
    ];
    for (let turn = 0; turn < 10; turn++)
      expect((await attempt(client, { email: written[turn % 4] ?? "", password: "wrong" })).status).toBe(422);
    expect((await attempt(client, { email: "  ada@marrow-vale.example  ", password })).status).toBe(429);
    // The trail is only added to: it is not to be filled by whoever goes on trying.
    for (let turn = 0; turn < 5; turn++) await attempt(client, { email: emailOf("ada"), password: "wrong" });
    expect((await trail("sign-in.stopped")).filter(({ subject }) => subject === emailOf("ada"))).toHaveLength(1);
  });

  test("many at once are no more than one after the other", async () => {
    await account("bela");
    const client = fresh();
    const form = formOf((await client.get("/sign-in")).text);
    const answers = await Promise.all(
      Array.from({ length: 30 }, () =>
        client.post("/sign-in", bodyOf(form, { email: emailOf("bela"), password: "wrong" })),
      ),
    );
    expect(answers.filter(({ status }) => status === 422)).toHaveLength(10);
  });

  test("whoever is served meanwhile is served on: two passwords are hashed at once, the others wait", async () => {
    const reader = fresh();
    await attempt(reader, { email: emailOf("hollis") });
    const clients = await Promise.all(
      Array.from({ length: 40 }, async (_, index) => {
        const client = fresh();
        return {
          client,
          form: formOf((await client.get("/sign-in")).text),
          email: `nobody${index}@marrow-vale.example`,
        };
      }),
    );
    // Others have used this address before.
    await store.query("DELETE FROM attempt");
    let isOver = false;
    const all = Promise.all(
      clients.map(({ client, form, email }) => client.post("/sign-in", bodyOf(form, { email, password: "wrong" }))),
    ).finally(() => {
      isOver = true;
    });
    let meanwhile = 0;
    for (; !isOver; meanwhile++) expect((await reader.get("/stations")).status).toBe(200);
    expect((await all).map(({ status }) => status)).toEqual(clients.map(() => 422));
    // Where hashing held everything up, the first page would have waited until it was over.
    expect(meanwhile).toBeGreaterThan(3);
  });

  test("on a device where somebody has signed in before, nobody locks them out", async () => {
    await account("cleo");
    const own = fresh();
    expect((await attempt(own, { email: emailOf("cleo") })).status).toBe(303);
    const other = fresh();
    for (let turn = 0; turn < 11; turn++) await attempt(other, { email: emailOf("cleo"), password: "wrong" });
    expect((await attempt(other, { email: emailOf("cleo") })).status).toBe(429);
    expect((await attempt(own, { email: emailOf("cleo") })).status).toBe(303);
  });

  test("of what was typed as an address, only a digest is kept", async () => {
    await attempt(fresh(), { email: "my-secret-password-typed-here@x.example", password: "wrong" });
    const { rows } = await store.query("SELECT string_agg(key, ' ') AS keys FROM attempt");
    expect(rows[0]?.keys).not.toContain("secret");
    const { rows: told } = await store.query("SELECT string_agg(subject || detail::text, ' ') AS told FROM trail");
    expect(told[0]?.told).not.toContain("secret");
  });

  test.each([
    ["203.0.113.9", "203.0.113.9"],
    ["::ffff:203.0.113.9", "203.0.113.9"],
    ["2001:db8:1:2:3:4:5:6", "2001:db8:1:2"],
    ["2001:db8::1", "2001:db8:0:0"],
    ["::1", "0:0:0:0"],
  ])("tries from %s are counted by %s", (address, counted) => expect(countedAddress(address)).toBe(counted));
});

describe("passwords", () => {
  test.each([
    ["short", "short"],
    ["password1234", "breached"],
    ["orla-new-12", "short"],
    ["heron-weir-otter-19", null],
    ["orlanew12345", "own"],
    ["x".repeat(201), "long"],
  ])("%s: %s", async (given, problem) => {
    expect(await passwordProblem(given, { email: "orlanew@marrow-vale.example" })).toBe(problem);
  });

  test("a new one ends all other sessions for good, and the old one is none any more", async () => {
    await account("dora");
    const [here, there] = [fresh(), fresh()];
    for (const each of [here, there]) await attempt(each, { email: emailOf("dora") });
    const { text } = await here.get("/my-account");
    const wrong = await send(here, text, "/my-account/password", {
      current: "wrong",
      password: "a new one, long enough",
      again: "a new one, long enough",
    });
    expect([wrong.status, wrong.text.includes("The current password is not right.")]).toEqual([422, true]);
    const breached = await send(here, text, "/my-account/password", {
      current: password,
      password: "password1234",
      again: "password1234",
    });
    expect([breached.status, breached.text.includes("among those that are tried first")]).toEqual([422, true]);
    const changed = await send(here, text, "/my-account/password", {
      current: password,
      password: "otter seen at the weir",
      again: "otter seen at the weir",
    });
    expect([changed.status, changed.text.includes("The password is changed.")]).toEqual([200, true]);
    expect((await here.get("/stations")).status).toBe(200);
    expect((await there.get("/stations")).status).toBe(303);
    expect((await attempt(fresh(), { email: emailOf("dora") })).status).toBe(422);
    expect((await attempt(fresh(), { email: emailOf("dora"), password: "otter seen at the weir" })).status).toBe(303);
  });

  test("one that an administrator made is changed before anything else", async () => {
    const id = await account("edna");
    const { password: made } = (await ines.send<{ password: string }>("POST", `/people/${id}/password`, {})).said;
    const client = fresh();
    expect((await attempt(client, { email: emailOf("edna"), password: made })).headers.get("location")).toBe(
      "/my-account?next=%2F",
    );
    expect((await client.get("/stations")).status).toBe(303);
    const { text } = await client.get("/my-account?next=%2Fstations");
    const { status, headers } = await send(client, text, "/my-account/password", {
      current: made,
      password: "ice on the staff again",
      again: "ice on the staff again",
    });
    expect([status, headers.get("location")]).toEqual([303, "/stations"]);
    expect((await client.get("/stations")).status).toBe(200);
  });
});

describe("sessions", () => {
  test("a person sees their own and ends them; an administrator ends anybody's", async () => {
    const id = await account("fern");
    const [here, there] = [fresh(), fresh()];
    for (const each of [here, there]) await attempt(each, { email: emailOf("fern") });
    expect((await ines.send<PersonSession[]>("GET", `/people/${id}/sessions`)).said).toHaveLength(2);
    const page = await here.get("/my-account");
    expect(page.text.match(/<ul class="quill-sessions">.*<\/ul>/s)?.[0].match(/<li>/g)).toHaveLength(2);
    expect((await send(here, page.text, "/my-account/sessions/end", {})).text).toContain("The session is ended.");
    expect((await there.get("/stations")).status).toBe(303);
    expect((await ines.send("DELETE", `/people/${id}/sessions`)).status).toBe(200);
    expect((await here.get("/stations")).status).toBe(303);
  });

  test("one that has begun too long ago is over, however much it is used", async () => {
    await account("gwen");
    const client = fresh();
    await attempt(client, { email: emailOf("gwen") });
    expect((await client.get("/stations")).status).toBe(200);
    await store.query(
      "UPDATE session SET sess = jsonb_set(sess::jsonb, '{since}', to_jsonb(0))::json WHERE account_id = (SELECT id FROM account WHERE email = $1)",
      [emailOf("gwen")],
    );
    expect((await client.get("/stations")).status).toBe(303);
  });

  test("switching an account off ends its sessions, also once it is on again", async () => {
    const id = await account("hazel");
    const client = fresh();
    await attempt(client, { email: emailOf("hazel") });
    const found = (await ines.send<PersonAnswer[]>("GET", "/people")).said.find(
      (each) => each.id === id,
    ) as PersonAnswer;
    const { id: _, factor: __, elsewhere: ___, ...person } = found;
    for (const active of [false, true])
      expect(
        (await ines.send("PUT", `/people/${id}`, { ...person, active, was: { ...person, active: !active } })).status,
      ).toBe(200);
    expect((await client.get("/stations")).status).toBe(303);
  });

  test("a form with another session's token changes nothing", async () => {
    await account("iris");
    const client = fresh();
    await attempt(client, { email: emailOf("iris") });
    const stale = await client.post("/my-account/sessions/end-others", "token=x");
    expect([stale.status, stale.text]).toEqual([403, expect.stringContaining("so nothing was changed. Try again.")]);
  });
});

describe("a second factor", () => {
  /** Sets it up, and answers the secret, the code by which it was set up, and the recovery codes. */
  async function enrol(
    client: Client,
    next = "",
  ): Promise<{ secret: string; taken: string; codes: readonly string[] }> {
    const { text } = await client.get(`/my-account${next}`);
    // A session that was found open is not enough.
    const without = await send(client, text, "/my-account/second-factor", {});
    expect([without.status, without.text.includes("quill-qr")]).toEqual([422, false]);
    const wrong = await send(client, text, "/my-account/second-factor", { "factor-password": "not the one it is" });
    expect([wrong.status, wrong.text.includes("quill-qr")]).toEqual([422, false]);
    const asked = await send(client, text, "/my-account/second-factor", { "factor-password": password });
    const secret = /<dd>([A-Z2-7 ]{32,})<\/dd>/.exec(asked.text)?.[1]?.replaceAll(" ", "") ?? "";
    expect((await send(client, asked.text, "/my-account/second-factor/on", { code: "000000" })).status).toBe(422);
    const taken = codeAt(secret);
    const kept = await send(client, asked.text, "/my-account/second-factor/on", { code: taken });
    const codes = [...kept.text.matchAll(/<code>([a-z0-9-]{14})<\/code>/g)].map(([, code]) => code ?? "");
    expect([kept.status, codes.length]).toEqual([200, 10]);
    return { secret, taken, codes };
  }

  test("is asked for after the password, each code once; a recovery code takes its place", async () => {
    await account("juno");
    const first = fresh();
    await attempt(first, { email: emailOf("juno") });
    const { secret, taken, codes } = await enrol(first);
    const stored = await store.query("SELECT totp_secret, recovery::text FROM account WHERE email = $1", [
      emailOf("juno"),
    ]);
    expect(JSON.stringify(stored.rows)).not.toContain(secret);
    expect(JSON.stringify(stored.rows)).not.toContain(codes[0]);

    const client = fresh();
    const asked = await attempt(client, { email: emailOf("juno") });
    expect([asked.status, asked.text.includes("Second factor")]).toEqual([200, true]);
    expect((await client.get("/stations")).status).toBe(303);
    // The code by which it was set up was taken then.
    const again = await send(client, asked.text, "/sign-in/code", { code: taken });
    expect([again.status, again.text.includes("used already")]).toEqual([422, true]);
    const next = codeAt(secret, Date.now() + 30_000);
    expect((await send(client, again.text, "/sign-in/code", { code: next })).status).toBe(303);
    expect((await client.get("/stations")).status).toBe(200);

    const other = fresh();
    const recovery = await attempt(other, { email: emailOf("juno") });
    expect((await send(other, recovery.text, "/sign-in/code", { code: (codes[3] ?? "").toUpperCase() })).status).toBe(
      303,
    );
    const third = await attempt(fresh(), { email: emailOf("juno") });
    expect(third.status).toBe(200);
    expect((await trail("factor.")).map(({ action }) => action)).toEqual(
      expect.arrayContaining(["factor.on", "factor.recovery-used"]),
    );
  });

  test("ten wrong codes are the last, and what was carried from the password is for this browser only", async () => {
    await account("kira");
    const first = fresh();
    await attempt(first, { email: emailOf("kira") });
    const { codes } = await enrol(first);
    const client = fresh();
    let page = await attempt(client, { email: emailOf("kira") });
    const thief = fresh();
    await thief.get("/sign-in");
    expect((await send(thief, page.text, "/sign-in/code", { code: codes[0] ?? "" })).status).toBe(403);
    for (let turn = 0; turn < 10; turn++) page = await send(client, page.text, "/sign-in/code", { code: "111111" });
    expect(page.status).toBe(422);
    expect((await send(client, page.text, "/sign-in/code", { code: codes[0] ?? "" })).status).toBe(429);
  });

  test("is demanded by role before anything else, and can't be turned off then", async () => {
    await account("lena", ["duty-officer"]);
    const client = fresh();
    expect((await attempt(client, { email: emailOf("lena") })).headers.get("location")).toContain("/my-account");
    expect((await client.get("/bulletins")).status).toBe(303);
    await enrol(client, "?next=%2Fbulletins");
    expect((await client.get("/bulletins")).status).toBe(200);
    const { text } = await client.get("/my-account");
    expect(text).toContain("Your role needs it");
    const form = /<form[^>]*action="\/my-account\/second-factor\/codes".*?<\/form>/s.exec(text)?.[0] ?? "";
    expect(
      (await client.post("/my-account/second-factor/off", bodyOf(formOf(form), { "factor-password": password })))
        .status,
    ).toBe(403);
  });

  test("an administrator takes it off somebody who has lost it", async () => {
    const id = await account("mona");
    const client = fresh();
    await attempt(client, { email: emailOf("mona") });
    await enrol(client);
    expect((await ines.send<{ person: PersonAnswer }>("DELETE", `/people/${id}/factor`)).said.person.factor).toBe(
      false,
    );
    expect((await attempt(fresh(), { email: emailOf("mona") })).status).toBe(303);
  });

  // RFC 6238, appendix B: the last six digits of the values for SHA-1.
  test.each([
    [59, "287082"],
    [1_111_111_109, "081804"],
    [1_234_567_890, "005924"],
    [2_000_000_000, "279037"],
  ])("at %d s its code is %s", (seconds, code) => {
    const secret = "GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ";
    expect(codeAt(secret, seconds * 1000)).toBe(code);
    expect(stepOfCode(secret, code, 0, seconds * 1000)).toBe(Math.floor(seconds / 30));
    expect(stepOfCode(secret, code, Math.floor(seconds / 30), seconds * 1000)).toBeNull();
  });
});

describe("the trail", () => {
  test("tells who did what from where, and is only added to", async () => {
    const entries = await trail("sign-in.ok");
    expect(entries.find(({ byId }) => byId === people.ines.id)).toMatchObject({
      by: "ines",
      what: "signed in",
      subject: emailOf("ines"),
      address: expect.stringMatching(/127\.0\.0\.1/),
    });
    for (const statement of ["UPDATE trail SET actor_name = 'nobody'", "DELETE FROM trail", "TRUNCATE trail"])
      await expect(store.query(statement)).rejects.toThrow("the trail is only added to");
  });

  test("holds no password, code or token", async () => {
    const { rows } = await store.query("SELECT string_agg(t::text, ' ') AS all FROM trail AS t");
    expect(rows[0]?.all).not.toMatch(new RegExp(`${password}|argon2|quill_[\\w-]{43}`));
  });
});
