import { readFile, writeFile } from "node:fs/promises";
import path from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { bodyOf, Client, formOf, untilAnswered } from "@loyal-quill/testing";
import type { ChangesAnswer } from "./api/answers/changes.js";
import type { DraftTrialAnswer, PageSummary } from "./api/answers/sheet.js";
import type { Application } from "./index.js";
import { password, people, startWorkbench, type TestWorkbench } from "./testing/workbench.js";

let workbench: TestWorkbench;
let application: Application;
let directory: string;
let base: string;

beforeAll(async () => {
  workbench = await startWorkbench();
  ({ application, directory, base } = workbench);
});

afterAll(() => workbench.close());

const signIn: TestWorkbench["signIn"] = (...how) => workbench.signIn(...how);

/** The station's page, tried as the hydrologist. */
async function trial(code: string): Promise<DraftTrialAnswer> {
  const { send } = await workbench.builder("ines");
  const text = await readFile(path.join(directory, "station.page.yaml"), "utf8");
  return (await send<DraftTrialAnswer>("POST", "/drafts/station/trial", { text, key: [code], as: people.hollis.id }))
    .said;
}

describe("signing in", () => {
  test("leads on to where the person was going", async () => {
    const { status, location, client } = await signIn("hollis", {}, "/stations/MV-014/edit");
    expect([status, location]).toEqual([303, "/stations/MV-014/edit"]);
    expect((await client.get("/stations/MV-014/edit")).status).toBe(200);
  });

  test.each(["//evil.example", "/\\evil.example", "https://evil.example", "javascript:alert(1)", "/sign-in?next=/"])(
    "never to another site: %s",
    async (next) => {
      expect((await signIn("hollis", {}, next)).location).toBe("/");
    },
  );

  test("a wrong password and an unknown address are answered alike", async () => {
    const wrong = await signIn("hollis", { password: "no" });
    const unknown = await signIn("nobody");
    expect([wrong.status, unknown.status]).toEqual([422, 422]);
    expect(wrong.text).toContain("The e-mail address or the password is not right.");
    expect(unknown.text).toContain("The e-mail address or the password is not right.");
    expect((await wrong.client.get("/stations")).status).toBe(303);
  });

  test("a switched-off account is told so, with the right password only", async () => {
    const off = await signIn("piers");
    expect(off.status).toBe(403);
    expect(off.text).toContain("This account is disabled");
    expect((await signIn("piers", { password: "no" })).text).not.toContain("disabled");
  });

  test("an account that is switched off meanwhile is out at once", async () => {
    const { client } = await signIn("hollis");
    const account = await application.store.accounts.one(people.hollis.id);
    if (!account) throw new Error("no account");
    await application.store.accounts.keep({ ...account, active: false });
    expect((await client.get("/stations")).headers.get("location")).toContain("/sign-in");
    await application.store.accounts.keep({ ...account, active: true });
    expect((await client.get("/stations")).status).toBe(200);
  });

  test("without the form's own token nobody is signed in", async () => {
    const { status, client } = await signIn("hollis", { token: "forged" });
    expect(status).toBe(403);
    expect((await client.get("/stations")).status).toBe(303);
  });

  test("the session is another one after signing in, and gone after signing out", async () => {
    const client = new Client(base);
    const form = formOf((await client.get("/sign-in")).text);
    const before = (await client.get("/sign-in")).headers.getSetCookie().join();
    const after = (
      await client.post("/sign-in", bodyOf(form, { email: "hollis@marrow-vale.example", password }))
    ).headers
      .getSetCookie()
      .join();
    expect(after).toMatch(/quill_session=.*HttpOnly; SameSite=Lax/);
    expect(after).not.toBe(before);
    const token =
      /action="\/sign-out"><input type="hidden" name="token" value="([^"]+)"/.exec(
        (await client.get("/stations")).text,
      )?.[1] ?? "";
    // By the button of a page of an earlier session nobody is signed out, and nobody is let believe it.
    const still = await client.post("/sign-out", "token=forged");
    expect([still.status, still.text]).toEqual([403, expect.stringContaining("You are still signed in")]);
    expect((await client.get("/stations")).status).toBe(200);
    expect(still.text).toContain(`name="token" value="${token}"`);
    expect((await client.post("/sign-out", `token=${token}`)).headers.get("location")).toBe("/sign-in");
    expect((await client.post("/sign-out", `token=${token}`)).headers.get("location")).toBe("/sign-in");
    expect((await client.get("/stations")).status).toBe(303);
  });

  test("too many tries are stopped for that account, and others are not", async () => {
    let last = 0;
    for (let turn = 0; turn < 11; turn++) last = (await signIn("guesser", { password: "no" })).status;
    expect(last).toBe(429);
    expect((await signIn("hollis")).status).toBe(303);
  });

  test("no password stands in the store", async () => {
    expect((await application.store.accounts.one(people.hollis.id))?.passwordHash).toMatch(
      /^\$argon2id\$v=19\$m=19456,t=2,p=1\$/,
    );
  });
});

