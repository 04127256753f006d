import { readFile, writeFile } from "node:fs/promises";
import path from "node:path";
import type { Locator, Page } from "@playwright/test";
import { enterAs, expect, secondBuilder, test } from "../vale.js";
import { violations } from "../violations.js";

const served = (page: Page) => page.frameLocator("iframe");
/** The names of the fields on the served page, in their order. */
const fieldsOf = (page: Page) =>
  served(page)
    .locator("[data-field]")
    .evaluateAll((fields) => fields.map((field) => (field as HTMLElement).dataset.field));
const state = (page: Page, text: string) => page.getByRole("status").filter({ hasText: text });

async function openSheet(page: Page, address: string): Promise<void> {
  await page.goto(`/workbench/pages/${address}`);
  await expect(served(page).getByRole("heading", { level: 1 })).toBeVisible();
}

async function discard(page: Page): Promise<void> {
  await page.getByRole("button", { name: "Discard draft" }).click();
  await expect(state(page, "Published, no draft")).toBeVisible();
}

/** Waits until there is a draft: where all is undone before anything was saved, there is none to be discarded. */
const kept = (page: Page) => expect(state(page, "Draft, ")).toBeVisible();

const set = (page: Page, field: string) => page.getByRole("group", { name: `Settings of ${field}` });

/** Puts the cursor behind a text of the file. */
async function cursorAfter(page: Page, text: string): Promise<void> {
  const line = page.locator(".cm-line", { hasText: text });
  await line.click();
  await page.keyboard.press("End");
}

