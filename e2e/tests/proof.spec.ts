import { readFile, writeFile } from "node:fs/promises";
import path from "node:path";
import { expect, test } from "../vale.js";

test("a hydrologist says that saving doesn't work: from the telephone to the mended page", async ({
  signedIn,
  vale,
}) => {
  const file = path.join(vale.pages, "river.page.yaml");
  const sound = await readFile(file, "utf8");
  // What somebody published yesterday: a name may have ten characters only.
  const broken = sound.replace(/- name[^\n]*/, "- name: { label: River name, rules: [{ max-length: 10 }] }");
  expect(broken).not.toBe(sound);
  await writeFile(file, broken);
  const { id, name } = await vale.row<{ id: string; name: string }>(
    "SELECT id::text, name FROM network.river ORDER BY id DESC LIMIT 1",
  );
  const hollis = await signedIn("hollis");
  await expect(async () => {
    await hollis.goto(`/rivers/${id}/edit`);
    // Not before the changed file is served: then there is no such field, and the page is opened once more.
    await hollis.getByLabel("River name").fill(`${name} by the old mill`, { timeout: 1000 });
    await hollis.getByRole("button", { name: "Update" }).click();
    await expect(hollis.getByRole("alert")).toContainText("10", { timeout: 1000 });
  }).toPass({ timeout: 60_000 });

  // On the telephone: "I'm Hollis, and the rivers can't be saved."
  const ines = await signedIn("ines");
  await ines.goto("/workbench");
  await ines.getByRole("navigation", { name: "Main" }).getByRole("link", { name: "Requests" }).click();
  const filter = (label: string) => ines.getByRole("combobox", { name: label, exact: true });
  await filter("Page").selectOption("river");
  await filter("Person").selectOption("Hollis Brandt");
  await filter("Outcome").selectOption("All rejected");
  await expect(ines).toHaveURL(/page=river.*person=.*outcome=refusals/);
  const rows = ines.getByRole("region", { name: "Requests", exact: true }).getByRole("row");
  const first = rows.filter({ hasText: "POST" }).first();
  await expect(first).toContainText("1 rule failed");
  await expect(ines.getByRole("button", { name: "name max-length" })).toBeVisible();
  await first.getByRole("link").click();
  await expect(ines.getByRole("region", { name: "Fields as read" }).getByRole("row", { name: /^name/ })).toContainText(
    `${name} by the old mill`,
  );
  await expect(ines.getByRole("region", { name: "Response body" })).toContainText("River name");

  // Mended on the Sheet, at the step where it stopped.
  const request = ines.url();
  await ines.getByRole("link", { name: "Show on the Sheet" }).click();
  await expect(ines.getByRole("region", { name: "Save", exact: true })).toContainText("1 rule failed");
  await ines.getByRole("tab", { name: "File", exact: true }).click();
  const editor = ines.locator(".cm-content");
  await expect(editor).toContainText("max-length: 10");
  await editor.getByText("max-length").first().click();
  await ines.keyboard.press("Control+f");
  await ines.keyboard.press("Escape");
  await ines.keyboard.press("End");
  for (let back = 0; back < "10 }] }".length; back++) await ines.keyboard.press("ArrowLeft");
  await ines.keyboard.press("Delete");
  await ines.keyboard.press("Delete");
  await ines.keyboard.type("60");
  await expect(ines.getByRole("button", { name: "Publish…" })).toBeEnabled();
  await expect(ines.getByRole("toolbar")).toContainText("Draft,");

  // What Hollis met would be saved now.
  await ines.goto(request);
  await ines.getByRole("link", { name: "Replay on the draft" }).click();
  await ines.getByRole("button", { name: "Replay", exact: true }).click();
  await expect(ines.getByRole("region", { name: "Before and after" })).toContainText("would now be saved");

  // Rehearsed before it is published.
  await ines.getByRole("link", { name: "Back to the Sheet" }).click();
  await ines.getByRole("button", { name: "Publish…" }).click();
  const question = ines.getByRole("dialog");
  await expect(question).toContainText(/Rehearsed: \d+ cases as expected/);
  await expect(question).toContainText(/\d+ cases? differs? from the published page/);
  // That is told as what it is: none of the draft's own cases came out otherwise.
  await question.getByRole("link", { name: "Show rehearsal" }).click();
  const differing = ines.getByRole("region", { name: "Cases that differ from the published page" });
  await differing.getByRole("button").first().click();
  await expect(ines.getByRole("article")).toContainText("differs from the published page");
  await expect(ines.getByText("0 not as expected")).toBeVisible();
  await expect(ines.getByRole("article")).not.toContainText("not as expected");
  await expect(differing).not.toContainText("not as expected");
  await ines.getByRole("link", { name: "Back to the Sheet" }).click();
  await ines.getByRole("button", { name: "Publish…" }).click();
  await question.getByRole("button", { name: "Publish now" }).click();
  await expect(ines.getByRole("status").filter({ hasText: "Published, no draft" })).toBeVisible();
  const again = await signedIn("hollis");
  await again.goto(`/rivers/${id}/edit`);
  await again.getByLabel("River name").fill(`${name} by the old mill`);
  await again.getByRole("button", { name: "Update" }).click();
  await expect(again.getByRole("status").first()).toContainText("saved");
  await writeFile(file, sound);
});

