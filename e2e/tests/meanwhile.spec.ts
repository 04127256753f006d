import { readFile, writeFile } from "node:fs/promises";
import path from "node:path";
import type { Browser, Page } from "@playwright/test";
import { enterAs, expect, type Person, secondBuilder, test, type Vale } from "../vale.js";
import { violations } from "../violations.js";

/** What becomes of work in the workbench while something ends, goes away or is changed by others. */

const served = (page: Page) => page.frameLocator("iframe");

/** Somebody in a browser of their own. */
async function inAnotherBrowser(browser: Browser, vale: Vale, name: Person): Promise<Page> {
  const context = await browser.newContext({ baseURL: vale.address });
  const page = await context.newPage();
  await page.goto("/sign-in");
  await enterAs(page, vale, name);
  await expect(page.getByRole("button", { name: "Sign out" })).toBeVisible();
  return page;
}

/** The form of an account. */
async function openAccount(page: Page, name: string) {
  await page.goto("/workbench/people");
  await page.getByRole("navigation", { name: "Accounts" }).getByRole("button", { name }).click();
  const form = page.locator("form").filter({ has: page.getByRole("button", { name: "Reset password" }) });
  await expect(form).toBeVisible();
  return form;
}

test("a part that can't be loaded leaves the rest of the window as it is, and is there at the next try", async ({
  signedIn,
}) => {
  const page = await signedIn("ines");
  let isAway = true;
  await page.route(/\/assets\/(publish-questions|requests-route)/, (route) =>
    isAway ? route.abort() : route.continue(),
  );
  await page.goto("/workbench/pages/river?key=3");
  await page.getByRole("button", { name: "Edit name" }).click();
  await page.getByRole("textbox", { name: "Label" }).fill("Name on the map");
  await expect(served(page).getByLabel("Name on the map")).toBeVisible();
  const alert = page.getByRole("alert").filter({ hasText: "This part of the workbench could not be loaded" });
  await page.getByRole("button", { name: "Publish…" }).click();
  await expect(alert).toContainText("Check that the server is running, then try again.");
  await expect(served(page).getByLabel("Name on the map")).toBeVisible();
  expect(await violations(page)).toEqual([]);
  await alert.getByRole("button", { name: "Close" }).click();
  await expect(alert).toHaveCount(0);
  await page.getByRole("button", { name: "Publish…" }).click();
  isAway = false;
  await alert.getByRole("button", { name: "Try again" }).click();
  await expect(page.getByRole("dialog", { name: "Publish Rivers" })).toContainText("“Name on the map”");
  await page.keyboard.press("Escape");
  await page.getByRole("button", { name: "Discard draft" }).click();
  await expect(page.getByRole("status").filter({ hasText: "Published, no draft" })).toBeVisible();
  isAway = true;
  await page.getByRole("link", { name: "Requests" }).first().click();
  await expect(alert).toBeVisible();
  // The other places are where they were.
  await page.getByRole("link", { name: "Database" }).click();
  await expect(page.getByRole("heading", { level: 1, name: "Database" })).toBeVisible();
});

test("a button has the focus still when what it does was refused, whole sentences are read, and Escape leads back", async ({
  signedIn,
}) => {
  const page = await signedIn("ines");
  await page.goto("/workbench/pages/river?key=3");
  await page.getByRole("button", { name: "Edit name" }).click();
  await page.getByRole("textbox", { name: "Label" }).fill("Name on the map");
  await expect(page.getByRole("status").filter({ hasText: "Draft, " })).toBeVisible();
  const detail =
    "The server may not write to the directory of the page files. Download the file and put it there yourself.";
  await page.route("**/api/drafts/river/publish", async (route) => {
    // As long as a busy server takes.
    await new Promise((resolve) => setTimeout(resolve, 500));
    await route.fulfill({ status: 409, json: { title: "The file can't be written", detail } });
  });
  await page.getByRole("button", { name: "Publish…" }).click();
  const dialog = page.getByRole("dialog", { name: "Publish Rivers" });
  const publish = dialog.getByRole("button", { name: "Publish now" });
  await publish.focus();
  await page.keyboard.press("Enter");
  await expect(dialog.getByRole("alert")).toContainText(detail);
  await expect(publish).toBeFocused();
  expect(await dialog.evaluate((element) => element.scrollWidth - element.clientWidth)).toBe(0);
  await page.keyboard.press("Escape");
  await expect(dialog).toHaveCount(0);
  await page.getByRole("button", { name: "Discard draft" }).click();
  await expect(page.getByRole("status").filter({ hasText: "Published, no draft" })).toBeVisible();
});

