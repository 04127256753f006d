import { readFile } from "node:fs/promises";
import { strFromU8, unzipSync } from "fflate";
import { expect, test } from "../vale.js";
import { violations } from "../violations.js";

test("a page is exported as code: read, copied, downloaded; what can't be exported says why", async ({ signedIn }) => {
  const page = await signedIn("ines");
  await page.goto("/workbench/pages/station");
  await expect(page.getByText("as served to")).toBeVisible();
  await page.getByText("File", { exact: true }).click();
  const open = page.getByRole("button", { name: "Export code…" });
  await open.focus();
  await page.keyboard.press("Enter");
  const dialog = page.getByRole("dialog", { name: "Export code" });
  await expect(dialog.getByRole("region", { name: "station/routes.ts" })).toContainText("/stations/:code/edit");
  expect(await violations(page)).toEqual([]);
  await dialog.getByRole("button", { name: /^sql\.ts/ }).click();
  await expect(dialog.getByRole("region", { name: "station/sql.ts" })).toContainText("quill_log.add_change");
  await expect(dialog.getByText("npm install big.js express pg")).toBeVisible();
  await expect(dialog.getByText("New records are not made by the exported page.")).toBeAttached();
  const download = page.waitForEvent("download");
  await dialog.getByRole("button", { name: "Download .zip" }).click();
  const file = await download;
  expect(file.suggestedFilename()).toBe("station-code.zip");
  const files = unzipSync(await readFile(await file.path()));
  expect(Object.keys(files)).toEqual(
    expect.arrayContaining(["station/routes.ts", "station/routes.test.ts", "shared/style.ts"]),
  );
  expect(strFromU8(files["station/form.ts"] ?? new Uint8Array())).toContain('warning_m: "Warning level"');
  await page.keyboard.press("Escape");
  await expect(dialog).toBeHidden();
  await expect(open).toBeFocused();

  // What can't be exported is told with the reason.
  await page.locator(".cm-content").getByText("- notes: {").click();
  await page.keyboard.press("End");
  await page.keyboard.press("ArrowLeft");
  await page.keyboard.insertText(", sensitive: true ");
  await expect(page.getByText("Draft", { exact: false }).first()).toBeVisible();
  await open.click();
  await expect(dialog.getByText("This page can’t be exported: notes is sensitive.")).toBeVisible();
  await page.emulateMedia({ colorScheme: "dark" });
  expect(await violations(page)).toEqual([]);
  await page.keyboard.press("Escape");
  await page.getByRole("button", { name: "Discard draft" }).click();
});
