import { rm } from "node:fs/promises";
import path from "node:path";
import type { Page } from "@playwright/test";
import { expect, test } from "../vale.js";
import { violations } from "../violations.js";

/* What a table's constraints demand of several columns: from the table to the form, with a message of the page's own. */

const isScripted = (): boolean => test.info().project.name === "with scripts";

/** What is said at a field. */
const saidAt = (page: Page, name: string) => page.locator(`[data-field="${name}"] .quill-problem`);

test("a page is drafted over a table of CHECKs, gives one of them its own message, and says all of them at once", async ({
  signedIn,
  vale,
}) => {
  test.skip(!isScripted(), "The workbench needs scripts.");
  test.setTimeout(180_000);
  await vale.rows(`CREATE TABLE field.hire (id integer PRIMARY KEY, code text NOT NULL CHECK (code ~ '^H-[0-9]+$'), starts_on date NOT NULL, ends_on date, mail text, phone text,
    CONSTRAINT hire_days CHECK (ends_on >= starts_on), CONSTRAINT hire_reached CHECK (num_nonnulls(mail, phone) >= 1))`);
  await vale.rows(
    "CREATE FUNCTION field.in_capitals() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN NEW.code := upper(NEW.code); RETURN NEW; END $$",
  );
  await vale.rows(
    "CREATE TRIGGER in_capitals BEFORE INSERT OR UPDATE ON field.hire FOR EACH ROW EXECUTE FUNCTION field.in_capitals()",
  );
  await vale.rows("GRANT SELECT, INSERT, UPDATE, DELETE ON field.hire TO quill_pages");
  await vale.rows(
    "INSERT INTO field.hire VALUES (1, 'H-1', '2026-03-02', '2026-03-06', 'dara@marrow-vale.example', NULL)",
  );
  try {
    const page = await signedIn("ines");
    await page.goto("/workbench/");
    await page.getByRole("link", { name: "Database", exact: true }).click();
    const row = page.getByRole("row").filter({ hasText: "field.hire" });
    await expect(row).toBeVisible({ timeout: 60_000 });
    await row
      .getByRole("button", { name: "Create draft" })
      .or(row.getByRole("link", { name: "Create draft" }))
      .click();
    await expect(page.getByText("may be set by a trigger")).toBeVisible();
    await expect(page.getByText("ends_on >= starts_on", { exact: true })).toBeVisible();

    await page.getByRole("button", { name: "Checks across fields, reason" }).click();
    await page.getByRole("button", { name: "Add a message" }).click();
    await page.getByRole("menuitem", { name: /^hire_reached: CHECK/ }).click();
    const message = page.getByRole("textbox", { name: "Message of hire_reached" });
    await message.fill("Give a mail address or a phone number.");
    await message.press("Tab");
    expect(await violations(page)).toEqual([]);

    await page.getByRole("button", { name: "Publish…" }).click();
    const dialog = page.getByRole("dialog");
    await dialog.getByRole("checkbox").check();
    await dialog.getByRole("button", { name: "Publish now" }).click({ timeout: 90_000 });
    await expect(dialog).toBeHidden();

    const person = await signedIn("hollis");
    await person.goto("/hire");
    await person.getByRole("link", { name: "Edit 1", exact: true }).click();
    await person.getByLabel("Ends on").fill("2026-03-01");
    await person.getByLabel("Mail").fill("");
    await person.getByLabel("Code").fill("h-12");
    await person.getByRole("button", { name: "Update", exact: true }).click();
    await expect(saidAt(person, "ends_on")).toHaveText("Ends on must not be before Starts on.");
    await expect(saidAt(person, "mail")).toHaveText("Give a mail address or a phone number.");
    await expect(saidAt(person, "code")).toHaveCount(0);
    // What is wrong can be seen at the control.
    await expect(person.getByLabel("Mail")).toHaveCSS("border-top-width", "2px");
    await expect(person.getByLabel("Phone")).toHaveCSS("border-top-width", "1px");
    await person.getByLabel("Ends on").fill("2026-03-09");
    await person.getByLabel("Phone").fill("01632 960018");
    await person.getByRole("button", { name: "Update", exact: true }).click();
    await expect(person.getByText("H-12").first()).toBeVisible();
    expect(await vale.row("SELECT code, ends_on::text, mail, phone FROM field.hire")).toEqual({
      code: "H-12",
      ends_on: "2026-03-09",
      mail: null,
      phone: "01632 960018",
    });
  } finally {
    await rm(path.join(vale.pages, "hire.page.yaml"), { force: true });
    await vale.rows("DROP TABLE field.hire");
    await vale.rows("DROP FUNCTION field.in_capitals");
  }
});
