import { readFile, writeFile } from "node:fs/promises";
import path from "node:path";
import type { Page } from "@playwright/test";
import { expect, test } from "../vale.js";
import { violations } from "../violations.js";

/*
 * The Sheet's frame at three sizes, in every state: how much stands above the columns, that nothing moves when something is selected, that what is
 * selected is in view in all columns, and that nothing is wider than the window.
 */

const served = (page: Page) => page.frameLocator("iframe");

async function open(page: Page, address: string): Promise<void> {
  await page.goto(`/workbench/pages/${address}`);
  await expect(served(page).getByRole("heading", { level: 1 })).toBeVisible();
}

/** Where the columns begin, in pixels from the window's top. */
const columnsAt = async (page: Page): Promise<number> =>
  (await page.getByRole("region", { name: "Table, page and rules" }).boundingBox())?.y ?? 999;

const isTooWide = (page: Page): Promise<boolean> =>
  page.evaluate(() => document.documentElement.scrollWidth > window.innerWidth);

test("at 1280x800 at most 200 pixels stand above the columns, in every state, and nothing moves when something is selected", async ({
  signedIn,
  vale,
}) => {
  const page = await signedIn("ines");
  await page.setViewportSize({ width: 1280, height: 800 });
  await open(page, "visit");
  const told: Record<string, number> = { published: await columnsAt(page) };

  await page.getByRole("button", { name: "Edit findings" }).click();
  const settings = page.getByRole("group", { name: "Settings of findings" });
  await expect(settings).toBeVisible();
  expect(await columnsAt(page)).toBe(told.published);
  // Its line of the table, its field on the page, its rules and its settings stand side by side.
  const boxes = await Promise.all([
    page.locator('[data-beside="findings"]').first().boundingBox(),
    served(page).locator('[data-field="findings"]').boundingBox(),
    page.locator('[data-beside="findings"]').last().boundingBox(),
    settings.boundingBox(),
  ]);
  for (const box of boxes) {
    expect(box?.y ?? 999).toBeLessThan(800);
    expect((box?.y ?? 0) + (box?.height ?? 0)).toBeGreaterThan(179);
  }
  await settings.getByRole("textbox", { name: "Label" }).fill("What was found");
  await expect(page.getByRole("toolbar", { name: "Draft" })).toContainText("Draft, ");
  told.draft = await columnsAt(page);
  // By the arrow keys from field to field, with it open.
  await page.locator('[data-field-button="findings"]').focus();
  await page.keyboard.press("ArrowDown");
  await expect(settings).toHaveCount(0);
  await expect(page.getByRole("group", { name: /^Settings of/ })).toBeVisible();
  await page
    .getByRole("group", { name: /^Settings of/ })
    .getByRole("textbox", { name: "Label" })
    .focus();
  await page.keyboard.press("Escape");
  await expect(page.getByRole("group", { name: /^Settings of/ })).toHaveCount(0);
  await expect(page.locator(":focus")).toHaveAttribute("data-field-button", /./);

  await page.getByRole("tab", { name: "File", exact: true }).click();
  await page.locator(".cm-line", { hasText: "fields:" }).click();
  await page.keyboard.press("End");
  await page.keyboard.type("\n  - nothing_like_it");
  await expect(page.getByRole("button", { name: "1 error", exact: true })).toBeVisible();
  await page.getByRole("tab", { name: "Rules", exact: true }).click();
  told.error = await columnsAt(page);
  await page.getByRole("button", { name: "1 error", exact: true }).click();
  await expect(page.getByRole("group", { name: /1 error/ })).toContainText("has no column");
  expect(await columnsAt(page)).toBe(told.error);
  await page.keyboard.press("Escape");
  await page.keyboard.press("Control+z");
  await expect(page.getByRole("button", { name: "1 error", exact: true })).toHaveCount(0);

  await served(page).getByLabel("What was found").fill("z".repeat(5000));
  await served(page).getByRole("button", { name: "Update" }).click();
  await expect(page.getByRole("button", { name: "Reload record" })).toBeVisible();
  told.trial = await columnsAt(page);

  // Somebody else changes the record between its opening and its saving.
  await page.getByRole("button", { name: "Reload record" }).click();
  const address = (await served(page).locator("form").first().getAttribute("action")) ?? "";
  const id = address.split("/")[2];
  const { findings } = await vale.row<{ findings: string | null }>("SELECT findings FROM field.visit WHERE id = $1", [
    id,
  ]);
  await served(page).getByLabel("What was found").fill("Of this one.");
  await vale.rows("UPDATE field.visit SET findings = 'Of the other one.' WHERE id = $1", [id]);
  await served(page).getByRole("button", { name: "Update" }).click();
  await expect(page.getByRole("region", { name: "Save", exact: true })).toContainText("conflict");
  told.conflict = await columnsAt(page);
  await vale.rows("UPDATE field.visit SET findings = $2 WHERE id = $1", [id, findings]);

  await vale.rows("ALTER TABLE field.visit ADD COLUMN IF NOT EXISTS mood text");
  try {
    await expect(page.getByRole("button", { name: /^Table changed since publishing/ })).toBeVisible();
    told["table changed"] = await columnsAt(page);
  } finally {
    await vale.rows("ALTER TABLE field.visit DROP COLUMN mood");
  }

  // Somebody else changes the page's file.
  const file = path.join(vale.pages, "visit.page.yaml");
  const text = await readFile(file, "utf8");
  await writeFile(file, text.replace(/^description: .*$/m, "description: As somebody else has it."));
  try {
    await expect(page.getByRole("button", { name: /^File changed on disk/ })).toBeVisible();
    told["file changed"] = await columnsAt(page);
  } finally {
    await writeFile(file, text);
  }
  expect(Object.entries(told).filter(([, pixels]) => pixels > 200)).toEqual([]);
  await page.getByRole("button", { name: "Discard draft" }).click();
});

