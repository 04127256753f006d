import { fork } from "node:child_process";
import { chmod, mkdtemp, rm } from "node:fs/promises";
import os from "node:os";
import path from "node:path";
import { type Browser, chromium, type Page } from "@playwright/test";
import type { Started } from "loyal-quill";
import config from "./playwright.config.js";

/** Somebody's page, signed in. */
export async function signedIn(
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

/** The demo in a process of its own. */
async function startApart(directory: string): Promise<Started> {
  const child = fork(path.join(import.meta.dirname, "demo-process.ts"), [directory], { execArgv: ["--import", "tsx"] });
  const started = await new Promise<Omit<Started, "stop">>((resolve, reject) => {
    child.once("message", (message) => resolve(message as Omit<Started, "stop">));
    child.once("exit", (code) => reject(new Error(`the demo ended with ${code}`)));
  });
  const stop = () =>
    new Promise<void>((resolve) => {
      child.once("exit", () => resolve());
      child.send("stop");
    });
  return { ...started, stop };
}

/** Runs something with a fresh demo and a browser, and takes both away afterwards. */
export async function withDemo(run: (browser: Browser, started: Started) => Promise<void>): Promise<void> {
  const directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-demo-"));
  await chmod(directory, 0o711);
  const started = await startApart(directory);
  const browser = await chromium.launch(config.projects?.[0]?.use?.launchOptions ?? {});
  try {
    await run(browser, started);
  } finally {
    await browser.close();
    await started.stop();
    await rm(directory, { recursive: true, force: true });
  }
}