test("another version of the workbench on the server is told, and had by reloading", async ({ signedIn }) => {
  const page = await signedIn("ines");
  await page.goto("/workbench/database");
  await expect(page.getByRole("heading", { level: 1, name: "Database" })).toBeVisible();
  // The server was begun anew, with modules of other names.
  await page.route(/\/assets\/requests-route/, (route) => route.fulfill({ status: 404 }));
  await page.route("**/workbench", async (route) => {
    const response = await route.fetch();
    const text = await response.text();
    await route.fulfill({ response, body: text.replace(/index-[\w-]+\.js/, "index-another.js") });
  });
  await page.getByRole("link", { name: "Requests" }).click();
  const told = page.getByRole("status").filter({ hasText: "The server has another version of the workbench by now." });
  await expect(told).toBeVisible();
  await page.unrouteAll();
  await told.getByRole("button", { name: "Reload the workbench" }).click();
  await expect(page.getByRole("heading", { level: 1, name: "Requests" })).toBeVisible();
  await expect(told).toHaveCount(0);
});

test("a draft that somebody else discards is told of and had back; one that they change or publish while it is asked about here, too", async ({
  signedIn,
  vale,
  browser,
}) => {
  const page = await signedIn("ines");
  const [context, other] = await secondBuilder(vale, browser);
  for (const each of [page, other]) {
    await each.goto("/workbench/pages/river?key=3");
    await each.getByRole("button", { name: "Edit name" }).click();
  }
  const label = (of: Page) => of.getByRole("textbox", { name: "Label" });
  const status = (text: string) => page.getByRole("status").filter({ hasText: text });
  const before = await readFile(path.join(vale.pages, "river.page.yaml"), "utf8");
  await label(page).fill("Name on the map");
  await expect(label(other)).toHaveValue("Name on the map");
  await other.getByRole("button", { name: "Discard draft" }).click();
  const discarded = status("Maud Second has discarded this draft.");
  await expect(discarded).toBeVisible();
  await expect(label(page)).toHaveValue("");
  await discarded.getByRole("button", { name: "Bring it back" }).click();
  await expect(discarded).toHaveCount(0);
  await expect(label(page)).toHaveValue("Name on the map");
  await expect(label(other)).toHaveValue("Name on the map");
  // What one does oneself is not told of as somebody's, however late its answer comes.
  const own = /\/api\/drafts\/river$/;
  await page.route(own, async (route) => {
    if (route.request().method() !== "DELETE") return route.continue();
    const response = await route.fetch();
    await expect(other.getByRole("status").filter({ hasText: "has discarded this draft" })).toBeVisible();
    expect(await page.getByText("has discarded this draft").count()).toBe(0);
    await route.fulfill({ response });
  });
  await page.getByRole("button", { name: "Discard draft", exact: true }).click();
  await expect(status("Published, no draft")).toBeVisible();
  await expect(page.getByText("has discarded this draft")).toHaveCount(0);
  await page.unroute(own);
  await page.getByRole("button", { name: "Undo" }).click();
  await expect(label(page)).toHaveValue("Name on the map");
  await expect(label(other)).toHaveValue("Name on the map");
  // Pressed at once, what was typed last is saved while it is asked: nobody else has changed anything.
  await label(page).fill("Name on the sign");
  await page.getByRole("button", { name: "Publish…" }).click();
  const dialog = page.getByRole("dialog", { name: "Publish Rivers" });
  await expect(dialog).toContainText("“Name on the sign”");
  await expect(dialog).not.toContainText("has changed the draft");
  // Where both change the same setting before they have heard of each other, the second one is asked: that is another test's.
  await expect(label(other)).toHaveValue("Name on the sign");
  await label(other).fill("Name on the board");
  await expect(dialog.getByRole("status").first()).toContainText("Maud Second has changed the draft");
  await expect(dialog).toContainText("“Name on the board”");
  await other.getByRole("button", { name: "Publish…" }).click();
  await other.getByRole("button", { name: "Publish now" }).click();
  await expect(dialog).toHaveCount(0);
  const published = status("Maud Second has published this draft.");
  await expect(published).toBeVisible();
  await published.getByRole("button", { name: "Dismiss" }).click();
  await expect(published).toHaveCount(0);
  await expect(page.getByRole("toolbar", { name: "Draft" }).getByRole("button", { name: /^Undo/ })).toBeFocused();
  // Of a page that was never published there is nothing left on the server.
  await page.goto("/workbench/database");
  await page
    .getByRole("row", { name: /^office\.person / })
    .getByRole("button", { name: "Create draft" })
    .click();
  await page.getByRole("button", { name: "Edit telephone" }).click();
  await other.goto(page.url());
  await other.getByRole("button", { name: "Discard draft…" }).click();
  await other.getByRole("alertdialog").getByRole("button", { name: "Discard draft" }).click();
  await expect(other.getByRole("heading", { level: 1, name: "Pages" })).toBeVisible();
  await expect(discarded).toBeVisible();
  await expect(status("No draft any more")).toBeVisible();
  await label(page).fill("Extension");
  await expect(discarded).toHaveCount(0);
  await expect(status("Draft, not published yet, ")).toBeVisible();
  await expect(served(page).getByLabel("Extension")).toBeVisible();
  await page.getByRole("button", { name: "Discard draft…" }).click();
  await page.getByRole("alertdialog").getByRole("button", { name: "Discard draft" }).click();
  await expect(page.getByRole("heading", { level: 1, name: "Pages" })).toBeVisible();
  await context.close();
  await writeFile(path.join(vale.pages, "river.page.yaml"), before);
});