test.describe("the Sheet", () => {
  test("a change beside a field is in the page at once, in the text too, keeps what is typed, and is undone and redone", async ({
    signedIn,
  }) => {
    const page = await signedIn("ines");
    await openSheet(page, "station?key=MV-014");
    await served(page).getByLabel("Notes").fill("Typed and not sent");
    await page.getByRole("button", { name: "Edit name" }).click();
    await set(page, "name").getByRole("textbox", { name: "Label" }).fill("Name on the board");
    await expect(served(page).getByLabel("Name on the board")).toBeVisible();
    await expect(served(page).getByLabel("Notes")).toHaveValue("Typed and not sent");
    await page.getByRole("tab", { name: "File", exact: true }).click();
    await expect(page.locator(".cm-content")).toContainText("label: Name on the board");
    await expect(page.locator(".cm-content")).toContainText("# A hydrologist edits the home region's");
    await page.keyboard.press("Control+z");
    await expect(served(page).getByLabel("Station name")).toBeVisible();
    await expect(page.locator(".cm-content")).toContainText("label: Station name");
    await page.keyboard.press("Control+Shift+z");
    await expect(served(page).getByLabel("Name on the board")).toBeVisible();
    await expect(served(page).getByLabel("Notes")).toHaveValue("Typed and not sent");
    await discard(page);
  });

  test("the text is followed by the page, completes names, shows errors at their place, and is repaired at a key press", async ({
    signedIn,
  }) => {
    const page = await signedIn("ines");
    await openSheet(page, "visit");
    await page.getByRole("tab", { name: "File", exact: true }).click();
    await cursorAfter(page, "plural: Visits");
    await page.keyboard.type(" of gauges");
    await expect(page.getByRole("heading", { level: 1 }).first()).toHaveText("Visits of gauges");
    await cursorAfter(page, "fields:");
    await page.keyboard.type("\n  - level_");
    await expect(page.locator(".cm-tooltip-autocomplete")).toContainText("numeric");
    await page.keyboard.press("Escape");
    await page.keyboard.type("raed");
    const review = page.getByRole("list", { name: "Review" });
    await expect(review).toContainText("has no column");
    await expect(page.locator(".cm-lintRange-error")).toHaveCount(1);
    await expect(page.getByRole("button", { name: "Publish…" })).toBeDisabled();
    await page.keyboard.press("Alt+r");
    await expect(page.locator(".cm-lintRange-error").or(review.getByText("stands here twice"))).not.toHaveCount(0);
    await page.keyboard.press("Control+z");
    await page.keyboard.press("Control+z");
    await page.keyboard.press("Control+z");
    await expect(review).toHaveCount(0);
    // However long what is wrong is, no line of the review is wider than the window.
    await cursorAfter(page, "fields:");
    await page.keyboard.insertText(`\n  - ${"x".repeat(400)}`);
    await expect(review).toContainText("x".repeat(400));
    expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(1280);
    await discard(page);
  });

  test("what is written in another way than it is read is told in words, and put right by one press", async ({
    signedIn,
  }) => {
    const page = await signedIn("ines");
    await openSheet(page, "visit");
    await page.getByRole("tab", { name: "File", exact: true }).click();
    await expect(page.locator(".cm-content")).toContainText("plural: Visits");
    const review = page.getByRole("list", { name: "Review" });
    for (const [line, said, repair, written] of [
      ["plural: true", '"plural" must be text: write "true", with the quotes.', 'Write "true"', 'plural: "true"'],
      ["related: visit", '"related" must be a list: write [visit].', "Write [visit]", "related: [ visit ]"],
    ] as const) {
      const name = line.replace(/:.*/, "");
      const lines = page.locator(".cm-line", { hasText: new RegExp(`^${name}:`) });
      if ((await lines.count()) > 0) {
        await lines.click();
        await page.keyboard.press("Home");
        await page.keyboard.press("Shift+End");
        await page.keyboard.insertText(line);
      } else {
        await page.locator(".cm-content").click();
        await page.keyboard.press("Control+End");
        await page.keyboard.insertText(`${line}\n`);
      }
      await expect(review).toContainText(said);
      await page.getByRole("button", { name: repair }).click();
      await expect(page.locator(".cm-content")).toContainText(written);
      await expect(review.getByText(said)).toHaveCount(0);
    }
    await cursorAfter(page, "fields:");
    await page.keyboard.insertText("\n\t- level_read");
    await expect(review).toContainText("This line is indented with a tab. YAML is indented with spaces.");
    await discard(page);
  });

  test("nothing is sent before it is known whose session it is, however late that is told", async ({ signedIn }) => {
    const page = await signedIn("ines");
    const refused: string[] = [];
    page.on("response", (answer) => {
      if (answer.status() >= 400) refused.push(`${answer.status()} ${answer.url()}`);
    });
    let tell = (): void => {};
    const told = new Promise<void>((resolve) => {
      tell = resolve;
    });
    await page.route("**/workbench/api/session", async (route) => {
      await told;
      await route.continue();
    });
    await page.goto("/workbench/pages/station?key=MV-014");
    await expect(state(page, "Published, no draft")).toBeVisible();
    await expect(page.getByRole("button", { name: "Sign out" })).toBeDisabled();
    tell();
    await expect(served(page).getByRole("heading", { level: 1 })).toBeVisible();
    await expect(page.getByRole("button", { name: "Sign out" })).toBeEnabled();
    expect(refused).toEqual([]);
  });

  test("what the server refuses is asked for once, and told at once", async ({ signedIn }) => {
    const page = await signedIn("ines");
    const asked: string[] = [];
    page.on("response", (answer) => {
      if (answer.status() >= 400) asked.push(`${answer.status()} ${new URL(answer.url()).pathname}`);
    });
    await page.goto("/workbench/pages/nowhere");
    await expect(page.getByRole("alert").first()).toContainText("No such page");
    await expect(page.getByRole("heading", { level: 1 })).toBeVisible();
    await page.waitForLoadState("networkidle");
    expect(asked).toEqual([...new Set(asked)]);
    expect(asked).not.toEqual([]);
  });

  test("a stored value of many lines shows the first ones, and the rest by keyboard", async ({ signedIn, vale }) => {
    const page = await signedIn("ines");
    const code = "MV-019";
    const { notes } = await vale.row<{ notes: string | null }>("SELECT notes FROM network.station WHERE code = $1", [
      code,
    ]);
    const lines = Array.from({ length: 40 }, (_, index) => `Line ${index + 1}`).join("\n");
    await vale.rows("UPDATE network.station SET notes = $2 WHERE code = $1", [code, lines]);
    await openSheet(page, `station?key=${code}`);
    const stored = page.getByRole("group", { name: "Stored value of notes" });
    await expect(stored).toContainText("Line 40");
    await expect(page.getByRole("group", { name: "Stored value of name" })).toHaveCount(0);
    await stored.focus();
    await page.keyboard.press("End");
    await expect.poll(() => stored.evaluate((element) => element.scrollTop)).toBeGreaterThan(0);
    expect(await violations(page)).toEqual([]);
    await vale.rows("UPDATE network.station SET notes = $2 WHERE code = $1", [code, notes]);
  });

  test("a save that is tried shows every step, is judged anew with every change of the draft, and leaves nothing", async ({
    signedIn,
    vale,
  }) => {
    const page = await signedIn("ines");
    await openSheet(page, "station?key=MV-013");
    const before = await vale.row(
      "SELECT s::text AS row, (SELECT count(*) FROM quill_log.change) AS log FROM network.station s WHERE code = 'MV-013'",
    );
    await served(page).getByLabel("Station name").fill("Ox");
    await served(page).getByRole("button", { name: "Update" }).click();
    const save = page.getByRole("region", { name: "Save", exact: true });
    await expect(save.getByRole("button", { name: "Answer, passed" })).toBeVisible();
    await expect(page.getByText("Trial: this save would redirect (303) to /stations")).toBeVisible();
    await page.getByRole("button", { name: "Edit name" }).click();
    await set(page, "name").getByRole("button", { name: "Add a rule" }).click();
    await page.getByRole("menuitem", { name: "Minimum length" }).click();
    await page.getByRole("textbox", { name: "Minimum length" }).fill("3");
    await expect(save).toContainText("invalid");
    await expect(served(page).getByLabel("Station name")).toHaveValue("Ox");
    expect(
      await vale.row(
        "SELECT s::text AS row, (SELECT count(*) FROM quill_log.change) AS log FROM network.station s WHERE code = 'MV-013'",
      ),
    ).toEqual(before);
    await discard(page);
  });

  test("at 1280x800 the round trip is told and six fields are in view; a request that stops says why, and nothing moves", async ({
    signedIn,
    vale,
  }) => {
    // A station that nobody else works on, once it was saved: both halves of the trip are told.
    const { code } = await vale.row<{ code: string }>(
      "SELECT code FROM network.station WHERE region_id = 2 AND status = 'live' AND code > 'MV-019' ORDER BY code LIMIT 1",
    );
    const hollis = await signedIn("hollis");
    await hollis.goto(`/stations/${code}/edit`);
    await hollis.getByLabel("Reports by telemetry").click();
    await hollis.getByRole("button", { name: "Update" }).click();
    await expect(hollis.getByRole("status")).toContainText("saved");
    const page = await signedIn("ines");
    await page.setViewportSize({ width: 1280, height: 800 });
    await openSheet(page, `station?key=${code}`);
    // Somebody's save is told as theirs: the draft has not judged it.
    await expect(page.getByRole("region", { name: "Save", exact: true })).toContainText(
      /saved, [\d.]+ ms \(recorded .+ by Hollis Brandt\)/,
    );
    await expect(page.locator('[data-beside="telemetry"]').last()).toContainText("(recorded)");
    const open = page.getByRole("region", { name: "Open", exact: true });
    const inView = async (): Promise<number> => {
      let count = 0;
      for (const field of await served(page).locator("[data-field]").all()) {
        const control = field.locator("input, select, textarea, .quill-value").last();
        const box = await control.boundingBox();
        if (box && box.y > 179 && box.y + box.height <= 800) count += 1;
      }
      return count;
    };
    await expect(open).toBeInViewport({ ratio: 1 });
    await expect.poll(inView).toBeGreaterThanOrEqual(6);

    // The values of the step that one points at.
    await open.getByRole("button", { name: "Key, passed" }).hover();
    await expect(open.getByText(code, { exact: true })).toBeVisible();
    const columnsAt = async () => (await page.getByRole("region", { name: "Table, page and rules" }).boundingBox())?.y;
    const before = await columnsAt();
    expect(before).toBeLessThanOrEqual(200);

    await served(page).getByLabel("Warning level").fill("0.01");
    await served(page).getByRole("button", { name: "Update" }).click();
    const save = page.getByRole("region", { name: "Save", exact: true });
    await expect(save).toContainText("1 rule failed: The warning level must lie above the alert level.");
    await expect(save).not.toContainText("recorded");
    await expect(page.locator('[data-beside="warning_m"]').last()).not.toContainText("recorded");
    await expect(save.getByRole("button", { name: "Check, stopped" })).toBeVisible();
    await expect(save.getByRole("button", { name: "Write, not reached" })).toBeVisible();
    const refused = await columnsAt();
    expect(refused).toBeLessThanOrEqual(200);
    await page.getByRole("button", { name: "Edit warning_m" }).click();
    await expect(set(page, "warning_m")).toBeVisible();
    expect(await columnsAt()).toBe(refused);

    await page.getByRole("tab", { name: "Page", exact: true }).click();
    await expect(page.getByRole("button", { name: "warning_m", exact: true })).toHaveCount(0);
    expect((await page.locator("iframe").boundingBox())?.width).toBeGreaterThan(1200);
  });

  test("the census counts what a new rule would refuse, and leads to the records", async ({ signedIn, vale }) => {
    const page = await signedIn("ines");
    const { n } = await vale.row<{ n: string }>("SELECT count(*) AS n FROM network.station WHERE warning_m > 3");
    await openSheet(page, "station?key=MV-014");
    await page.getByRole("button", { name: "Edit warning_m" }).click();
    await set(page, "warning_m").getByRole("button", { name: "Add a rule" }).click();
    await page.getByRole("menuitem", { name: "Maximum" }).click();
    await page.getByRole("textbox", { name: "Maximum" }).fill("3");
    await page.getByRole("tab", { name: "Census", exact: true }).click();
    // Another test may have run one of this page before.
    await page.getByRole("button", { name: /^Run (census|again)$/ }).click();
    const census = page.getByRole("list", { name: "Census" });
    await expect(census).toContainText(`${n} stored rows fail`);
    await census.getByText("SQL to enforce this in the table").nth(2).click();
    await expect(census).toContainText("NOT VALID");
    const link = census.getByRole("link").first();
    const key = (await link.textContent()) ?? "";
    await link.click();
    await expect(served(page).getByRole("heading", { level: 1 })).toContainText(/Station|No such record/);
    await expect(page).toHaveURL(new RegExp(`key=${key}`));
    await discard(page);
  });

  test("fields are moved, chosen together and taken off by keyboard", async ({ signedIn }) => {
    const page = await signedIn("ines");
    await openSheet(page, "sensor");
    const order = () => fieldsOf(page);
    await page.getByRole("button", { name: "serial_number", exact: true }).focus();
    await page.keyboard.press("Alt+ArrowUp");
    await expect.poll(async () => (await order()).slice(2, 4)).toEqual(["serial_number", "kind"]);
    await kept(page);
    await expect(page.getByRole("button", { name: "serial_number", exact: true })).toBeFocused();
    await page.keyboard.press("Enter");
    await page.getByRole("button", { name: "serial_number", exact: true }).focus();
    await page.keyboard.press("Shift+ArrowDown");
    await page.keyboard.press("Shift+ArrowDown");
    await expect(page.getByRole("toolbar", { name: "Selected fields" })).toContainText("3 fields");
    await page.keyboard.press("Delete");
    await expect.poll(async () => (await order()).slice(2, 4)).toEqual(["calibrated_at", "in_service"]);
    await page.getByRole("button", { name: "Add kind to the page" }).click();
    await expect.poll(async () => (await order()).at(-1)).toBe("kind");
    for (let step = 0; step < 3; step++) await page.keyboard.press("Control+z");
    await expect.poll(async () => (await order()).slice(2, 4)).toEqual(["kind", "serial_number"]);
    await discard(page);
  });

  test("fields are dragged to their places, onto the page and off it", async ({ signedIn }) => {
    const page = await signedIn("ines");
    await openSheet(page, "sensor");
    const order = () => fieldsOf(page);
    const name = (field: string) => page.getByRole("button", { name: field, exact: true });
    /** As a hand does it: press, set off, go there, let go. */
    const dragOnce = async (from: Locator, to: Locator) => {
      // Not before everything stands still: a draft that is saved meanwhile may still move what is below it, and a browser drags only what is where
      // it was pressed.
      let last = "";
      await expect(async () => {
        await from.hover();
        const now = JSON.stringify(await from.boundingBox());
        const before = last;
        last = now;
        expect(now).toBe(before);
      }).toPass({ intervals: [250] });
      await page.mouse.down();
      const box = await from.boundingBox();
      await page.mouse.move((box?.x ?? 0) + 4, (box?.y ?? 0) - 6);
      await to.hover();
      await to.hover();
      await page.mouse.up();
    };
    /** Again where the browser, busy with other work, has not taken it for a drag. */
    const drag = async (from: Locator, to: Locator) => {
      const was = (await order()).join();
      await expect(async () => {
        if ((await order()).join() === was) await dragOnce(from, to);
        expect((await order()).join()).not.toBe(was);
      }).toPass({ timeout: 60_000 });
    };
    const offPage = page.getByTitle("Drag onto the page.");
    const before = await order();
    await drag(name("serial_number"), name("kind"));
    await expect.poll(async () => (await order()).slice(2, 4)).toEqual(["serial_number", "kind"]);
    await kept(page);
    // Several that are chosen go together, in their order.
    await name("remarks").click();
    await name("serial_number").click({ modifiers: ["Control"] });
    await expect(page.getByRole("toolbar", { name: "Selected fields" })).toContainText("2 fields");
    await drag(name("remarks"), name("in_service"));
    await expect.poll(async () => (await order()).join()).toContain("calibrated_at,serial_number,remarks,in_service");
    await kept(page);
    await page.keyboard.press("Escape");
    await drag(name("remarks"), page.getByText("Not on the page"));
    await expect.poll(order).not.toContain("remarks");
    await kept(page);
    await drag(offPage.filter({ hasText: "remarks" }), name("kind"));
    await expect.poll(async () => (await order()).join()).toContain("remarks,kind");
    for (let step = 0; step < 4; step++) await page.keyboard.press("Control+z");
    await expect.poll(order).toEqual(before);
    await discard(page);
  });

  test("what is changed while the session has ended is kept, and saved once somebody has signed in in another window", async ({
    signedIn,
    vale,
  }) => {
    const page = await signedIn("ines", true);
    await openSheet(page, "river?key=3");
    await page.getByRole("button", { name: "Edit name" }).click();
    const label = set(page, "name").getByRole("textbox", { name: "Label" });
    await page.context().clearCookies();
    await label.fill("Name on the map");
    const way = page.getByRole("link", { name: "Sign in (opens a new tab)" });
    await expect(page.getByRole("alert").first()).toContainText("You are signed out.");
    const [tab] = await Promise.all([page.context().waitForEvent("page"), way.click()]);
    await enterAs(tab, vale, "ines");
    await expect(tab.getByRole("heading", { level: 1, name: "Pages" })).toBeVisible();
    await tab.close();
    // The draft is saved with the new session's token, and the page is shown as it is by then.
    await kept(page);
    await expect(way).toBeHidden();
    await expect(served(page).getByLabel("Name on the map")).toBeVisible();
    await discard(page);
    // The way out is the new session's.
    await page.getByRole("button", { name: "Sign out" }).click();
    await page.goto("/workbench");
    await expect(page.getByLabel("Password")).toBeVisible();
  });

  test("nothing is saved as somebody else who has signed in in another window", async ({ signedIn, vale }) => {
    const page = await signedIn("ines", true);
    await openSheet(page, "river?key=3");
    await page.getByRole("button", { name: "Edit name" }).click();
    await page.context().clearCookies();
    const tab = await page.context().newPage();
    await tab.goto("/sign-in");
    await enterAs(tab, vale, "rhea");
    await expect(tab.getByRole("button", { name: "Sign out" })).toBeVisible();
    await set(page, "name").getByRole("textbox", { name: "Label" }).fill("Of somebody else");
    await expect(page.getByRole("alert").first()).toContainText("Rhea Novak has signed in");
    expect(await page.evaluate(() => !window.dispatchEvent(new Event("beforeunload", { cancelable: true })))).toBe(
      true,
    );
  });

  test("records are stepped through by keys and sampled at their extremes", async ({ signedIn }) => {
    const page = await signedIn("ines");
    await openSheet(page, "station?key=MV-013&as=");
    await page.getByRole("button", { name: "Next record" }).click();
    await expect(page).toHaveURL(/key=MV-014/);
    await expect(served(page).getByRole("heading", { level: 1 })).toContainText("MV-014");
    await page.keyboard.press("Alt+PageUp");
    await expect(page).toHaveURL(/key=MV-013/);
    await page.getByRole("combobox", { name: "Record" }).click();
    await expect(page.getByRole("option", { name: /^longest text/ })).toBeVisible();
  });

  test("the list of records closes when one was chosen, by mouse or by keyboard, and by Escape; it opens for whoever comes back", async ({
    signedIn,
  }) => {
    const page = await signedIn("ines");
    await openSheet(page, "station");
    const list = page.getByRole("listbox", { name: "Record" });
    const field = page.getByRole("combobox", { name: "Record" });
    const place = await field.boundingBox();
    await page.getByRole("button", { name: "Show records" }).click();
    await page.getByRole("option", { name: "Station MV-026" }).last().click();
    await expect(page).toHaveURL(/key=MV-026/);
    await expect(list).toHaveCount(0);
    await expect(field).toHaveValue(/^Station MV-026, /);
    await expect(field).toBeFocused();
    // The same again, and one that is worth a look.
    for (const key of ["ArrowDown", "Escape", "ArrowDown", "Enter"]) await page.keyboard.press(key);
    await expect(list).toHaveCount(0);
    await field.fill("MV-011");
    await expect(list.getByRole("option")).toHaveCount(1);
    await page.keyboard.press("ArrowDown");
    await page.keyboard.press("Enter");
    await expect(page).toHaveURL(/key=MV-011/);
    await expect(field).toHaveValue(/^Station MV-011, /);
    await expect(list).toHaveCount(0);
    await page.keyboard.press("Tab");
    await page.keyboard.press("Shift+Tab");
    await expect(list).toBeVisible();
    await page.keyboard.press("Tab");
    await expect(list).toHaveCount(0);
    // The head of the Sheet stands as it did before the search was loaded.
    expect(await field.boundingBox()).toEqual(place);
  });

  test("two people change one draft and see each other's changes", async ({ signedIn, vale, browser }) => {
    const page = await signedIn("ines");
    const [context, other] = await secondBuilder(vale, browser);
    await openSheet(page, "calibration");
    await openSheet(other, "calibration");
    await page.getByRole("button", { name: "Edit method" }).click();
    await set(page, "method").getByRole("textbox", { name: "Help" }).fill("As in the handbook");
    await expect(served(other).getByText("As in the handbook")).toBeVisible();
    await other.getByRole("button", { name: "Edit remarks" }).click();
    await set(other, "remarks").getByRole("textbox", { name: "Label" }).fill("What was seen");
    await expect(served(page).getByLabel("What was seen")).toBeVisible();
    await expect(served(page).getByText("As in the handbook")).toBeVisible();
    await expect(state(page, "draft, Maud Second")).toBeVisible();
    await discard(page);
    await context.close();
  });

  test("what a record is called follows the draft, and what a condition says follows whose eyes it is seen through", async ({
    signedIn,
  }) => {
    const page = await signedIn("ines");
    await openSheet(page, "bulletin");
    const record = page.getByRole("combobox", { name: "Record" });
    await expect(record).toHaveValue(/^Bulletin /);
    await page.getByRole("button", { name: "Title and address" }).click();
    await page.getByRole("textbox", { name: "Title", exact: true }).fill("Notice {slug}");
    await expect(record).toHaveValue(/^Notice /);
    await page.getByRole("button", { name: "Undo" }).click();
    await expect(record).toHaveValue(/^Bulletin /);
    // A text with errors names nothing: what is there stays.
    await page.getByRole("tab", { name: "File", exact: true }).click();
    const saved = page.waitForResponse((response) => response.request().method() === "PUT");
    await cursorAfter(page, "plural:");
    await page.keyboard.type("\nnot_a_setting: 1");
    await expect(page.getByRole("button", { name: /error/ }).first()).toBeVisible();
    await saved;
    await page.getByRole("tab", { name: "Rules", exact: true }).click();
    await expect(record).toHaveValue(/^Bulletin /);
    await expect(served(page).getByRole("heading", { level: 1 })).toBeVisible();
    await page.getByRole("button", { name: "Undo" }).click();
    await expect(page.getByRole("button", { name: /error/ })).toHaveCount(0);

    const step = page.getByRole("button", { name: /^Access/ }).first();
    await step.click();
    const canCreate = page
      .locator("div")
      .filter({ has: page.getByRole("textbox", { name: "Can create" }), hasText: "here" })
      .last();
    await expect(canCreate).toContainText("✓ true here");
    const seenBy = page.getByRole("combobox", { name: "View as" });
    await seenBy.selectOption({
      label:
        (await seenBy
          .getByRole("option", { name: /hydrologist/ })
          .first()
          .textContent()) ?? "",
    });
    await expect(canCreate).toContainText("not true here");
  });

  test("a file that changes on disk is told of and brought in", async ({ signedIn, vale }) => {
    const page = await signedIn("ines");
    await openSheet(page, "loan");
    const file = path.join(vale.pages, "loan.page.yaml");
    const text = await readFile(file, "utf8");
    await page
      .getByRole("button", { name: /^Route/ })
      .first()
      .click();
    await page.getByRole("textbox", { name: "List title" }).fill("Loans of instruments");
    await kept(page);
    await writeFile(file, `# Looked after by the stores.\n${text.replace(/answer:.*/, "answer: { saved: view }")}`);
    const notice = state(page, "File changed on disk");
    await notice.getByRole("button").click();
    await expect(page.getByRole("group", { name: /^File changed on disk/ })).toContainText("after saving, go to");
    await page.getByRole("button", { name: "Merge these changes into the draft" }).click();
    await expect(notice).toHaveCount(0);
    await page.getByRole("tab", { name: "File", exact: true }).click();
    await expect(page.locator(".cm-content")).toContainText("# Looked after by the stores.");
    await expect(page.locator(".cm-content")).toContainText("plural: Loans of instruments");
    await discard(page);
    await writeFile(file, text);
  });
});