test("a finding stands at the field or step that it is about, leads there, and is repaired there", async ({
  signedIn,
}) => {
  const page = await signedIn("ines");
  await page.setViewportSize({ width: 1280, height: 800 });
  await open(page, "station?key=MV-014");
  const panel = page.getByRole("complementary", { name: "Edit" });
  // The table's own bounds say less than the page's: the page's alone are told.
  await page.getByRole("button", { name: "Edit warning_m" }).click();
  await panel.getByRole("button", { name: "Close" }).click();
  await page.getByRole("tab", { name: "File", exact: true }).click();
  await page.locator(".cm-line", { hasText: "fields:" }).click();
  await page.keyboard.press("End");
  await page.keyboard.type("\n  - built_on: { rules: [{ min-length: 3 }] }");
  await page.getByRole("button", { name: /error/ }).first().click();
  const list = page.getByRole("group", { name: /error/ });
  await expect(list.getByRole("button", { name: /^(Edit|Show in the file)/ }).first()).toBeVisible();
  await page.keyboard.press("Escape");
  await page.getByRole("button", { name: /^Undo/ }).click();
  await expect(page.getByRole("button", { name: /error/ })).toHaveCount(0);

  // A rule that says nothing, since the table takes less: a warning of its field.
  await page.getByRole("tab", { name: "Rules", exact: true }).click();
  await page.getByRole("button", { name: "Edit warning_m" }).click();
  await panel.getByRole("button", { name: /Add a rule/ }).click();
  await page.getByRole("menuitem", { name: "Maximum", exact: true }).click();
  await panel.getByRole("textbox", { name: "Maximum" }).last().fill("5000");
  const cell = page.locator('[data-beside="warning_m"]').last();
  await expect(cell).toContainText("so the rule's 5000 says nothing");
  await expect(panel.getByRole("list", { name: "Findings" })).toContainText("so the rule's 5000 says nothing");
  await panel.getByRole("button", { name: "Close" }).click();
  await page.getByRole("button", { name: /1 warning/ }).click();
  await page
    .getByRole("group", { name: /1 warning/ })
    .getByRole("button", { name: "Edit warning_m" })
    .click();
  await expect(panel.getByRole("group", { name: "Settings of warning_m" })).toBeVisible();
  await panel.getByRole("list", { name: "Findings" }).getByRole("button").click();
  await expect(page.getByRole("button", { name: /1 warning/ })).toHaveCount(0);
  await expect(cell).not.toContainText("says nothing");

  // A condition that can't be read: an error of its step.
  await page
    .getByRole("button", { name: /^Access, passed/ })
    .first()
    .click();
  await panel.getByRole("textbox", { name: "Can open" }).fill("row.nothing_like_it == 1");
  await expect(page.getByRole("button", { name: /^Access, passed, 1 error/ })).toBeVisible();
  await expect(panel.getByRole("list", { name: "Findings" })).toContainText("nothing_like_it");
  await page.getByRole("button", { name: "Discard draft" }).click();
  await expect(page.getByRole("toolbar", { name: "Draft" })).toContainText("Published, no draft");
});

