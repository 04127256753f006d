// Takes the pictures in docs/screenshots from the demo data: `npm run screenshots`, after `npm run setup`.
import { readFile, writeFile } from "node:fs/promises";
import path from "node:path";
import { fileURLToPath } from "node:url";
import type { Browser, Page } from "@playwright/test";
import { readXlsx, writeXlsx } from "hucre/xlsx";
import type { Started } from "loyal-quill";
import { signedIn, withDemo } from "./demo.js";
import { exampleUrls, startExample } from "./example.js";

const pictures = fileURLToPath(new URL("../docs/screenshots/", import.meta.url));

async function take(page: Page, name: string): Promise<void> {
  // Long enough for what is asked for in the background, before a form is sent and after; there is nothing else to wait for.
  await page.waitForTimeout(1200);
  await page.evaluate(() => document.fonts.ready.then(() => undefined));
  await page.screenshot({ path: path.join(pictures, `${name}.png`) });
}

async function servedPages(browser: Browser, started: Started): Promise<void> {
  const page = await signedIn(browser, started, "hollis");
  await page.goto("/stations");
  await take(page, "list");
  await page.goto("/stations/MV-014/edit");
  await take(page, "edit");
  await page.getByLabel("Station name").fill("Otter Weir, lower board");
  await page.getByLabel("Alert level").fill("2,75");
  await page.getByLabel("Warning level").fill("1.10");
  await page.getByRole("button", { name: "Update" }).click();
  await take(page, "refused");

  const other = await signedIn(browser, started, "tamsin");
  await page.goto("/stations/MV-017/edit");
  await other.goto("/stations/MV-017/edit");
  await other.getByLabel("Station name").fill("Stonecrop Weir, old mill");
  await other.getByRole("button", { name: "Update" }).click();
  await other.getByRole("status").waitFor();
  await page.getByLabel("Station name").fill("Stonecrop Weir, north bank");
  await page.getByRole("button", { name: "Update" }).click();
  await take(page, "conflict");

  await page.goto("/stations/MV-014/edit");
  const level = await page.getByLabel("Warning level").inputValue();
  await page.getByLabel("Warning level").fill((Number(level) + 0.05).toFixed(2));
  await page.getByRole("button", { name: "Update" }).click();

  await other.goto("/calibrations");
  await other.getByRole("rowheader").first().getByRole("link").click();
  await take(other, "record");
  await other.goto("/rivers");
  await take(other, "rows");
  await spreadsheet(other);
}

/** A list that went out as a workbook and came back, looked at. */
async function spreadsheet(page: Page): Promise<void> {
  await page.goto("/stations?is.river_id=2");
  const [download] = await Promise.all([
    page.waitForEvent("download"),
    page.getByRole("link", { name: "Download for editing (.xlsx)" }).click(),
  ]);
  const rows = (await readXlsx(await readFile(await download.path()))).sheets[0]?.rows ?? [];
  const at = (heading: string): number => (rows[0] ?? []).indexOf(heading);
  const [, first = [], second = [], third = []] = rows;
  first[at("Alert level")] = 9.9;
  second[at("Notes")] = "Cable replaced. Gauge board cleaned.";
  third[at("Warning level")] = 4.05;
  third[at("Status")] = "repair";
  const buffer = Buffer.from((await writeXlsx({ sheets: [{ name: "Stations", rows }] })) as Uint8Array);
  await page.getByRole("link", { name: "Upload edited file…" }).click();
  await page.getByLabel("Edited file").setInputFiles({ name: "stations.xlsx", mimeType: "", buffer });
  await page.getByRole("button", { name: "Check file" }).click();
  await page.getByRole("button", { name: "Save valid rows" }).waitFor();
  await take(page, "upload");
}

