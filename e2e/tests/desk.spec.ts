import { readFile } from "node:fs/promises";
import { expect, test } from "../vale.js";

test("a table that changes under its page is told of, refuses what no longer fits, and is mended by the proposal", async ({
  signedIn,
  vale,
}) => {
  const page = await signedIn("ines");
  await page.goto("/workbench");
  const row = page.getByRole("row").filter({ has: page.getByRole("link", { name: "Visits", exact: true }) });
  const state = row.getByRole("cell").nth(2);
  await expect(state).toHaveText(/Served$/);
  await vale.rows("ALTER TABLE field.visit RENAME COLUMN findings TO what_was_found");
  try {
    // Within a minute, by itself.
    await expect(row).toContainText("Not served");
    await expect(row).toContainText("findings is called what_was_found now");
    await page.getByRole("link", { name: "Visits", exact: true }).click();
    const notice = page.getByRole("status").filter({ hasText: "Table changed since publishing" });
    await notice.getByRole("button").click();
    await page.getByRole("button", { name: "Write what_was_found everywhere" }).click();
    await expect(page.frameLocator("iframe").getByLabel("What was found")).toBeVisible();
    await page.getByRole("button", { name: "Publish…" }).click();
    await page.getByRole("button", { name: "Publish now" }).click();
    await expect(notice).toHaveCount(0);
    await page.getByRole("link", { name: "Pages" }).click();
    await expect(state).toHaveText(/Served$/);
  } finally {
    await vale.rows("ALTER TABLE field.visit RENAME COLUMN what_was_found TO findings");
  }
  await page.goto("/workbench/pages/visit");
  await page.getByRole("tab", { name: "Versions", exact: true }).click();
  await page.getByRole("button", { name: "Restore as draft" }).last().click();
  await expect(page.frameLocator("iframe").getByLabel("Findings")).toBeVisible();
  await page.getByRole("button", { name: "Publish…" }).click();
  await page.getByRole("button", { name: "Publish now" }).click();
  await expect(page.getByRole("status").filter({ hasText: "Published, no draft" })).toBeVisible();
});

test("the palette reaches places, pages, tables and people by a part of their names", async ({ signedIn }) => {
  const page = await signedIn("ines");
  await page.goto("/workbench");
  // Keys are heard from the moment that the workbench stands.
  await expect(page.getByRole("heading", { level: 1 })).toBeVisible();
  const go = async (words: string): Promise<void> => {
    await page.keyboard.press("Control+k");
    await page.getByRole("textbox", { name: "Search commands" }).waitFor();
    await page.keyboard.type(words);
    await page.getByRole("menuitem").first().waitFor();
    await page.keyboard.press("Enter");
  };
  await go("sensors");
  await expect(page).toHaveURL(/\/workbench\/pages\/sensor$/);
  await go("table person");
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("office.person");
  await go("tamsin");
  await expect(page).toHaveURL(/\/workbench\/people\?person=/);
  await expect(page.getByRole("heading", { name: "Access of Tamsin Okoro" })).toBeVisible();
  await page.keyboard.press("Control+k");
  await page.keyboard.type("nothing is called so");
  await expect(page.getByText("No matches")).toBeVisible();
  await page.keyboard.press("Escape");
  await expect(page.getByRole("dialog")).toHaveCount(0);
});

test("a page is tried through the eyes of a person, and a switched-off account is told of", async ({ signedIn }) => {
  const page = await signedIn("ines");
  await page.goto("/workbench/people");
  await page.getByRole("button", { name: /Piers/ }).click();
  await expect(page.getByText("This account is disabled")).toBeVisible();
  await page.getByRole("button", { name: /Hollis Brandt/ }).click();
  const row = page.getByRole("region", { name: "Access" }).getByRole("row", { name: /Stations/ });
  await expect(row).toContainText("Can open");
  await row.getByRole("link", { name: "View as this person" }).click();
  const seenBy = page.getByRole("combobox", { name: "View as" });
  await expect(seenBy.getByRole("option", { selected: true })).toContainText("Hollis Brandt");
});