test("a statement leads to the step that sent it", async ({ signedIn }) => {
  const page = await signedIn("ines");
  await page.setViewportSize({ width: 1280, height: 800 });
  await open(page, "station?key=MV-014");
  await page.getByRole("tab", { name: "Statements", exact: true }).click();
  await page.getByRole("button", { name: "Edit step Load" }).first().click();
  const panel = page.getByRole("complementary", { name: "Edit" });
  await expect(panel.getByRole("heading", { name: /^Load/ })).toBeFocused();
  await expect(panel).toContainText("Statement: load");
  await expect(page.getByRole("region", { name: "Statements" })).toBeVisible();
});

test("from a thousand pixels on the head has room for the title of a page that is not published yet, and for the way to publish it", async ({
  signedIn,
  vale,
}) => {
  const page = await signedIn("ines");
  const rivers = await readFile(path.join(vale.pages, "river.page.yaml"), "utf8");
  const text = rivers.replace("path: /rivers", "path: /brooks").replace("plural: Rivers", "plural: Constituencies");
  await page.goto("/workbench/");
  const file = { name: "brook.page.yaml", mimeType: "text/yaml", buffer: Buffer.from(text) };
  await page.locator("input[type=file]").first().setInputFiles(file);
  const title = page.getByRole("heading", { level: 1, name: "Constituencies" });
  await expect(title).toBeVisible();
  await expect(page.getByRole("status").filter({ hasText: "Draft, not published yet" })).toBeVisible();
  for (const width of [1000, 1024, 1100, 1280]) {
    await page.setViewportSize({ width, height: 800 });
    // Asked until it is so: in the moment after the window had changed it was too wide once.
    await expect.poll(async () => [width, await isTooWide(page)]).toEqual([width, false]);
    const publish = await page.getByRole("button", { name: "Publish…" }).boundingBox();
    expect((publish?.x ?? width) + (publish?.width ?? 0)).toBeLessThanOrEqual(width);
    expect(await title.evaluate((heading) => heading.scrollWidth - heading.clientWidth)).toBeLessThanOrEqual(1);
    expect((await page.getByText("View as", { exact: true }).boundingBox())?.height).toBeLessThan(30);
  }
  await page.getByRole("button", { name: "Discard draft…" }).click();
  await page.getByRole("alertdialog").getByRole("button", { name: "Discard draft" }).click();
  await expect(page.getByRole("heading", { level: 1, name: "Pages" })).toBeVisible();
});

for (const [width, height] of [
  [640, 400],
  [390, 844],
] as const) {
  test(`at ${width}x${height} one column stands alone, everything is reached, and nothing is wider than the window`, async ({
    signedIn,
  }) => {
    const page = await signedIn("ines");
    await page.setViewportSize({ width, height });
    await open(page, "station?key=MV-014");
    for (const tab of ["Table", "Page", "Rules", "Edit", "File", "Census", "Statements", "Versions", "List"]) {
      await page.getByRole("tab", { name: tab, exact: true }).click();
      await expect(page.getByRole("tab", { name: tab, exact: true })).toHaveAttribute("aria-selected", "true");
      expect([tab, await isTooWide(page)]).toEqual([tab, false]);
      if (width < 400) expect([tab, await violations(page)]).toEqual([tab, []]);
    }
    await page.getByRole("tab", { name: "Table", exact: true }).click();
    await page.locator('[data-field-button="warning_m"]').click();
    await page.getByRole("tab", { name: "Edit", exact: true }).click();
    await expect(page.getByRole("group", { name: "Settings of warning_m" })).toBeVisible();
    expect(await violations(page)).toEqual([]);
    // The first record has none before it, and one finding's line is long.
    await open(page, "sensor?key=MV-001&key=1");
    await page.getByRole("button", { name: "Previous record" }).click();
    await expect(page.getByText("This is the first record.")).toBeVisible();
    await page.getByRole("button", { name: "1 warning" }).last().click();
    await expect(page.getByRole("list", { name: "Review" })).toBeVisible();
    expect([await isTooWide(page), await violations(page)]).toEqual([false, []]);
    await page.keyboard.press("Escape");
    await page.getByRole("button", { name: "Menu" }).click();
    await page.getByRole("link", { name: "Requests", exact: true }).first().click();
    for (const address of ["", "/requests", "/database", "/people", "/changes", "/pages/station/rehearsal"]) {
      await page.goto(`/workbench${address}`);
      await expect(page.getByRole("heading", { level: 1 })).toBeVisible();
      expect([address, await isTooWide(page)]).toEqual([address, false]);
      if (width < 400) expect([address, await violations(page)]).toEqual([address, []]);
    }
  });
}
