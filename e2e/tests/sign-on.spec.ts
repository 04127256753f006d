import { chmod, mkdtemp, rm } from "node:fs/promises";
import os from "node:os";
import path from "node:path";
import { startProvider } from "@loyal-quill/testing/provider";
import { expect, test } from "@playwright/test";
import { freePort, startDemo } from "loyal-quill";
import { violations } from "../violations.js";

/** Signing in with a provider of OpenID Connect in a real browser, beside passwords. */

test("a person signs in elsewhere, comes back to where they were going, and signs out in both", async ({ browser }) => {
  test.setTimeout(60_000);
  const directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-e2e-sign-on-"));
  await chmod(directory, 0o711);
  const port = await freePort();
  const origin = `http://127.0.0.1:${port}`;
  const provider = await startProvider(origin);
  const { issuer, clientId, clientSecret } = provider;
  const elsewhere = {
    ...{ issuer, clientId, clientSecret, origin, name: "Vale House", scope: "openid email profile" },
    rolesClaim: "groups",
    roles: { hydro: "hydrologist" },
    attributes: { region_id: "region" },
  };
  const started = await startDemo({ port, directory, fresh: false, signIn: { elsewhere } }, () => {});
  try {
    const page = await (await browser.newContext({ baseURL: origin, locale: "en-GB" })).newPage();
    provider.person = null;
    await page.goto("/stations/MV-014/edit");
    await page.getByRole("link", { name: "Sign in with Vale House" }).click();
    await expect(page.getByRole("alert")).toHaveText("Signing in with the other application did not work. Try again.");
    expect(await violations(page)).toEqual([]);
    provider.person = {
      sub: "u-1",
      email: "orla@marrow-vale.example",
      email_verified: true,
      name: "Orla Quist",
      groups: ["hydro"],
      region: 2,
    };
    await page.goto("/stations/MV-014/edit");
    await page.getByRole("link", { name: "Sign in with Vale House" }).focus();
    await page.keyboard.press("Enter");
    await expect(page).toHaveURL(`${origin}/stations/MV-014/edit`);
    await expect(page.getByRole("link", { name: "Orla Quist" })).toBeVisible();
    await page.getByLabel("Station name").fill("Otter Weir East");
    await page.getByRole("button", { name: "Update" }).click();
    await expect(page.getByRole("status")).toContainText("saved");
    await page.getByRole("link", { name: "Orla Quist" }).click();
    await expect(page.getByRole("heading", { name: "Change password" })).toHaveCount(0);
    expect(await violations(page)).toEqual([]);
    await page.getByRole("button", { name: "Sign out" }).click();
    await expect(page).toHaveURL(new RegExp(`^${issuer}/session/end`));
    await page.goto("/stations");
    await expect(page).toHaveURL(/\/sign-in\?next=/);
  } finally {
    await started.stop();
    await provider.close();
    await rm(directory, { recursive: true, force: true });
  }
});