test("a page file is taken in as a draft, and a table without a row is built over with the form of a new record", async ({
  signedIn,
}) => {
  const page = await signedIn("ines");
  await page.goto("/workbench/at/archive");
  await page.locator("input[type=file]").setInputFiles({
    name: "notes.page.yaml",
    mimeType: "text/yaml",
    buffer: Buffer.from(
      'format: loyal-quill/page@1\ntitle: "Note {id}"\npath: /notes/{id}\nrecord: { table: field.reading_note, key: id }\nfields: [station_code, noted_at, note]\n',
    ),
  });
  await expect(page).toHaveURL(/\/workbench\/at\/archive\/pages\/notes$/);
  await expect(page.getByText("The table is empty")).toBeVisible();
  await expect(page.frameLocator("iframe").getByLabel("Noted at")).toBeVisible();
  await page.getByRole("button", { name: "Edit note", exact: true }).click();
  await page.getByRole("group", { name: "Settings of note" }).getByLabel("Label").fill("What was noted");
  await expect(page.frameLocator("iframe").getByLabel("What was noted")).toBeVisible();
  // A draft of which nothing else is left goes after a question only.
  await page.getByRole("button", { name: "Discard draft…" }).click();
  await page.getByRole("alertdialog").getByRole("button", { name: "Cancel" }).click();
  await expect(page.frameLocator("iframe").getByLabel("What was noted")).toBeVisible();
  await page.getByRole("button", { name: "Discard draft…" }).click();
  await page.getByRole("alertdialog").getByRole("button", { name: "Discard draft" }).click();
  await expect(page).toHaveURL(/\/workbench\/at\/archive\/?$/);
  await expect(page.getByText("Notes").first()).toBeHidden();
});

test("a draft's first view says that it is looking for records, and never that there are none where there are some", async ({
  signedIn,
}) => {
  const page = await signedIn("ines");
  await page.addInitScript(() => {
    new MutationObserver(() => {
      if (document.body?.textContent?.includes("No records yet")) Object.assign(window, { wasSaid: true });
    }).observe(document, { childList: true, subtree: true, characterData: true });
  });
  await page.route(/\/workbench\/api\/pages\/[^/]+\/(?:first|records)/, async (route) => {
    await new Promise((resolve) => setTimeout(resolve, 1500));
    await route.continue();
  });
  await page.goto("/workbench/database");
  const row = page.getByRole("row").filter({ hasText: "office.person" });
  await row.getByRole("button", { name: "Create draft for office.person" }).click();
  await expect(page.frameLocator("iframe").getByLabel("Name")).toBeVisible();
  expect(await page.evaluate(() => "wasSaid" in window)).toBe(false);
  await page.getByRole("button", { name: "Discard draft" }).click();
});

test("a file for a page that has a draft is held against it, and takes its place where that is asked for; undo has it back", async ({
  signedIn,
}) => {
  const page = await signedIn("ines");
  const choose = (text: string) =>
    page
      .locator("input[type=file]")
      .first()
      .setInputFiles({ name: "region.page.yaml", mimeType: "text/yaml", buffer: Buffer.from(text) });
  const served = await readFile(new URL("../../demo/pages/region.page.yaml", import.meta.url), "utf8");
  const [mine, theirs] = [
    served.replace(/^title: .*$/m, 'title: "Mine {name}"'),
    served.replace(/^title: .*$/m, 'title: "Theirs {name}"'),
  ];
  const over = page.getByRole("region", { name: "Import", exact: true });
  await page.goto("/workbench/");
  // What is served already makes no draft that differs in nothing.
  await choose(served);
  await expect(over).toContainText("The page region is served with the same text. Nothing was imported.");
  await choose(mine);
  await expect(page).toHaveURL(/\/pages\/region$/);
  await expect(page.getByRole("status").filter({ hasText: "Draft" })).toBeVisible();
  await page.goto("/workbench/");
  await choose(mine);
  await expect(over).toContainText("The draft of region has the same text. Nothing was imported.");
  await choose(theirs);
  await expect(over.getByRole("region", { name: "What the import would change" })).toHaveText(
    /− title: "Mine \{name\}"\s*\+ title: "Theirs \{name\}"/,
  );
  await over.getByRole("button", { name: "Cancel" }).click();
  await expect(over).toBeHidden();
  await choose(theirs);
  await over.getByRole("button", { name: "Replace draft" }).click();
  await expect(page).toHaveURL(/\/pages\/region/);
  const frame = page.frameLocator("iframe");
  await expect(frame.getByRole("heading", { level: 1 })).toContainText("Theirs");
  const saved = page.waitForResponse((response) => {
    const request = response.request();
    return request.method() === "PUT" && (request.postDataJSON() as { text: string }).text === mine;
  });
  await page.getByRole("button", { name: "Undo" }).click();
  await expect(frame.getByRole("heading", { level: 1 })).toContainText("Mine");
  await saved;
  // Once only, whatever is gone back to.
  await page.reload();
  await expect(frame.getByRole("heading", { level: 1 })).toContainText("Mine");
  // What somebody does meanwhile with the draft is seen beside the file.
  const other = await page.context().newPage();
  await other.goto("/workbench/pages/region");
  await page.goto("/workbench/");
  await choose(theirs);
  await expect(over).toContainText("has a draft, last changed by");
  await other.getByRole("button", { name: "Discard draft" }).click();
  await expect(over).toContainText("has no draft any more");
  await expect(over.getByRole("button", { name: "Import as draft" })).toBeVisible();
  await other.close();
});