test("two who change one account: nobody is switched on again by a form that was open before, and both changes are told", async ({
  signedIn,
  vale,
  browser,
}) => {
  const page = await signedIn("rhea");
  // What others do is not heard here, for now.
  const feed = "**/workbench/api/feed";
  await page.route(feed, (route) => route.abort());
  const form = await openAccount(page, "Silas Kwan");
  const roles = form.getByLabel("Roles");
  const before = await roles.inputValue();
  const other = await inAnotherBrowser(browser, vale, "rhea");
  const theirs = await openAccount(other, "Silas Kwan");
  await theirs.getByLabel("Can sign in").uncheck();
  await theirs.getByLabel("Roles").fill("duty-officer");
  await theirs.getByRole("button", { name: "Save" }).click();
  await expect(theirs.getByText("Saved")).toBeVisible();
  await form.getByLabel("Name").fill("Silas Q. Kwan");
  await roles.fill("technician, auditor");
  await form.getByRole("button", { name: "Save" }).click();
  await expect(form.getByRole("alert")).toContainText("Somebody else has changed the roles. Nothing was saved.");
  await expect(form).toContainText("Changed by somebody else meanwhile: duty-officer. Saving replaces it.");
  await expect(roles).toHaveValue("technician, auditor");
  await expect(form.getByLabel("Name")).toHaveValue("Silas Q. Kwan");
  await expect(form.getByLabel("Can sign in")).not.toBeChecked();
  expect(await violations(page)).toEqual([]);
  await form.getByRole("button", { name: "Save" }).click();
  await expect(form.getByText("Saved")).toBeVisible();
  await expect(form).not.toContainText("meanwhile");
  const seen = await openAccount(other, "Silas Q. Kwan");
  await expect(seen.getByLabel("Roles")).toHaveValue("technician, auditor");
  await expect(seen.getByLabel("Can sign in")).not.toBeChecked();
  // As it was, for the other tests.
  await seen.getByLabel("Name").fill("Silas Kwan");
  await seen.getByLabel("Roles").fill(before);
  await seen.getByLabel("Can sign in").check();
  await page.unroute(feed);
  await expect(page.getByRole("status").filter({ hasText: "live" })).toBeVisible();
  await seen.getByRole("button", { name: "Save" }).click();
  await expect(seen.getByText("Saved")).toBeVisible();
  // Where it is heard, the form follows by itself.
  await expect(roles).toHaveValue(before);
  await expect(form.getByLabel("Name")).toHaveValue("Silas Kwan");
  await expect(form.getByLabel("Can sign in")).toBeChecked();
  await other.context().close();
});

