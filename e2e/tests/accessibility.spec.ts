import { expect, test } from "../vale.js";
import { violations } from "../violations.js";

test.describe("axe finds nothing in either colour scheme", () => {
  test("on the served pages", async ({ signedIn, page }) => {
    await page.goto("/sign-in");
    expect(await violations(page)).toEqual([]);
    await signedIn("tamsin");
    for (const path of [
      "/",
      "/stations",
      "/stations?q=nothing+like+it",
      "/stations?is.status=live&from.warning_m=high",
      "/rivers",
      "/regions",
      "/notes",
      "/stations/MV-014/history",
      "/stations/MV-014/edit",
      "/stations/MV-016/edit",
      "/sensors/MV-014/1/edit",
      "/stations/MV-014",
      "/stations/new",
      "/visits/new",
      "/calibrations/new",
      "/stations/MV-004/delete",
      "/stations/MV-999/edit",
      "/nothing",
    ]) {
      await page.goto(path);
      expect([path, await violations(page)]).toEqual([path, []]);
    }
    await page.goto("/visits/new");
    await page.getByRole("combobox", { name: "Station" }).fill("weir");
    await page.getByRole("option").first().waitFor();
    expect(await violations(page)).toEqual([]);
    await page.goto("/stations/MV-014/edit");
    await page.getByLabel("Warning level").fill("x");
    await page.getByRole("button", { name: "Update" }).click();
    await expect(page.getByRole("alert")).toBeVisible();
    expect(await violations(page)).toEqual([]);
  });

  test("on one's own account, and while a second factor is set up", async ({ signedIn, vale }) => {
    const page = await signedIn("dara");
    await page.goto("/my-account");
    expect(await violations(page)).toEqual([]);
    const changing = page.locator("form", { has: page.getByRole("button", { name: "Change password" }) });
    await changing.getByLabel("Current password").fill("wrong");
    await page.getByLabel("New password", { exact: true }).fill("x");
    await page.getByLabel("New password, once more").fill("y");
    await page.getByRole("button", { name: "Change password" }).click();
    await expect(page.getByText("The current password is not right.")).toBeVisible();
    expect(await violations(page)).toEqual([]);
    const setting = page.locator("form", { has: page.getByRole("button", { name: "Set up" }) });
    await setting.getByLabel("Current password").fill("wrong");
    await page.getByRole("button", { name: "Set up" }).click();
    await expect(setting.getByText("The current password is not right.")).toBeVisible();
    expect(await violations(page)).toEqual([]);
    await setting.getByLabel("Current password").fill(vale.password("dara"));
    await page.getByRole("button", { name: "Set up" }).click();
    await expect(page.getByAltText("QR code of the secret")).toBeVisible();
    expect(await violations(page)).toEqual([]);
  });

  test("for an administrator and an auditor", async ({ signedIn, context }) => {
    const page = await signedIn("rhea");
    await page.goto("/workbench");
    await page.getByRole("button", { name: /Hollis Brandt/ }).click();
    await expect(page.getByRole("region", { name: "Sign-in" })).toBeVisible();
    expect(await violations(page)).toEqual([]);
    await page.getByRole("button", { name: /New account/ }).click();
    expect(await violations(page)).toEqual([]);
    await context.clearCookies();
    await signedIn("silas");
    await page.goto("/workbench/trail");
    await expect(page.getByRole("region", { name: "Trail" })).toBeVisible();
    expect(await violations(page)).toEqual([]);
  });

  test("before it is known who is there", async ({ signedIn }) => {
    const page = await signedIn("silas");
    let answer = (): void => undefined;
    const asked = new Promise<void>((resolve) => {
      answer = resolve;
    });
    await page.route("**/workbench/api/session", async (route) => {
      await asked;
      await route.continue();
    });
    await page.goto("/workbench/trail", { waitUntil: "commit" });
    await expect(page.getByRole("link", { name: "My account" })).toBeVisible();
    // The view's own code comes after the frame.
    await expect(page.getByRole("heading", { level: 1 })).toBeVisible();
    expect(await violations(page)).toEqual([]);
    answer();
    await expect(page.getByRole("link", { name: "Silas Kwan" })).toBeVisible();
  });

  test("on a conflict and on a line of success", async ({ signedIn, vale }) => {
    const page = await signedIn("hollis");
    await page.goto("/stations/MV-019/edit");
    await vale.rows("UPDATE network.station SET name = 'Office name ' || (random() * 1000)::int WHERE code = 'MV-019'");
    await page.getByLabel("Station name").fill("Mine");
    await page.getByRole("button", { name: "Update" }).click();
    await expect(page.getByRole("alert")).toBeVisible();
    expect(await violations(page)).toEqual([]);
    await page.getByRole("button", { name: "Update" }).click();
    await expect(page.getByRole("status")).toBeVisible();
    expect(await violations(page)).toEqual([]);
  });

  test("on requests, replays and rehearsals", async ({ signedIn }) => {
    test.slow();
    const page = await signedIn("ines");
    await page.goto("/stations/MV-014/edit");
    await page.goto("/workbench/requests?text=nothing+has+this");
    await expect(page.getByRole("heading", { name: "No requests" })).toBeVisible();
    expect(await violations(page)).toEqual([]);
    await page.goto("/workbench/requests");
    const requests = page.getByRole("region", { name: "Requests", exact: true });
    await expect(requests).toBeVisible();
    await requests.hover();
    await requests.getByRole("checkbox").first().check();
    await expect(page.getByRole("button", { name: "Clear selection" })).toBeVisible();
    expect(await violations(page)).toEqual([]);
    await requests.getByRole("link").first().click();
    await expect(page.getByRole("heading", { name: "Statements" })).toBeVisible();
    expect(await violations(page)).toEqual([]);
    await page.goto("/workbench/pages/bulletin/rehearsal");
    await page.getByRole("button", { name: "Run quick set" }).click();
    expect(await violations(page)).toEqual([]);
    await expect(page.getByRole("heading", { name: "Cases by step" })).toBeVisible();
    await page.getByRole("region", { name: "Cases", exact: true }).getByRole("button").first().click();
    await expect(page.getByRole("article")).toContainText("According to");
    expect(await violations(page)).toEqual([]);
    await page.goto("/workbench/pages/station/replay");
    await page.getByRole("combobox", { name: "Which" }).selectOption("all");
    await page.getByRole("button", { name: "Replay", exact: true }).click();
    await expect(page.getByRole("region", { name: "Before and after" })).toBeVisible();
    expect(await violations(page)).toEqual([]);
  });

  test("in the workbench", async ({ signedIn }) => {
    test.slow();
    const page = await signedIn("ines");
    await page.goto("/workbench");
    await expect(page.getByRole("region", { name: "Pages" })).toBeVisible();
    await expect(page.getByRole("heading", { name: "Latest requests" })).toBeVisible();
    expect(await violations(page)).toEqual([]);
    await page.goto("/workbench/pages/station?key=MV-014");
    await expect(page.frameLocator("iframe").getByRole("heading", { level: 1 })).toBeVisible();
    for (const step of [/^Load/, /^Access/, /^Check/, /^Read/]) {
      await page.getByRole("button", { name: step }).first().click();
      await expect(page.getByRole("region", { name: /settings and values/ })).toBeVisible();
      if (/Access|Check/.test(String(step))) await expect(page.locator(".cm-content").first()).toBeVisible();
      expect([step, await violations(page)]).toEqual([step, []]);
    }
    await page.getByRole("button", { name: "Edit warning_m" }).click();
    await page
      .getByRole("group", { name: "Settings of warning_m" })
      .getByRole("button", { name: "Add a rule" })
      .click();
    await page.getByRole("menuitem", { name: "Minimum" }).click();
    await page.getByRole("button", { name: /Edit condition and message/ }).click();
    await expect(page.getByRole("textbox", { name: "When", exact: true })).toBeVisible();
    expect(await violations(page)).toEqual([]);
    for (const view of ["List", "File", "Census", "Statements", "Versions", "Page"]) {
      await page.getByRole("tab", { name: view, exact: true }).click();
      if (view === "Census") await page.getByRole("button", { name: /^Run/ }).click();
      const there = {
        List: '[aria-label="List"] iframe',
        File: ".cm-content",
        Census: '[aria-label="Census"]',
        Statements: '[aria-label="Statements"]',
        Versions: '[aria-label="Versions"]',
        Page: "iframe",
      }[view];
      await expect(page.locator(there ?? "").first()).toBeVisible();
      expect([view, await violations(page)]).toEqual([view, []]);
    }
    await page.getByRole("button", { name: "Publish…" }).click();
    await expect(page.getByRole("dialog")).toContainText("Nobody can see or edit different records than before.");
    expect(await violations(page)).toEqual([]);
    await page.getByRole("button", { name: "Cancel" }).click();
    await page.getByRole("button", { name: "Discard draft" }).click();
    await expect(page.getByRole("status").filter({ hasText: "Published, no draft" })).toBeVisible();
    await page.keyboard.press("Control+k");
    await expect(page.getByRole("menuitem").first()).toBeVisible();
    expect(await violations(page)).toEqual([]);
    await page.keyboard.press("Escape");
    for (const [address, there] of [
      ["/workbench/database", "Tables"],
      ["/workbench/database/network.sensor", "Columns"],
    ] as const) {
      await page.goto(address);
      await expect(page.getByRole("region", { name: there })).toBeVisible();
      expect([address, await violations(page)]).toEqual([address, []]);
    }
    await page.goto("/workbench/people");
    await page.getByRole("button", { name: /Hollis Brandt/ }).click();
    await expect(page.getByRole("region", { name: "Access" })).toBeVisible();
    expect(await violations(page)).toEqual([]);
    await page.goto("/workbench/changes");
    await expect(page.getByRole("region", { name: "Changes" })).toBeVisible();
    expect(await violations(page)).toEqual([]);
    await page.goto("/workbench/nothing");
    await expect(page.getByRole("heading", { name: "Page not found" })).toBeVisible();
    expect(await violations(page)).toEqual([]);
  });
});

