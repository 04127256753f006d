// Takes the pictures in docs/screenshots from the demo data: `npm run screenshots`, after `npm run setup`.
import { chmod, mkdtemp, rm } from "node:fs/promises";
import os from "node:os";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { freePort, type Started, startDemo } from "@loyal-quill/cli";
import { type Browser, chromium, type Page } from "@playwright/test";
import config from "./playwright.config.js";

const pictures = fileURLToPath(new URL("../docs/screenshots/", import.meta.url));

async function signedIn(
  browser: Browser,
  started: Started,
  name: string,
  colorScheme: "light" | "dark" = "light",
): Promise<Page> {
  const context = await browser.newContext({
    viewport: { width: 1280, height: 800 },
    colorScheme,
    locale: "en-GB",
    baseURL: started.address,
  });
  const page = await context.newPage();
  const account = started.accounts.find((each) => each.email.startsWith(`${name}@`));
  await page.goto("/sign-in");
  await page.getByLabel("E-mail address").fill(account?.email ?? "");
  await page.getByLabel("Password").fill(account?.password ?? "");
  await page.getByRole("button", { name: "Sign in" }).click();
  await page.waitForURL(`${started.address}/`);
  return page;
}

async function take(page: Page, name: string): Promise<void> {
  await page.evaluate(() => document.fonts.ready.then(() => undefined));
  // Long enough for what is asked for in the background; there is nothing else to wait for.
  await page.waitForTimeout(800);
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
  await page.getByLabel("Station name").fill("Stonecrop Weir, north bank");
  await page.getByRole("button", { name: "Update" }).click();
  await take(page, "conflict");

  await page.goto("/stations/MV-014/edit");
  const level = await page.getByLabel("Warning level").inputValue();
  await page.getByLabel("Warning level").fill((Number(level) + 0.05).toFixed(2));
  await page.getByRole("button", { name: "Update" }).click();
  await take(page, "saved");

  await other.goto("/visits/new");
  await other.getByLabel("Findings").fill("Board repainted, figures legible again.");
  await other.getByRole("combobox", { name: "Station" }).fill("weir");
  await other.getByRole("option").first().waitFor();
  await other.keyboard.press("ArrowDown");
  await take(other, "new");
  await other.goto("/calibrations");
  await other.getByRole("rowheader").first().getByRole("link").click();
  await take(other, "record");
  await other.goto("/stations/MV-004/delete");
  await take(other, "delete");
}

async function workbench(browser: Browser, started: Started): Promise<void> {
  const page = await signedIn(browser, started, "ines");
  await page.goto("/workbench");
  await take(page, "pages");
  await page.getByRole("link", { name: "POST /stations/MV-017/edit" }).first().click();
  await take(page, "sheet-conflict");
  await page.goto("/workbench/pages/station?key=MV-014");
  await take(page, "sheet");
  await page.goto("/workbench/changes?containing=MV-014");
  await take(page, "changes");
  await page.goto("/workbench/pages/bulletin");
  await page.getByRole("button", { name: /^Load/ }).click();
  await take(page, "sheet-step");
  const dark = await signedIn(browser, started, "ines", "dark");
  await dark.goto("/workbench/pages/sensor?key=MV-014&key=2");
  await take(dark, "sheet-dark");
}

const directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-pictures-"));
await chmod(directory, 0o711);
const started = await startDemo({ port: await freePort(), directory, fresh: false }, () => {});
const browser = await chromium.launch(config.projects?.[0]?.use?.launchOptions ?? {});
try {
  await servedPages(browser, started);
  await workbench(browser, started);
} finally {
  await browser.close();
  await started.stop();
  await rm(directory, { recursive: true, force: true });
}
