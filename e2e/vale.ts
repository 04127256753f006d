import { chmod, cp, mkdtemp } from "node:fs/promises";
import os from "node:os";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { endsWithUs } from "@loyal-quill/testing";
import {
  type Browser,
  type BrowserContext,
  test as base,
  expect,
  type Page,
  type Request,
  request,
} from "@playwright/test";
import { freePort, secretsOf, startDemo } from "loyal-quill";
import pg from "pg";
import { type ExampleUrls, exampleUrls, type RunningExample, startExample } from "./example.js";

/** The real application over Marrow Vale, with a look past it into the database. */
export interface Vale {
  readonly address: string;
  /** The directory of the page files that are served. */
  readonly pages: string;
  /** `postgresql://…` of the owner of the archive: the demo's second database, which has no page yet. */
  readonly archiveUrl: string;
  /** What an application of somebody's own is given that works on the same database. */
  readonly urls: ExampleUrls;
  readonly password: (name: Person) => string;
  readonly email: (name: Person) => string;
  readonly rows: <T extends pg.QueryResultRow>(text: string, values?: readonly unknown[]) => Promise<T[]>;
  readonly row: <T extends pg.QueryResultRow>(text: string, values?: readonly unknown[]) => Promise<T>;
  /** What the workbench has recorded of a page since a moment, the oldest first: operation and outcome. */
  readonly recorded: (page: string, since: Date) => Promise<readonly string[]>;
  /** The addresses of all forms whose sending was recorded since a moment. */
  readonly recordedForms: (since: Date) => Promise<readonly string[]>;
}

/** The demo's accounts, by first name: builder, hydrologist of region 2, technician, duty officer, switched off. */
export type Person = "ines" | "rhea" | "silas" | "hollis" | "tamsin" | "dara" | "piers";

/** What a browser has of somebody who has signed in already, by name: signing in takes a second, and is tested where it is the matter. */
const sessions = new Map<Person, Awaited<ReturnType<BrowserContext["cookies"]>>>();

interface OfATest {
  /** Somebody's page. @param anew whether they sign in by the form, and not in a session that an earlier test has begun */
  readonly signedIn: (name: Person, anew?: boolean) => Promise<Page>;
  /** Of itself: whatever a browser sends to a served page is recorded, once, with scripts and without. */
  readonly everyFormIsRecorded: undefined;
  /** Runs one of the applications in `examples/`, as long as the test goes on. */
  readonly example: (name: string, more?: Readonly<Record<string, string>>) => Promise<RunningExample>;
}