test("a description, a label or a link that leads nowhere is found, and an id that stands twice", async ({ page }) => {
  await page.setContent(
    `<html lang="en"><title>Weir</title><main><h1>Weir</h1><label for="level">Level</label><input id="depth" aria-label="Depth" aria-describedby="help">
    <a href="#gone">To it</a><p id="twice">One</p><p id="twice">Two</p></main></html>`,
  );
  expect(await violations(page)).toEqual([
    "for leads to no element: level",
    "aria-describedby leads to no element: help",
    "href leads to no element: gone",
    "an id stands twice: twice",
  ]);
});

test("with the system's own colours, what is chosen is told apart by more than a colour", async ({ signedIn }) => {
  const page = await signedIn("ines");
  await page.emulateMedia({ forcedColors: "active" });
  await page.goto("/workbench/pages/station?key=MV-014");
  const below = (name: string): Promise<string> =>
    page.getByRole("tab", { name, exact: true }).evaluate((tab) => getComputedStyle(tab).borderBottomWidth);
  await expect(page.getByRole("tab", { name: "Rules" })).toHaveAttribute("aria-selected", "true");
  expect([await below("Rules"), await below("File")]).toEqual(["2px", "0px"]);
  /** The lines around the entries of a list. */
  const around = (role: "menuitem" | "option"): Promise<readonly string[]> =>
    page.getByRole(role).evaluateAll((items) => items.map((item) => getComputedStyle(item).outlineStyle));
  await page.keyboard.press("Control+k");
  await expect(page.getByPlaceholder("Search pages, tables, people and commands")).toBeFocused();
  await page.keyboard.press("ArrowDown");
  await expect.poll(() => around("menuitem")).toContain("solid");
  expect(await around("menuitem")).toContain("none");
  await page.keyboard.press("Escape");
  await page.getByRole("combobox", { name: "Record" }).click();
  await page.getByRole("option").first().waitFor();
  await page.keyboard.press("ArrowDown");
  await expect.poll(() => around("option")).toContain("solid");
  expect(await around("option")).toContain("none");
});
