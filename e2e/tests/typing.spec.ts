import type { Page } from "@playwright/test";
import { expect, test } from "../vale.js";

/* What is typed faster than the workbench follows stands as it was typed. */

async function slowly(page: Page, typing: () => Promise<void>): Promise<void> {
  const session = await page.context().newCDPSession(page);
  await session.send("Emulation.setCPUThrottlingRate", { rate: 8 });
  await typing();
  await session.send("Emulation.setCPUThrottlingRate", { rate: 1 });
}

test("on a slow machine no key is lost in a condition, or in the page's file", async ({ signedIn }, testInfo) => {
  test.skip(testInfo.project.name !== "with scripts");
  test.slow();
  const page = await signedIn("ines");
  await page.goto("/workbench/pages/station");
  await page
    .getByRole("button", { name: /^Access, / })
    .first()
    .click();
  const condition = page.getByRole("textbox", { name: "Can open", exact: true });
  await condition.click();
  await page.keyboard.press("Control+a");
  const typed = '"builder" in actor.roles || "x" in actor.roles';
  await slowly(page, () => page.keyboard.type(typed, { delay: 5 }));
  await page.keyboard.press("Escape");
  await expect(page.getByText("true here").first()).toBeVisible();
  await expect(condition).toHaveText(typed);

  await page.getByRole("tab", { name: "File", exact: true }).click();
  await page.locator(".cm-line", { hasText: "fields:" }).click();
  await page.keyboard.press("Home");
  const comment = "# Of all that a technician looks after";
  await slowly(page, () => page.keyboard.type(`${comment}\n`, { delay: 5 }));
  await expect(page.locator(".cm-line").filter({ hasText: comment })).toHaveText(comment);
  await expect(page.locator(".cm-line").filter({ hasText: /^fields:$/ })).toHaveCount(1);
});