export const test = base.extend<OfATest, { vale: Vale }>({
  vale: [
    // biome-ignore lint/correctness/noEmptyPattern: Playwright reads which fixtures are wanted off the pattern
    async ({}, use) => {
      const directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-e2e-"));
      await chmod(directory, 0o711);
      const remove = endsWithUs(directory);
      const pages = path.join(directory, "pages");
      await cp(fileURLToPath(new URL("../demo/pages", import.meta.url)), pages, { recursive: true });
      const started = await startDemo({ port: await freePort(), directory, fresh: false, pages }, () => {});
      const owner = new pg.Client(started.ownerUrl);
      await owner.connect();
      const account = (name: Person) => {
        const found = started.accounts.find((each) => each.email.startsWith(`${name}@`));
        if (!found) throw new Error(`no account ${name}`);
        return found;
      };
      const rows: Vale["rows"] = async (text, values = []) => (await owner.query(text, [...values])).rows;
      const row: Vale["row"] = async (text, values) => {
        const [found] = await rows(text, values);
        if (!found) throw new Error(`no row: ${text}`);
        return found as never;
      };
      const builder = await request.newContext({ baseURL: started.address });
      const signIn = async (): Promise<void> => {
        const { email, password } = account("ines");
        const form = await (await builder.get("/sign-in")).text();
        const hidden = [...form.matchAll(/<input type="hidden" name="([^"]+)" value="([^"]*)"/g)];
        await builder.post("/sign-in", {
          form: { ...Object.fromEntries(hidden.map(([, name, value]) => [name, value])), email, password },
        });
      };
      await signIn();
      const recorded: Vale["recorded"] = async (page, since) => {
        const answer = await builder.get(`/workbench/api/requests?page=${page}`);
        const { requests } = (await answer.json()) as {
          requests: readonly { at: string; operation: string; outcome: string }[];
        };
        return requests
          .filter(({ at }) => new Date(at) >= since)
          .map(({ operation, outcome }) => `${operation} ${outcome}`)
          .reverse();
      };
      const { store: password } = await secretsOf(directory);
      const store = new pg.Client(
        Object.assign(new URL(started.ownerUrl), { username: "quill_store", password, pathname: "/quill_store" }).href,
      );
      await store.connect();
      const recordedForms: Vale["recordedForms"] = async (since) =>
        (
          await store.query<{ path: string }>(
            "SELECT path FROM request WHERE method = 'POST' AND at >= $1 ORDER BY at",
            [since],
          )
        ).rows.map(({ path: sent }) => sent);
      await use({
        recorded,
        recordedForms,
        address: started.address,
        pages,
        urls: await exampleUrls(started.ownerUrl, directory),
        archiveUrl: Object.assign(new URL(started.ownerUrl), { pathname: "/vale_archive" }).href,
        password: (name) => account(name).password,
        email: (name) => account(name).email,
        rows,
        row,
      });
      await builder.dispose();
      await store.end();
      await owner.end();
      await started.stop();
      await remove();
    },
    { scope: "worker", timeout: 120_000 },
  ],
  everyFormIsRecorded: [
    async ({ context, vale }, use) => {
      const [since, sent] = [new Date(), new Map<string, string>()];
      context.on("request", (request) => {
        const { origin, pathname } = new URL(request.url());
        const isOwn = origin === vale.address && !/^\/(workbench|sign-|my-account)/.test(pathname);
        if (request.method() === "POST" && isOwn) sent.set(String(sent.size), pathname);
      });
      // What never arrived is nowhere.
      const forget = (request: Request): void => {
        const { pathname } = new URL(request.url());
        for (const [number, each] of sent) if (request.method() === "POST" && each === pathname) sent.delete(number);
      };
      context.on("requestfailed", forget);
      context.on("requestfinished", async (request) => {
        const response = await request.response().catch(() => null);
        const from = await response?.serverAddr().catch(() => undefined);
        // A test has answered in the server's place.
        if (from === null) forget(request);
      });
      await use(undefined);
      const missing = async (): Promise<readonly string[]> => {
        const left = [...(await vale.recordedForms(since))];
        return [...sent.values()].filter((each) => {
          const at = left.indexOf(each);
          if (at >= 0) left.splice(at, 1);
          return at < 0;
        });
      };
      if (sent.size > 0) await expect.poll(missing).toEqual([]);
    },
    { auto: true },
  ],
  baseURL: async ({ vale }, use) => use(vale.address),
  example: async ({ vale }, use) => {
    const running: RunningExample[] = [];
    await use(async (name, more) => {
      const started = await startExample(name, vale.urls, more);
      running.push(started);
      return started;
    });
    await Promise.all(running.map((each) => each.stop()));
  },
  signedIn: async ({ page, vale }, use) => {
    await use(async (name, anew = false) => {
      const kept = anew ? undefined : sessions.get(name);
      if (kept) {
        // What is still under way for whoever was there before brings their cookie back.
        await page.goto("about:blank");
        await page.context().addCookies(kept);
        await page.goto("/");
        if (page.url() === `${vale.address}/`) return page;
        // A test has ended the session.
        await page.context().clearCookies();
      }
      await page.goto("/sign-in");
      await enterAs(page, vale, name);
      await expect(page).toHaveURL(`${vale.address}/`);
      sessions.set(name, await page.context().cookies());
      return page;
    });
  },
});

export { expect };

/** Fills in the sign-in as somebody, and sends it. */
export async function enterAs(page: Page, vale: Vale, name: Person): Promise<void> {
  await page.getByLabel("E-mail address").fill(vale.email(name));
  await page.getByLabel("Password").fill(vale.password(name));
  await page.getByRole("button", { name: "Sign in" }).click();
}

/** From a form that was refused for want of a session: through the sign-in, back to the form. */
export async function signInAgain(page: Page, vale: Vale, name: Person): Promise<void> {
  await page.getByRole("button", { name: "Sign in and continue" }).click();
  await expect(page.getByText("What you typed in your form is kept")).toBeVisible();
  await enterAs(page, vale, name);
  const onward = page.getByRole("button", { name: "Continue with the form" });
  const alert = page.getByRole("alert");
  await expect(onward.or(alert)).toBeVisible();
  if (await onward.isVisible()) await onward.click();
  await expect(alert).toContainText("You have signed in again since you opened this form.");
}

/** Another builder in a browser of their own. */
export async function secondBuilder(vale: Vale, browser: Browser): Promise<readonly [BrowserContext, Page]> {
  const context = await browser.newContext({ baseURL: vale.address });
  const page = await context.newPage();
  await page.goto("/sign-in");
  await enterAs(page, vale, "rhea");
  await page.goto("/workbench/people?person=new");
  const form = page.locator("form", { has: page.getByRole("button", { name: "Create account" }) });
  await form.getByLabel("Name").fill("Maud Second");
  const email = `maud.${Date.now()}@marrow-vale.example`;
  await form.getByLabel("E-mail").fill(email);
  await form.getByLabel("Roles").fill("builder, technician");
  await form.getByRole("button", { name: "Create account" }).click();
  const password = (await form.getByRole("status").locator("code").textContent()) ?? "";
  await page.getByRole("button", { name: "Sign out" }).click();
  await page.goto("/sign-in");
  await page.getByLabel("E-mail address").fill(email);
  await page.getByLabel("Password").fill(password);
  await page.getByRole("button", { name: "Sign in" }).click();
  // A password that somebody else made is changed first.
  await page.getByLabel("Current password").fill(password);
  await page.getByLabel("New password", { exact: true }).fill("float stuck at low water");
  await page.getByLabel("New password, once more").fill("float stuck at low water");
  await page.getByRole("button", { name: "Change password" }).click();
  await expect(page.getByRole("heading", { name: "Pages" })).toBeVisible();
  return [context, page];
}