test("a file that can be no page file is told by its name, and nothing is taken in", async ({ signedIn }) => {
  const page = await signedIn("ines");
  const told = page.getByRole("alert");
  const file = (name: string, text: string | Buffer) => ({
    name,
    mimeType: "text/yaml",
    buffer: Buffer.from(text as string),
  });
  const choose = (...files: ReturnType<typeof file>[]) => page.locator("input[type=file]").first().setInputFiles(files);
  await page.goto("/workbench/");
  await choose(file("weir.png", Buffer.from([137, 80, 78, 71, 13, 10, 26, 10, 0, 0])));
  await expect(told).toHaveText("✕ weir.png is not a text file.");
  await choose(file("notes.page.yaml", `# ${"x".repeat(800_000)}`));
  await expect(told).toHaveText("✕ notes.page.yaml is too large: at most 256 KiB are taken.");
  await choose(file("gauge houses.page.yaml", "title: x"));
  await expect(told).toContainText("“gauge houses” has others.");
  /** Files that are dropped at a place, as from the desktop. */
  const drop = async (at: string, ...names: readonly string[]) =>
    page.locator(at).evaluate((place, dropped) => {
      const dataTransfer = new DataTransfer();
      for (const name of dropped) dataTransfer.items.add(new File(["title: dropped"], name));
      for (const type of ["dragover", "drop"])
        place.dispatchEvent(new DragEvent(type, { bubbles: true, cancelable: true, dataTransfer }));
    }, names);
  await drop("main", "one.page.yaml", "two.page.yaml");
  await expect(told).toHaveText("✕ Only one file can be taken at a time: these are 2.");
  await expect(page).toHaveURL(/\/workbench\/$/);
  await page.goto("/workbench/import-form");
  await page.getByLabel("Choose page", { exact: true }).setInputFiles([file("form.html", "<form>\0")]);
  await expect(told).toHaveText("✕ form.html is not a text file.");

  await page.goto("/workbench/pages/river");
  await page.getByRole("tab", { name: "File" }).click();
  const text = page.locator(".cm-content");
  await drop(".cm-content", "one.page.yaml", "two.page.yaml");
  await expect(told.filter({ hasText: "Only one file" })).toBeVisible();
  await expect(text).toContainText("plural: Rivers");
  // What is pasted may be too long, too.
  await text.evaluate((place) => {
    const clipboardData = new DataTransfer();
    clipboardData.setData("text/plain", `# ${"x".repeat(300_000)}`);
    place.dispatchEvent(new ClipboardEvent("paste", { bubbles: true, cancelable: true, clipboardData }));
  });
  await expect(told.filter({ hasText: "Not saved" })).toHaveText("✕ Not saved: A page file holds at most 256 KiB.");
  await drop(".cm-content", "one.page.yaml");
  await expect(text).toHaveText("title: dropped");
  await expect(told.filter({ hasText: "Not saved" })).toHaveCount(0);
  await page.getByRole("button", { name: "Discard draft" }).click();
  await expect(page.getByRole("status").filter({ hasText: "Published, no draft" })).toBeVisible();
});