test("a rehearsal is run, looked at case by case and opened on the Sheet, by keyboard only", async ({
  signedIn,
  vale,
}) => {
  const before = await vale.rows("SELECT t::text FROM network.region AS t ORDER BY 1");
  const page = await signedIn("ines");
  await page.goto("/workbench/pages/region/rehearsal");
  await expect(page.getByRole("button", { name: "Run quick set" })).toBeEnabled();
  await page.getByRole("button", { name: "Run quick set" }).focus();
  await page.keyboard.press("Enter");
  await expect(page.getByRole("heading", { name: "Cases by step" })).toBeVisible();
  const all = page.getByRole("checkbox", { name: "Show all cases" });
  await all.focus();
  await page.keyboard.press("Space");
  const cases = page.getByRole("region", { name: "Cases", exact: true });
  await expect(cases)
    .toContainText("not as expected", { timeout: 500 })
    .catch(() => {});
  expect(await cases.getByText("not as expected").count()).toBe(0);
  const one = cases.getByRole("button", { name: "Somebody else changed the same field meanwhile, to another value" });
  await one.focus();
  await page.keyboard.press("Enter");
  await expect(page).toHaveURL(/case=compare\.same-field/);
  const detail = page.getByRole("article");
  await expect(detail).toContainText("409");
  await expect(detail).toContainText("Rows touched");
  const link = detail.getByRole("link", { name: "Show on the Sheet" }).last();
  await link.focus();
  await page.keyboard.press("Enter");
  await expect(page.getByRole("region", { name: "Compare: settings and values" })).toBeVisible();
  expect(await vale.rows("SELECT t::text FROM network.region AS t ORDER BY 1")).toEqual(before);
});

test("two requests stand side by side, and one is copied as a command", async ({ signedIn, context }) => {
  await context.grantPermissions(["clipboard-read", "clipboard-write"]);
  const hollis = await signedIn("hollis");
  for (const code of ["MV-014", "MV-999"]) await hollis.goto(`/stations/${code}/edit`);
  const page = await signedIn("ines");
  await page.goto("/workbench/requests?text=%2Fedit");
  const ticks = page.getByRole("checkbox", { name: /^Select GET \/stations\/MV-(014|999)\/edit/ });
  await page.getByRole("checkbox", { name: "Select GET /stations/MV-999/edit" }).first().check();
  await page.getByRole("checkbox", { name: "Select GET /stations/MV-014/edit" }).first().check();
  expect(await ticks.count()).toBeGreaterThanOrEqual(2);
  await page.getByRole("link", { name: "Compare side by side" }).click();
  const compared = page.getByRole("region", { name: /^Side by side/ });
  await expect(compared.getByRole("row", { name: /^≠ Outcome/ })).toContainText("not found, 404");
  await expect(compared.getByRole("row", { name: /^≠ Outcome/ })).toContainText("shown, 200");
  await page.getByRole("button", { name: "Copy as curl" }).click();
  await expect(page.getByRole("status").filter({ hasText: "curl copied." })).toBeVisible();
  await page.getByRole("button", { name: "Show plan" }).first().click();
  await expect(page.getByRole("region", { name: /^Plan of/ }).first()).toContainText("station");
});

test("what is rehearsed is what the Sheet shows, and a rehearsal says of which text it was", async ({
  signedIn,
  vale,
}) => {
  const page = await signedIn("ines");
  const file = path.join(vale.pages, "region.page.yaml");
  const sound = await readFile(file, "utf8");
  await page.goto("/workbench/pages/region");
  await page.getByRole("tab", { name: "File", exact: true }).click();
  const editor = page.locator(".cm-content");
  await expect(editor).toContainText("title:");
  await editor.getByText("title:").first().click();
  await page.keyboard.press("Home");
  await page.keyboard.type("# typed at the last moment\n");
  // Faster than the draft is saved.
  await page.getByRole("link", { name: "Rehearsal", exact: true }).click();
  await page.getByRole("button", { name: "Run quick set" }).click();
  await expect(page.getByText(/Revision \d+ of the draft, run at/)).toBeVisible();
  const { text } = await page.evaluate(
    async () => (await fetch("/workbench/api/drafts/region/rehearsal")).json() as Promise<{ text: string }>,
  );
  expect(text).toContain("# typed at the last moment\ntitle:");
  await page.getByRole("link", { name: "Back to the Sheet" }).click();
  await page.getByRole("tab", { name: "File", exact: true }).click();
  await expect(editor).toContainText("# typed at the last moment");
  await editor.getByText("# typed at").click();
  await page.keyboard.press("End");
  await page.keyboard.type(" but one");
  await page.getByRole("link", { name: "Rehearsal", exact: true }).click();
  await expect(page.getByText("The page has been edited since this rehearsal: run it again.")).toBeVisible();
  await page.getByRole("link", { name: "Back to the Sheet" }).click();
  await page.getByRole("button", { name: "Discard draft" }).click();
  await expect(page.getByRole("status").filter({ hasText: "Published, no draft" })).toBeVisible();
  expect(await readFile(file, "utf8")).toBe(sound);
});
