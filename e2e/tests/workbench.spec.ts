import { enterAs, expect, test } from "../vale.js";

test("a request and a change appear in the workbench by themselves", async ({ signedIn, vale, browser }) => {
  const workbench = await signedIn("ines");
  await workbench.goto("/workbench");
  await expect(workbench.getByRole("status").filter({ hasText: "live" })).toBeVisible();
  const lately = workbench.getByRole("region", { name: "Latest requests" });

  const context = await browser.newContext({ baseURL: vale.address });
  const other = await context.newPage();
  await other.goto("/sign-in?next=/stations/MV-014/edit");
  await enterAs(other, vale, "hollis");
  await expect(lately.getByRole("row").nth(1)).toContainText("GET /stations/MV-014/edit");
  await expect(lately.getByRole("row").nth(1)).toContainText("Hollis Brandt");

  const level = `${10 + Math.floor(Math.random() * 80)}.25`;
  await other.getByLabel("Warning level").fill(level);
  await other.getByRole("button", { name: "Update" }).click();
  await expect(lately.getByRole("row").nth(1)).toContainText("GET /stations");
  const saved = lately.getByRole("row").nth(2);
  await expect(saved).toContainText("POST /stations/MV-014/edit");
  await expect(saved).toContainText("saved");
  await expect(saved.getByRole("img")).toHaveAccessibleName("saved");

  await saved.getByRole("link").click();
  await expect(workbench).toHaveURL(/\/workbench\/pages\/station\?request=/);
  const save = workbench.getByRole("region", { name: "Save", exact: true });
  const values = workbench.getByRole("region", { name: /settings and values/ });
  await save.getByRole("button", { name: "Read, passed" }).click();
  await expect(values).toContainText(new RegExp(`warning_m${level.replace(".", "\\.")}touched`));
  await save.getByRole("button", { name: "Answer, passed" }).click();
  await expect(values).toContainText("location/stations");
  await save.getByRole("button", { name: "Write, passed" }).click();
  await expect(workbench.getByRole("region", { name: "Write: settings and values" })).toContainText(
    'UPDATE "network"."station" AS t',
  );

  await workbench.getByRole("navigation", { name: "Main" }).getByRole("link", { name: "Changes" }).click();
  const newest = workbench
    .getByRole("region", { name: "Changes" })
    .getByRole("row")
    .filter({ hasText: "MV-014" })
    .first();
  await expect(newest).toContainText("Hollis Brandt");
  await expect(newest.getByRole("insertion").first()).toHaveText(level);

  await other.goto("/stations/MV-014/edit");
  await other.getByLabel("Warning level").fill("9.75");
  await other.getByRole("button", { name: "Update" }).click();
  await expect(
    workbench.getByRole("region", { name: "Changes" }).getByRole("row").filter({ hasText: "MV-014" }).first(),
  ).toContainText("9.75");
  await context.close();
});

test("nothing moves in a live list while somebody points into it: what is new waits, and a selection comes at the foot", async ({
  signedIn,
  vale,
  browser,
}) => {
  const page = await signedIn("ines");
  await page.goto("/bulletins");
  await page.goto("/workbench/requests");
  const requests = page.getByRole("region", { name: "Requests", exact: true });
  const first = requests.getByRole("checkbox").first();
  await requests.getByRole("row").nth(2).hover();
  const name = await first.getAttribute("aria-label");
  const place = await first.boundingBox();

  const context = await browser.newContext({ baseURL: vale.address });
  const other = await context.newPage();
  await other.goto("/sign-in?next=/stations/MV-014/edit");
  await enterAs(other, vale, "hollis");
  const waiting = page.getByRole("button", { name: /^Show \d+ new requests?$/ });
  await expect(waiting).toBeVisible();
  await first.check();
  await expect(page.getByRole("status").filter({ hasText: "1 selected" })).toBeVisible();
  expect([await first.getAttribute("aria-label"), await first.boundingBox(), await first.isChecked()]).toEqual([
    name,
    place,
    true,
  ]);
  await waiting.click();
  await expect(waiting).toBeHidden();
  await expect(requests.getByRole("row", { name: /Hollis Brandt GET \/stations\/MV-014\/edit/ }).first()).toBeVisible();
  await expect(page.getByRole("status").filter({ hasText: "1 selected" })).toHaveCount(1);
  // Nobody points into it now: what comes is shown by itself.
  await page.mouse.move(5, 5);
  await page.getByRole("link", { name: "Help" }).focus();
  await other.goto("/stations/MV-015/edit");
  await expect(requests.getByRole("row", { name: /MV-015/ }).first()).toBeVisible();
  await context.close();
});