test("an account that is made while the session has ended is made after a sign-in in another tab, with what was typed", async ({
  signedIn,
  vale,
}) => {
  const page = await signedIn("rhea", true);
  await page.goto("/workbench/people?person=new");
  await page.getByLabel("Name").fill("Orla Second");
  await page.getByLabel("E-mail").fill("orla.second@marrow-vale.example");
  await page.context().clearCookies();
  const create = page.getByRole("button", { name: "Create account" });
  await create.click();
  const way = page.locator("form").getByRole("link", { name: "Sign in (opens a new tab)" });
  const [tab] = await Promise.all([page.context().waitForEvent("page"), way.click()]);
  await enterAs(tab, vale, "rhea");
  await expect(tab.getByRole("heading", { level: 1, name: "People" })).toBeVisible();
  await tab.close();
  // The window has the focus again; without a monitor, none ever loses it.
  await page.evaluate(() => window.dispatchEvent(new Event("focus")));
  await expect(page.getByText("You are signed in again. Try once more.")).toBeVisible();
  await create.click();
  const password = page.getByText("Password, shown this once:");
  await expect(password).toBeVisible();
  // Another one ends what the first was good for: that is asked about.
  const form = await openAccount(page, "Orla Second");
  const reset = form.getByRole("button", { name: "Reset password" });
  const question = page.getByRole("alertdialog", { name: "Reset password of Orla Second" });
  await reset.click();
  expect(await violations(page)).toEqual([]);
  await page.keyboard.press("Enter");
  await expect(question).toHaveCount(0);
  await expect(reset).toBeFocused();
  await expect(password).toHaveCount(0);
  await reset.click();
  await question.getByRole("button", { name: "Reset password" }).click();
  await expect(password).toBeVisible();
});

test("a table that is dropped before its draft is begun is told as such, and not as empty", async ({
  signedIn,
  vale,
}) => {
  const page = await signedIn("ines");
  await vale.rows("CREATE TABLE field.spare (id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY, name text NOT NULL)");
  await vale.rows("GRANT SELECT, INSERT, UPDATE, DELETE ON field.spare TO quill_pages");
  await vale.rows("INSERT INTO field.spare (name) VALUES ('rope'), ('lamp')");
  try {
    await expect(async () => {
      await page.goto("/workbench/database/field.spare");
      await expect(page.getByRole("button", { name: "Create draft" })).toBeVisible({ timeout: 2000 });
    }).toPass({ timeout: 60_000 });
  } finally {
    await vale.rows("DROP TABLE field.spare");
  }
  await page.getByRole("button", { name: "Create draft" }).click();
  await expect(page.getByRole("alert").first()).toContainText(
    'PostgreSQL refused: relation "field.spare" does not exist.',
  );
  await expect(page.getByText("PostgreSQL does not tell whether a control")).toBeVisible();
  await expect(page.getByText("The table is empty")).toHaveCount(0);
  await page.getByRole("button", { name: "Discard draft…" }).click();
  await page.getByRole("alertdialog").getByRole("button", { name: "Discard draft" }).click();
  await expect(page.getByRole("heading", { level: 1, name: "Pages" })).toBeVisible();
});