describe("the served pages", () => {
  test("a stranger is sent to sign in; a stranger's form is answered 401", async () => {
    const client = new Client(base);
    expect((await client.get("/stations/MV-014/edit")).headers.get("location")).toBe(
      "/sign-in?next=%2Fstations%2FMV-014%2Fedit",
    );
    expect((await client.post("/stations/MV-014/edit", "name=x")).status).toBe(401);
  });

  test("a form of another session of the same person is shown again with what was typed, and then saved", async () => {
    const first = await signIn("hollis");
    const second = await signIn("hollis");
    const form = formOf((await first.client.get("/stations/MV-014/edit")).text);
    const body = bodyOf(form, { notes: "An hour of work" });
    const answer = await second.client.post("/stations/MV-014/edit", body);
    expect(answer.status).toBe(422);
    expect(answer.text).toContain("You have signed in again since you opened this form.");
    expect(formOf(answer.text).get("notes")).toBe("An hour of work");
    expect((await first.client.get("/stations/MV-014")).text).not.toContain("An hour of work");
    expect((await second.client.post("/stations/MV-014/edit", bodyOf(formOf(answer.text)))).status).toBe(303);
    expect((await first.client.get("/stations/MV-014")).text).toContain("An hour of work");
  });

  test("a form of another person is refused, whatever it holds", async () => {
    const { client } = await signIn("hollis");
    const form = formOf((await client.get("/stations/MV-014/edit")).text);
    const { client: ines } = await signIn("ines");
    const answer = await ines.post("/stations/MV-014/edit", bodyOf(form, { notes: "Not theirs" }));
    expect(answer.status).toBe(403);
  });

  test("what was typed goes through the sign-in when the session has ended, and back to the filled form", async () => {
    const { client } = await signIn("hollis");
    const form = formOf((await client.get("/stations/MV-014/edit")).text);
    const body = bodyOf(form, { notes: "Typed before\r\nthe session ended & more", name: "Kept" });
    const stranger = new Client(base);
    const refused = await stranger.post("/stations/MV-014/edit", body);
    expect(refused.status).toBe(401);
    expect(refused.text).toContain("What you typed goes along");
    const hidden = (html: string, name: string): string =>
      (new RegExp(`name="${name}" value="([^"]*)"`).exec(html)?.[1] ?? "")
        .replaceAll("&#13;", "\r")
        .replaceAll("&quot;", '"')
        .replaceAll("&amp;", "&");
    const carried = new URLSearchParams({
      next: hidden(refused.text, "next"),
      carried: hidden(refused.text, "carried"),
    });
    const asked = await stranger.post("/sign-in", carried.toString());
    expect(asked.text).toContain("What you typed in your form is kept");
    const wrong = bodyOf(formOf(asked.text), { email: "hollis@marrow-vale.example", password: "no" });
    const again = await stranger.post("/sign-in", wrong);
    expect(again.status).toBe(422);
    const right = bodyOf(formOf(again.text), { email: "hollis@marrow-vale.example", password });
    const onward = await stranger.post("/sign-in", right);
    expect(onward.status).toBe(200);
    expect(onward.text).toContain('action="/stations/MV-014/edit"');
    const token = hidden(onward.text, "quill.token");
    const shown = await stranger.post(
      "/stations/MV-014/edit",
      bodyOf(new Map([...form, ["quill.token", token]]), {
        notes: "Typed before\r\nthe session ended & more",
        name: "Kept",
      }),
    );
    expect(shown.status).toBe(422);
    expect(formOf(shown.text).get("notes")).toBe("Typed before\r\nthe session ended & more");
    expect((await stranger.post("/stations/MV-014/edit", bodyOf(formOf(shown.text)))).status).toBe(303);
  });

  test("a sign-in carries on nothing that was not refused here, or somewhere else", async () => {
    const stranger = new Client(base);
    const refused = await stranger.post("/stations/MV-014/edit", "name=x");
    const carried = /name="carried" value="([^"]*)"/.exec(refused.text)?.[1] ?? "";
    for (const [next, given] of [
      ["/stations/MV-001/delete", carried],
      ["/stations/MV-014/edit", `forged.${"name=y"}`],
    ] as const) {
      const form = formOf((await stranger.get(`/sign-in?next=${encodeURIComponent(next)}`)).text);
      const body = bodyOf(form, { email: "hollis@marrow-vale.example", password, next, carried: given });
      const answer = await stranger.post("/sign-in", body);
      expect([answer.status, answer.headers.get("location")]).toEqual([303, next]);
    }
  });

  test("headers forbid scripts, foreign frames and sniffing", async () => {
    const { client } = await signIn("hollis");
    const { headers } = await client.get("/stations");
    expect(headers.get("content-security-policy")).toContain("default-src 'none'");
    expect(headers.get("content-security-policy")).toContain("frame-ancestors 'self'");
    expect(headers.get("x-content-type-options")).toBe("nosniff");
    expect(headers.get("cache-control")).toBe("no-store");
    expect(headers.get("x-powered-by")).toBeNull();
  });

  test.each([
    ["PUT", "/stations/MV-014/edit", 405],
    ["POST", "/stations", 405],
    ["GET", "/nothing", 404],
    ["GET", "/stations/%ZZ/edit", 400],
    ["GET", "/sensors/MV-014/two/edit", 400],
  ])("%s %s is %d", async (method, address, status) => {
    const { client } = await signIn("hollis");
    expect((await client.send(address, { method })).status).toBe(status);
  });

  test("a body that is too large or no form is told so", async () => {
    const { client } = await signIn("hollis");
    expect((await client.post("/stations/MV-014/edit", `notes=${"x".repeat(1_100_000)}`)).status).toBe(413);
    expect(
      (
        await client.send("/stations/MV-014/edit", {
          method: "POST",
          body: "{}",
          headers: { "content-type": "text/plain" },
        })
      ).status,
    ).toBe(415);
    expect(
      (
        await client.send("/stations/MV-014/edit", {
          method: "POST",
          body: new Uint8Array([0x6e, 0x3d, 0xff]),
          headers: { "content-type": "application/x-www-form-urlencoded" },
        })
      ).status,
    ).toBe(400);
  });

  test("a page file edited on disk is served without a restart, a broken one goes on as it was until it is mended", async () => {
    const { client } = await signIn("hollis");
    const file = path.join(directory, "station.page.yaml");
    const text = await readFile(file, "utf8");
    const opened = () => client.get("/stations/MV-014/edit");
    await writeFile(file, text.replace("Station name", "Name on the board"));
    await untilAnswered(opened, (answer) => answer.text.includes("Name on the board"));
    await writeFile(file, text.replace("record: {", "recrod: {"));
    const { client: builder } = await signIn("ines");
    const said = async () => {
      const pages = JSON.parse((await builder.get("/workbench/api/pages")).text) as {
        name: string;
        errors: number;
        served: boolean;
      }[];
      const { errors, served } = pages.find(({ name }) => name === "station") ?? {};
      return { errors, served };
    };
    const state = await untilAnswered(said, ({ errors }) => errors !== 0);
    expect(state).toEqual({ errors: 2, served: true });
    expect((await client.get("/stations/MV-014/edit")).text).toContain("Name on the board");
    await writeFile(file, text);
    await untilAnswered(opened, ({ status, text: page }) => status === 200 && page.includes("Station name"));
  });
});