test("what is selected is still so for whoever looks at it and comes back, filters, and loads the place anew", async ({
  signedIn,
}) => {
  const page = await signedIn("ines");
  await page.goto("/stations/MV-014/edit");
  await page.goto("/stations/MV-015/edit");
  await page.goto("/workbench/requests");
  const ticks = page.getByRole("region", { name: "Requests", exact: true }).getByRole("checkbox");
  await ticks.nth(0).check();
  await ticks.nth(1).check();
  const selected = page.getByRole("status").filter({ hasText: "2 selected" });
  await expect(selected).toHaveCount(1);
  await page.getByRole("link", { name: "Compare side by side" }).click();
  await expect(page).toHaveURL(/\?with=/);
  await page.goBack();
  await expect(selected).toHaveCount(1);
  await expect(ticks.nth(1)).toBeChecked();
  await page.getByRole("combobox", { name: "Outcome" }).selectOption("shown");
  await expect(page).toHaveURL(/outcome=shown/);
  await page.reload();
  await expect(selected).toHaveCount(1);
  await page.getByRole("button", { name: "Clear selection" }).click();
  await expect(selected).toHaveCount(0);
  await signedIn("tamsin");
  await page.goto("/workbench/changes");
  await page.getByRole("region", { name: "Changes" }).getByRole("checkbox").first().check();
  await page.getByRole("region", { name: "Changes" }).getByRole("link").first().click();
  await expect(page).toHaveURL(/changes\/record/);
  await page.goBack();
  await expect(page.getByRole("status").filter({ hasText: "1 selected" })).toHaveCount(1);
});

test("what happens is heard again after an answer of something in between, as of a proxy without its server", async ({
  signedIn,
}) => {
  const page = await signedIn("ines");
  await page.route("**/workbench/api/feed", (route) => route.fulfill({ status: 502, body: "Bad gateway" }));
  await page.goto("/workbench");
  const status = page.getByRole("banner").getByRole("status");
  await expect(status).toHaveText(/Disconnected/);
  await page.unroute("**/workbench/api/feed");
  await expect(status).toHaveText(/live/);
});

test("the Sheet shows the chosen record through the eyes of the chosen person, in three aligned columns", async ({
  signedIn,
  vale,
}) => {
  const page = await signedIn("ines");
  await page.goto("/workbench/pages/station?key=MV-013");
  const row = await vale.row<{ name: string; grid_reference: string }>(
    "SELECT name, grid_reference FROM network.station WHERE code = 'MV-013'",
  );
  const frame = page.frameLocator("iframe");
  await expect(frame.getByRole("heading", { level: 1 })).toHaveText(`Station MV-013, ${row.name}`);
  const note = page.locator('[data-beside="grid_reference"]').first();
  await expect(note).toContainText(row.grid_reference);
  await expect(note).toContainText("UNIQUE (grid_reference)");
  await expect
    .poll(async () => {
      const [beside, field] = await Promise.all([
        note.boundingBox(),
        frame.locator('[data-field="grid_reference"]').boundingBox(),
      ]);
      return Math.abs((beside?.y ?? 0) - (field?.y ?? 100));
    })
    .toBeLessThan(2);

  // While it is searched, nothing is said to be missing.
  await page.route("**/records?q=MV-014", async (route) => {
    await new Promise((resolve) => setTimeout(resolve, 1000));
    await route.continue();
  });
  await page.getByRole("combobox", { name: "Record" }).fill("MV-014");
  await expect(page.getByText("Searching…")).toBeVisible();
  await page.getByRole("option", { name: /^MV-014|Station MV-014/ }).click();
  await expect(page).toHaveURL(/key=MV-014/);
  await expect(frame.getByRole("heading", { level: 1 })).toContainText("MV-014");

  await page.goto("/workbench/pages/station?key=MV-001");
  const seenBy = page.getByRole("combobox", { name: "View as" });
  const chosen = seenBy.getByRole("option", { selected: true });
  await expect(chosen).toHaveText("Hollis Brandt, hydrologist");
  await seenBy.selectOption("Tamsin Okoro, technician, auditor");
  await expect(frame.getByRole("heading", { level: 1 })).toContainText("Station MV-001");
  await expect(chosen).toHaveText("Tamsin Okoro, technician, auditor");
  await seenBy.selectOption("Hollis Brandt, hydrologist");
  await expect(frame.getByRole("heading", { level: 1 })).toHaveText("No such record, or no access to it");
  await expect(page.getByRole("region", { name: "Open", exact: true })).toContainText(
    "the record exists, but not under",
  );
});

