import { readFile } from "node:fs/promises";
import { expect, test } from "../vale.js";
import { violations } from "../violations.js";

/** A form that somebody has written for a river, with a fault in it. */
const form = (name: string, length: string): string => `<!doctype html><html lang="en"><body><h1>River 7</h1>
<form method="post" action="/rivers/7"><input type="hidden" name="_csrf" value="f3b0c44298fc1c149afbf4c8996fb924">
<p><label>Name of the river <input name="name" maxlength="40" value="${name}"></label></p>
<p><label>Length <input name="length_km" placeholder="${length}"></label> km</p>
<button>Save</button></form></body></html>`;

test("a form is imported: beside what is made of it, with what is wrong, and becomes a draft", async ({
  signedIn,
  vale,
}) => {
  const page = await signedIn("ines");
  const river = await vale.row<{ name: string; length_km: string }>(
    "SELECT name, length_km FROM network.river WHERE id = 7",
  );
  await page.goto("/workbench/");
  await page.getByRole("link", { name: "Import form…" }).click();
  await expect(page.getByRole("heading", { name: "Import form", level: 1 })).toBeVisible();
  expect(await violations(page)).toEqual([]);
  await expect(page.getByRole("button", { name: "Read form" })).toBeDisabled();
  await page.getByLabel("Choose page").setInputFiles({
    name: "river.html",
    mimeType: "text/html",
    buffer: Buffer.from(form(river.name, river.length_km)),
  });
  await page.getByLabel("Choose handler").setInputFiles({
    name: "river.js",
    mimeType: "text/javascript",
    buffer: Buffer.from(
      'router.post("/rivers/:id", csrf, async (req, res) => {\n  if (!req.body.name || !req.body.length_km) return res.render("river");\n  await db.query("UPDATE network.river SET name = $1, length_km = $2", [req.body.name, req.body.length_km]);\n  res.redirect("/rivers");\n});\n',
    ),
  });
  // The table and the record are found by the form.
  await expect(page.getByText("The table was recognized from the form.")).toBeVisible();
  await expect(page.getByLabel("Table")).toHaveValue("network.river");
  await expect(page.getByLabel("id", { exact: true })).toHaveValue("7");
  await page.getByLabel("Table").selectOption("network.region");
  await page.getByLabel("Table").selectOption("network.river");
  await page.getByLabel("id", { exact: true }).fill("99999");
  await page.getByRole("button", { name: "Read form" }).click();
  await expect(page.getByText("network.river has no record with id 99999.")).toBeVisible();
  await page.getByLabel("id", { exact: true }).fill("7");
  await page.getByRole("button", { name: "Read form" }).click();
  const findings = page.getByRole("listitem");
  await expect(findings.filter({ hasText: "as its placeholder, and no value" })).toContainText("Form, line 4");
  await expect(findings.filter({ hasText: "has no WHERE" })).toContainText("Handler, line 3");
  await expect(findings.filter({ hasText: "Nobody looks at how many records" })).toBeVisible();
  // Findings stand at their controls, by their numbers.
  const shown = page.frameLocator('iframe[title="The form"]');
  await expect(shown.locator("[data-quill-finding]").first()).toContainText(/^[✕△] \d/);
  // The page that came of it stands beside, with a line for each match.
  const made = page.frameLocator('iframe[title="The page"]');
  await expect(made.getByLabel("Length")).toHaveValue(river.length_km);
  await expect(page.locator("svg path")).toHaveCount(2);
  // A match is corrected, and put back: the page follows.
  await page.getByLabel("Column of length_km").selectOption("Not matched");
  await expect(made.getByLabel("Length")).toHaveCount(0);
  await expect(page.locator("svg path")).toHaveCount(1);
  await page.getByLabel("Column of length_km").selectOption("length_km");
  await expect(made.getByLabel("Length")).toHaveValue(river.length_km);
  // Where the keyboard is in the list, the form shows the control.
  await page.getByRole("button", { name: /^length_km/ }).focus();
  await expect(page.frameLocator('iframe[title="The form"]').locator("[name=length_km]")).toHaveAttribute(
    "data-quill-pointed",
    "",
  );
  expect(await violations(page)).toEqual([]);
  await page.getByRole("button", { name: "Create draft" }).click();
  await expect(page).toHaveURL(/\/workbench\/pages\/river/);
  await expect(page.getByText("Name of the river").first()).toBeAttached();
  expect(await readFile(`${vale.pages}/river.page.yaml`, "utf8")).not.toContain("Name of the river");
  // Other tests begin on what is published.
  await page.getByRole("button", { name: "Discard draft" }).click();
  await expect(page.getByRole("status").filter({ hasText: "Published, no draft" })).toBeVisible();
});

test("who may not look at a table's records reads no form against them", async ({ signedIn }) => {
  const page = await signedIn("hollis");
  await page.goto("/workbench/import-form");
  await expect(page.getByRole("button", { name: "Read form" })).toHaveCount(0);
});