/** "Saving doesn't work": what docs/saving-does-not-work.md tells, in pictures. */
async function telephone(browser: Browser, started: Started): Promise<void> {
  const file = path.join(started.pages, "river.page.yaml");
  const sound = await readFile(file, "utf8");
  await writeFile(file, sound.replace("max-length: 40", "max-length: 10"));
  const hollis = await signedIn(browser, started, "hollis");
  for (let turn = 0; turn < 3; turn++) {
    await hollis.waitForTimeout(700);
    await hollis.goto("/rivers/7/edit");
    await hollis.getByLabel("Name").fill("Embersike by the old mill");
    await hollis.locator("form.quill-sheet").evaluate((form) => (form as HTMLFormElement).submit());
    await hollis.waitForTimeout(700);
  }
  const page = await signedIn(browser, started, "ines");
  await page.goto("/workbench/requests?page=river");
  await page.getByRole("region", { name: "Requests", exact: true }).waitFor();
  await take(page, "requests");
  await page.getByRole("region", { name: "Requests", exact: true }).getByRole("link", { name: /POST/ }).first().click();
  await page.getByRole("heading", { name: "Fields as read" }).waitFor();
  await take(page, "request");
  await page.goto("/workbench/pages/river");
  await page.getByRole("tab", { name: "File", exact: true }).click();
  await page.locator(".cm-content").getByText("max-length").first().click();
  await page.keyboard.press("End");
  for (let back = 0; back < "10 }] }".length; back++) await page.keyboard.press("ArrowLeft");
  await page.keyboard.type("6");
  await page.keyboard.press("Delete");
  await page.waitForTimeout(1500);
  await page.goto("/workbench/pages/river/replay");
  await page.getByRole("button", { name: "Replay", exact: true }).click();
  await page.getByRole("region", { name: "Before and after" }).waitFor();
  await page.goto("/workbench/pages/river/rehearsal");
  await page.getByRole("button", { name: "Run quick set" }).click();
  await page.getByRole("heading", { name: "Cases by step" }).waitFor({ timeout: 60_000 });
  await page.getByRole("region", { name: "Cases that differ" }).getByRole("button").first().click();
  await page.getByRole("article").waitFor();
  await take(page, "rehearsal");
  await writeFile(file, sound);
}

/** As somebody who may put back what she sees. */
async function changes(browser: Browser, started: Started): Promise<void> {
  const page = await signedIn(browser, started, "tamsin");
  await page.goto("/workbench/changes?containing=MV-014");
  await page.getByRole("region", { name: "Changes" }).waitFor();
  await take(page, "changes");
  const record = new URLSearchParams({ table: "network.station", key: '{"code":"MV-014"}' });
  await page.goto(`/workbench/changes/record?${record}`);
  await page.getByRole("heading", { name: "At two moments" }).waitFor();
  await take(page, "moments");
}

async function workbench(browser: Browser, started: Started): Promise<void> {
  const page = await signedIn(browser, started, "ines");
  await page.goto("/workbench");
  await take(page, "pages");
  await page.goto("/workbench/pages/station?key=MV-014");
  await take(page, "sheet");
  await page.goto("/workbench/pages/station?key=MV-014");
  await page.getByRole("button", { name: "Edit warning_m" }).click();
  const settings = page.getByRole("group", { name: "Settings of warning_m" });
  await settings.getByRole("button", { name: "Add a rule" }).click();
  await page.getByRole("menuitem", { name: "Maximum" }).click();
  await page.getByRole("textbox", { name: "Maximum" }).fill("3");
  await settings.evaluate((element) => element.scrollIntoView({ block: "center" }));
  await take(page, "sheet-field");
  await page.getByRole("tab", { name: "Census", exact: true }).click();
  await page.getByRole("button", { name: "Run census" }).click();
  await page.getByRole("list", { name: "Census" }).getByText("SQL to enforce this in the table").nth(2).click();
  await take(page, "census");
  await page.goto("/workbench/database");
  await take(page, "database");
  const administrator = await signedIn(browser, started, "rhea");
  await administrator.goto("/workbench/people");
  await administrator.getByRole("button", { name: /Hollis Brandt/ }).click();
  await take(administrator, "people");
}

/** The same record in somebody's own application: its layout, its look, its control. */
async function mounted(browser: Browser, started: Started): Promise<void> {
  const { address, stop } = await startExample(
    "own-application",
    await exampleUrls(started.ownerUrl, started.directory),
  );
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 }, locale: "en-GB" });
  await page.goto(`${address}/records/stations/MV-014/edit`);
  await page.getByRole("button", { name: "Sign in" }).click();
  await page.getByLabel("Warning level").fill("3.60");
  await page.getByLabel("Notes").focus();
  await page.evaluate(() => scrollTo(0, 0));
  await take(page, "mounted");
  await stop();
}

await withDemo(async (browser, started) => {
  await servedPages(browser, started);
  await telephone(browser, started);
  await workbench(browser, started);
  await changes(browser, started);
  await mounted(browser, started);
});