describe("the person's language", () => {
  test.each([
    ["de-AT, de;q=0.9, en;q=0.5", "de", "ltr", "Anmelden", "Seiten", "Unter dieser Adresse gibt es keine Seite"],
    ["ar", "ar", "rtl", "تسجيل الدخول", "الصفحات", "لا توجد صفحة في هذا العنوان"],
    ["fr, *;q=0.1", "en", "ltr", "Sign in", "Pages", "There is no page at this address"],
  ])("%s is that of sign-in, home and errors", async (accepted, language, direction, heading, pages, nothing) => {
    const headers = { "accept-language": accepted };
    const { client } = await signIn("hollis");
    const opening = `<html lang="${language}" dir="${direction}">`;
    const form = (await client.send("/sign-in", { headers })).text;
    expect([form.includes(opening), form.includes(`<h1>${heading}</h1>`)]).toEqual([true, true]);
    expect((await client.send("/", { headers })).text).toContain(`<h2>${pages}</h2>`);
    const lost = (await client.send("/nothing", { headers })).text;
    expect([lost.includes(opening), lost.includes(nothing)]).toEqual([true, true]);
  });
});

describe("the workbench's API", () => {
  test("is for builders", async () => {
    expect((await new Client(base).get("/workbench/api/pages")).status).toBe(401);
    const { client } = await signIn("hollis");
    const { status, headers } = await client.get("/workbench/api/pages");
    expect([status, headers.get("content-type")]).toEqual([403, "application/problem+json; charset=utf-8"]);
  });

  test("tells of pages, their last request and their last change", async () => {
    const { client: hollis } = await signIn("hollis");
    await hollis.get("/stations/MV-999/edit");
    const { client } = await signIn("ines");
    let station: PageSummary | undefined;
    for (let turn = 0; turn < 50 && station?.lastRequest?.outcome !== "not-found"; turn++) {
      const pages = JSON.parse((await client.get("/workbench/api/pages")).text) as PageSummary[];
      station = pages.find((page) => page.name === "station");
    }
    expect(station).toMatchObject({
      served: true,
      path: "/stations/{code}",
      table: "network.station",
      lastRequest: { outcome: "not-found", path: "/stations/MV-999/edit" },
    });
    expect(station?.lastChange?.by).toEqual(expect.any(String));
  });

  test("tries a page as somebody else would see it, and keeps no record of it", async () => {
    const { client } = await signIn("ines");
    const before = JSON.parse((await client.get("/workbench/api/requests?page=station")).text) as unknown[];
    expect((await trial("MV-014")).trial).toMatchObject({
      recorded: { outcome: "shown", actor: { name: "hollis" } },
      row: { code: "MV-014" },
    });
    expect((await trial("MV-001")).trial).toMatchObject({ recorded: { outcome: "not-found" }, row: null });
    expect((JSON.parse((await client.get("/workbench/api/requests?page=station")).text) as unknown[]).length).toBe(
      before.length,
    );
  });

  test("a form made in a trial saves nothing, whoever sends it", async () => {
    const html = (await trial("MV-014")).trial?.html ?? "";
    const body = bodyOf(formOf(html), { name: "Forged" });
    const { client: hollis } = await signIn("hollis");
    // As the person whose form it is it has to be looked at first; as anybody else it is not theirs.
    expect((await hollis.post("/stations/MV-014/edit", body)).status).toBe(422);
    expect((await (await signIn("ines")).client.post("/stations/MV-014/edit", body)).status).toBe(403);
    expect((await hollis.get("/stations/MV-014")).text).not.toContain("Forged");
  });

  test("the Sheet shows a column's constraints and a field's rules, and where each comes from", async () => {
    const { sheet } = await trial("MV-014");
    const level = sheet.fields.find((field) => field.name === "warning_m");
    expect(level?.constraints).toEqual(["CHECK (((warning_m > alert_m) AND (alert_m > (0)::numeric)))"]);
    expect(level?.rules).toContainEqual({ text: "at most 2 digits after the point", when: null, from: ["table"] });
    expect(sheet.fields.find((field) => field.name === "name")?.rules[0]).toEqual({
      text: "required",
      when: null,
      from: ["page", "table"],
    });
  });

  test("changes come newest first, in parts, and can be asked for by person and text", async () => {
    const { client } = await signIn("ines");
    const ask = async (query: string): Promise<ChangesAnswer> =>
      JSON.parse((await client.get(`/workbench/api/changes?${query}`)).text) as ChangesAnswer;
    const first = await ask("");
    expect(first.changes).toHaveLength(50);
    const next = await ask(`before=${first.changes.at(-1)?.id}`);
    expect(Number(next.changes[0]?.id)).toBeLessThan(Number(first.changes.at(-1)?.id));
    const person = first.people[0]?.id ?? "";
    const theirs = (await ask(`person=${encodeURIComponent(person)}`)).changes;
    expect(theirs.length).toBeGreaterThan(0);
    expect(theirs.every(({ actorId }) => actorId === person)).toBe(true);
    const sensor = (await ask("page=sensor")).changes[0];
    expect(Object.keys(sensor?.key ?? {})).toEqual(["station_code", "channel"]);
    expect((await ask("containing=ten+metres+too+high")).changes).toHaveLength(1);
    expect((await ask(`containing=${encodeURIComponent("%' OR 1=1 --")}`)).changes).toHaveLength(0);
  });

  test.each([
    "/workbench/api/requests/x",
    "/workbench/api/nothing",
    "/workbench/api/drafts/none",
    "/workbench/api/pages/none/records",
  ])("%s is 404 with problem details", async (address) => {
    const { client } = await signIn("ines");
    const { status, text } = await client.get(address);
    expect(status).toBe(404);
    expect(JSON.parse(text)).toMatchObject({ status: 404, title: expect.any(String), detail: expect.any(String) });
  });
});
