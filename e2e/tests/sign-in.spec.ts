import { codeAt } from "@loyal-quill/server";
import { enterAs, expect, test } from "../vale.js";
import { violations } from "../violations.js";

/** Signing in by keyboard, with a second factor; one's own password and sessions; who sees what of the workbench. */

test("a second factor is set up by keyboard, and asked for from then on", async ({ signedIn, vale, context }) => {
  const page = await signedIn("tamsin");
  await page.getByRole("link", { name: "Tamsin Okoro" }).focus();
  await page.keyboard.press("Enter");
  await page.locator("form", { hasText: "Set up" }).getByLabel("Current password").fill(vale.password("tamsin"));
  await page.keyboard.press("Enter");
  await expect(page.getByAltText("QR code of the secret")).toBeVisible();
  const secret = ((await page.locator("dd").last().textContent()) ?? "").replaceAll(" ", "");
  await page.getByLabel("Code").fill(codeAt(secret));
  await page.keyboard.press("Enter");
  const codes = page.locator("ul.quill-codes code");
  await expect(codes).toHaveCount(10);
  const recovery = (await codes.first().textContent()) ?? "";
  await context.clearCookies();
  await page.goto("/sign-in?next=/stations");
  await page.getByLabel("E-mail address").fill(vale.email("tamsin"));
  await page.getByLabel("Password").fill(vale.password("tamsin"));
  await page.keyboard.press("Enter");
  await expect(page.getByRole("heading", { name: "Second factor" })).toBeVisible();
  expect(await violations(page)).toEqual([]);
  await page.getByLabel(/^Code/).fill("000000");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("alert")).toContainText("This code is not right");
  await page.getByLabel(/^Code/).fill(recovery);
  await page.keyboard.press("Enter");
  await expect(page).toHaveURL(/\/stations$/);
  // Off again, for the tests after this one.
  await page.goto("/my-account");
  await expect(page.getByText("9 recovery codes are left")).toBeVisible();
  await page
    .locator("form", { hasText: "New recovery codes" })
    .getByLabel("Current password")
    .fill(vale.password("tamsin"));
  await page.getByRole("button", { name: "Turn off" }).click();
  await expect(page.getByRole("status")).toHaveText("The second factor is off.");
});

test("a person ends their session elsewhere", async ({ signedIn, vale, browser }) => {
  const other = await browser.newContext({ baseURL: vale.address });
  const there = await other.newPage();
  await there.goto("/sign-in");
  await enterAs(there, vale, "hollis");
  await expect(there.getByRole("heading", { name: "Pages" })).toBeVisible();
  const page = await signedIn("hollis");
  await page.goto("/my-account");
  await page.getByRole("button", { name: "End all others" }).click();
  await expect(page.getByRole("status")).toHaveText("All other sessions are ended.");
  await there.goto("/stations");
  await expect(there).toHaveURL(/\/sign-in\?next=/);
  await page.goto("/stations");
  await expect(page.getByRole("heading", { name: "Stations" })).toBeVisible();
  await other.close();
});

test("an auditor sees changes and the trail, an administrator accounts, and neither pages", async ({
  signedIn,
  context,
  page,
}) => {
  await signedIn("silas", true);
  await page.getByRole("link", { name: "Go to the workbench" }).click();
  const main = page.getByRole("navigation", { name: "Main" });
  await expect(page).toHaveURL(/\/workbench\/changes$/);
  await expect(main.getByRole("link")).toHaveText(["Changes", "Trail"]);
  await main.getByRole("link", { name: "Trail" }).click();
  await expect(
    page
      .getByRole("region", { name: "Trail" })
      .getByRole("row", { name: /Silas Kwan signed in/ })
      .first(),
  ).toBeVisible();
  await page.getByLabel("Show").selectOption("API tokens");
  await expect(page).toHaveURL(/action=token\./);
  await context.clearCookies();
  await signedIn("rhea");
  await page.goto("/workbench");
  await expect(page).toHaveURL(/\/workbench\/people$/);
  await expect(main.getByRole("link")).toHaveText(["People"]);
  await page.getByRole("button", { name: /Dara Lindqvist/ }).click();
  await expect(page.getByRole("region", { name: "Sign-in" })).toContainText(
    "With a password, without a second factor.",
  );
});
