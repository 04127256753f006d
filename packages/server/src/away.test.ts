import { readFile, writeFile } from "node:fs/promises";
import path from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { bodyOf, type Client, formOf, type LinkProxy, startProxy, testCluster } from "@loyal-quill/testing";
import { isStoreAway } from "./documents.js";
import { startWorkbench, type TestWorkbench } from "./testing/workbench.js";

let store: LinkProxy;
let database: LinkProxy;
let workbench: TestWorkbench;
let hollis: Client;
beforeAll(async () => {
  [store, database] = [await startProxy(testCluster().port), await startProxy(testCluster().port)];
  workbench = await startWorkbench({ storeThrough: store, databaseThrough: database });
  ({ client: hollis } = await workbench.signIn("hollis"));
});
afterAll(async () => {
  store.set("open");
  database.set("open");
  await workbench.close();
  await Promise.all([store.close(), database.close()]);
});

const quiet = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));
const address = "/stations/MV-014/edit";

/** The pairs that a page keeps in its form for sending again, as a browser would send them. */
function resent(html: string): string {
  const form = /<form method="post" action="([^"]+)">((?:<input type="hidden"[^>]*>)+)/.exec(html);
  expect(form?.[1]).toBe(address);
  const pairs = [...(form?.[2] ?? "").matchAll(/name="([^"]*)" value="([^"]*)"/g)].map(
    ([, name = "", value = ""]): [string, string] => [
      name,
      value.replaceAll("&#13;", "\r").replaceAll("&quot;", '"').replaceAll("&#39;", "'").replaceAll("&amp;", "&"),
    ],
  );
  return new URLSearchParams(pairs).toString();
}

describe("the store is away", () => {
  test.each(["cut", "silent"] as const)(
    "a form is kept on the answer and saved by sending it again: %s",
    async (how) => {
      const form = formOf((await hollis.get(address)).text);
      const notes = `Typed while the store was ${how} & away`;
      store.set(how);
      const answer = await hollis.post(address, bodyOf(form, { notes }));
      expect(answer.status).toBe(503);
      expect(answer.text).toContain("The database can’t be reached just now".replace("’", "&#39;"));
      expect(answer.text).toContain("What you typed is kept on this page.");
      expect(answer.text).toContain(`<dd>${notes.replace("&", "&amp;")}</dd>`);
      expect((await hollis.get(address)).status).toBe(503);
      store.set("open");
      // A connection that was begun into the silence may hold up one more request until it is given up.
      let saved = await hollis.post(address, resent(answer.text));
      for (let turn = 0; saved.status === 503 && turn < 3; turn++)
        saved = await hollis.post(address, resent(saved.text));
      expect([saved.status, saved.headers.get("location")]).toEqual([303, "/stations"]);
      expect((await hollis.get("/stations/MV-014")).text).toContain(notes.replace("&", "&amp;"));
    },
  );

  test("nor is what is sent to one's own account", async () => {
    const { text } = await hollis.get("/my-account");
    const token = /name="token" value="([^"]+)"/.exec(text)?.[1] ?? "";
    const typed = new URLSearchParams({
      token,
      current: "old-and-secret",
      password: "new-and-secret",
      again: "new-and-secret",
    });
    store.set("cut");
    const answer = await hollis.post("/my-account/password", typed.toString());
    store.set("open");
    expect([answer.status, /and-secret/.test(answer.text)]).toEqual([503, false]);
  });

  test("going away in the middle of a request, nothing is written past the log", async () => {
    const { error } = console;
    let told = 0;
    console.error = () => {
      told += 1;
    };
    workbench.application.app.set("env", "production");
    for (let turn = 0; turn < 15; turn++) {
      const asked = hollis.get(address);
      setTimeout(() => store.set("cut"), turn);
      expect([200, 503]).toContain((await asked).status);
      await quiet(50);
      store.set("open");
      await quiet(100);
    }
    workbench.application.app.set("env", "test");
    console.error = error;
    expect(told).toBe(0);
  });

  test("a password is never kept on an answer", async () => {
    store.set("cut");
    const answer = await hollis.post("/sign-in", "email=a&password=secret-of-somebody&token=x");
    store.set("open");
    expect(answer.status).toBe(503);
    expect(answer.text).not.toContain("secret-of-somebody");
  });

  test.each([
    [Object.assign(new Error("x"), { code: "ECONNRESET" })],
    [new Error("Connection terminated unexpectedly")],
    [new Error("timeout exceeded when trying to connect")],
    [new Error("timeout expired")],
    [new Error("outer", { cause: Object.assign(new Error("inner"), { code: "57P01" }) })],
    [Object.assign(new Error("x"), { name: "ConnectionException" })],
  ])("is told by what any of its layers say: %s", (error) => {
    expect(isStoreAway(error)).toBe(true);
    expect(isStoreAway(new TypeError("x is not a function"))).toBe(false);
  });
});

describe("the edited database is away", () => {
  test("a page file that is changed meanwhile is loaded as soon as it is back", async () => {
    const file = path.join(workbench.directory, "visit.page.yaml");
    const text = await readFile(file, "utf8");
    database.set("cut");
    await writeFile(file, text.replace("plural: Visits", "plural: Visits of late"));
    await quiet(1500);
    database.set("open");
    for (let turn = 0; turn < 100; turn++) {
      if (workbench.application.pages.loaded().pages.some(({ plural }) => plural === "Visits of late")) break;
      await quiet(100);
    }
    expect(workbench.application.pages.loaded().pages.map(({ plural }) => plural)).toContain("Visits of late");
  });
});