test("a draft that could not be begun from Go to… is told at its table, once", async ({ signedIn }) => {
  const page = await signedIn("ines");
  await page.goto("/workbench/");
  await page.route("**/api/drafts", (route) =>
    route.request().method() === "POST" ? route.abort() : route.continue(),
  );
  await expect(page.getByRole("heading", { level: 1 })).toBeVisible();
  await page.keyboard.press("Control+k");
  await page.getByRole("textbox", { name: "Search commands" }).waitFor();
  await page.keyboard.type("create draft");
  await page
    .getByRole("menuitem", { name: /^Create draft for / })
    .first()
    .click();
  await expect(page).toHaveURL(/\/workbench\/database\//);
  await expect(page.getByRole("alert")).toBeVisible();
  await page.reload();
  await expect(page.getByRole("button", { name: "Create draft" })).toBeVisible();
  await expect(page.getByRole("alert")).toHaveCount(0);
});

test("a role that is taken away takes its places with it, and what was typed stays until it is back", async ({
  signedIn,
  vale,
  browser,
}) => {
  const page = await signedIn("ines");
  await page.goto("/workbench/pages/river?key=3");
  await page.getByRole("button", { name: "Edit name" }).click();
  const other = await inAnotherBrowser(browser, vale, "rhea");
  const form = await openAccount(other, "Ines Farrow");
  const before = await form.getByLabel("Roles").inputValue();
  const give = async (roles: string): Promise<void> => {
    await form.getByLabel("Roles").fill(roles);
    await form.getByRole("button", { name: "Save" }).click();
    await expect(form.getByText("Saved")).toBeVisible();
  };
  await give("auditor");
  try {
    await page.getByRole("textbox", { name: "Label" }).fill("Name on the map");
    await expect(page.getByRole("alert").first()).toContainText("Not saved: No access. Retrying.");
    const places = page.getByRole("navigation", { name: "Main" });
    await expect(places.getByRole("link", { name: "Database" })).toHaveCount(0);
    await expect(places.getByRole("link", { name: "Changes" })).toBeVisible();
  } finally {
    await give(before);
  }
  await expect(page.getByRole("status").filter({ hasText: "Draft, " })).toBeVisible();
  await expect(page.getByRole("textbox", { name: "Label" })).toHaveValue("Name on the map");
  await page.getByRole("button", { name: "Discard draft" }).click();
  await expect(page.getByRole("status").filter({ hasText: "Published, no draft" })).toBeVisible();
  await other.context().close();
});

test("a list on the Sheet follows what is saved elsewhere, and a trail that was looked at has what was done since", async ({
  signedIn,
  vale,
  browser,
}) => {
  const page = await signedIn("ines");
  await page.goto("/workbench/pages/river?key=3");
  await page.getByRole("tab", { name: "List", exact: true }).click();
  const listed = (called: string) => page.frameLocator('iframe[title*="list" i]').locator(`input[value="${called}"]`);
  const [{ name }] = (await vale.rows("SELECT name FROM network.river WHERE id = 3")) as [{ name: string }];
  await expect(listed(name)).toHaveCount(1);
  const other = await inAnotherBrowser(browser, vale, "tamsin");
  const save = async (to: string) => {
    await other.goto("/rivers/3/edit");
    await other.getByLabel("Name").fill(to);
    await other.getByRole("button", { name: "Update" }).click();
    await expect(other.getByText(`${to} is saved`).or(other.getByRole("status")).first()).toBeVisible();
  };
  await save("Followed Water");
  await expect(listed("Followed Water")).toHaveCount(1);
  await save(name);
  await expect(listed(name)).toHaveCount(1);
  await other.context().close();

  const place = page.getByRole("navigation", { name: "Main" });
  const trail = page.getByRole("region", { name: "Trail" });
  const going = async (link: string) => place.getByRole("link", { name: link, exact: true }).click();
  const discarded = trail.getByRole("row").filter({ hasText: "discarded the draft" });
  await going("Trail");
  await expect(trail).toBeVisible();
  // Not how many there are: what comes moves others out of the first part of the list.
  const newest = async (): Promise<string> => ((await discarded.count()) > 0 ? discarded.first().innerText() : "none");
  const before = await newest();
  await going("Pages");
  await page.getByRole("link", { name: "Rivers", exact: true }).click();
  await page.getByRole("button", { name: "Title and address" }).click();
  await page.getByRole("textbox", { name: "Title", exact: true }).fill("Water {name}");
  await page.getByRole("button", { name: "Discard draft" }).click();
  await expect(page.getByRole("status").filter({ hasText: "Published, no draft" })).toBeVisible();
  await going("Trail");
  await expect.poll(newest).not.toBe(before);
});
