import { readFileSync } from "node:fs";
import { chromium, type Page } from "@playwright/test";
import config from "./playwright.config.js";
const { address, accounts } = JSON.parse(readFileSync("/tmp/shot.json", "utf8"));
const browser = await chromium.launch(config.projects?.[0]?.use?.launchOptions ?? {});
export async function as(name: string, more: object = {}): Promise<Page> {
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, locale: "en-GB", baseURL: address, ...more });
  const page = await context.newPage();
  page.on("pageerror", (e) => console.log("PAGEERROR", e.message));
  page.on("console", (m) => m.type() === "error" && console.log("CONSOLE", m.text().slice(0, 300)));
  page.setDefaultTimeout(15000);
  const account = accounts.find((each: { email: string }) => each.email.startsWith(`${name}@`));
  await page.goto("/sign-in"); await page.getByLabel("E-mail address").fill(account.email); await page.getByLabel("Password").fill(account.password);
  await page.getByRole("button", { name: "Sign in" }).click(); await page.waitForURL(`${address}/`);
  return page;
}
const script = process.argv[2] ?? "";
await (await import(script)).default(as);
await browser.close();