test("changes are found by text, person and page, and the story of week 19 can be followed", async ({ signedIn }) => {
  const page = await signedIn("ines");
  // On a slow machine one filter follows the other before the first is drawn.
  const devTools = await page.context().newCDPSession(page);
  await devTools.send("Emulation.setCPUThrottlingRate", { rate: 6 });
  await page.goto("/workbench/changes");
  const log = page.getByRole("region", { name: "Changes" });
  await page.getByLabel("Contains").fill("ten metres too high");
  await expect(log.getByRole("row").filter({ hasText: "MV-014" })).toHaveCount(1);
  await page.getByLabel("Contains").fill("MV-014");
  await expect(log).toContainText("Warning level reviewed after the September survey.");
  // Pasted with a NUL, which no address can have: the view is there again when it is loaded anew.
  await page.getByLabel("Contains").fill("MV\0-014");
  await expect(page).toHaveURL(/containing=MV-014/);
  await page.reload();
  await expect(log).toContainText("Warning level reviewed after the September survey.");
  await page.getByLabel("Contains").fill("");
  await page.getByRole("combobox", { name: "Person" }).selectOption("Tamsin Okoro");
  await expect(page).toHaveURL(/person=5e0c7a10/);
  await expect(log.getByRole("cell", { name: "Hollis Brandt" })).toHaveCount(0);
  await page.getByRole("button", { name: "Load earlier changes" }).click();
  await expect.poll(() => log.getByRole("cell", { name: "Tamsin Okoro" }).count()).toBeGreaterThan(50);
});

test("the workbench is closed to others", async ({ signedIn }) => {
  const page = await signedIn("hollis");
  expect((await page.goto("/workbench"))?.status()).toBe(403);
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("You have no access to the workbench");
});

for (const [who, place, heading] of [
  ["rhea", "/workbench/people", "People"],
  ["tamsin", "/workbench/changes", "Changes"],
] as const)
  test(`${who} is led to ${place}, and nothing is asked for that they may not have`, async ({ signedIn, vale }) => {
    const page = await signedIn(who);
    const refused: string[] = [];
    page.on("response", (answer) => {
      if (answer.status() >= 400) refused.push(`${answer.status()} ${answer.url()}`);
    });
    await page.goto("/workbench");
    await expect(page).toHaveURL(vale.address + place);
    await expect(page.getByRole("heading", { level: 1 })).toHaveText(heading);
    await page.waitForLoadState("networkidle");
    expect(refused).toEqual([]);
    // An auditor narrows the log by any page, also one of which nothing has come yet.
    if (who === "tamsin")
      await expect(page.getByRole("combobox", { name: "Page" }).getByRole("option", { name: "loan" })).toHaveCount(1);
  });

test("everything is reached by keyboard", async ({ signedIn }) => {
  const page = await signedIn("ines");
  await page.goto("/workbench/pages/station?key=MV-014");
  const open = page.getByRole("region", { name: "Open", exact: true });
  await expect(open.getByRole("button", { name: /^Load/ })).toBeEnabled();
  await open.getByRole("button", { name: /^Route/ }).focus();
  await page.keyboard.press("Tab");
  await expect(open.getByRole("button", { name: /^Key/ })).toBeFocused();
  await page.keyboard.press("Enter");
  await expect(open.getByRole("button", { name: /^Key/ })).toHaveAttribute("aria-pressed", "true");
  await expect(page.getByRole("region", { name: "Key: settings and values" })).toBeVisible();
});

test.describe("without scripts", () => {
  test.use({ javaScriptEnabled: false });

  test("the workbench says that it needs them", async ({ signedIn }) => {
    const page = await signedIn("ines");
    await page.goto("/workbench");
    await expect(page.getByRole("heading", { level: 1 })).toHaveText("The workbench needs JavaScript");
  });
});
