import { expect, test } from "../vale.js";
import { violations } from "../violations.js";

const record = `/workbench/changes/record?${new URLSearchParams({ table: "network.station", key: '{"code":"MV-021"}' })}`;

/** Saves fields of MV-021 as Tamsin, by its page. */
async function save(page: import("@playwright/test").Page, fields: Readonly<Record<string, string>>): Promise<void> {
  await page.goto("/stations/MV-021/edit");
  for (const [label, value] of Object.entries(fields)) await page.getByLabel(label, { exact: true }).fill(value);
  await page.getByRole("button", { name: "Update" }).click();
  await page.waitForURL(/\/stations(\?|$)/);
}

test("a record is seen at two moments, side by side, and a field over time", async ({ signedIn }) => {
  const page = await signedIn("tamsin");
  await save(page, { Notes: "First of two." });
  await save(page, { Notes: "Second of two." });
  await page.goto("/workbench/changes");
  await page.getByRole("link", { name: "MV-021" }).first().click();
  await expect(page.getByRole("heading", { level: 1 })).toContainText("MV-021");
  const beside = page.locator("section").filter({ has: page.getByRole("heading", { name: "At two moments" }) });
  const notes = beside.getByRole("row", { name: /^Notes/ });
  await expect(notes).toContainText("First of two.");
  await expect(notes).toContainText("Second of two.");
  await beside.getByRole("button", { name: "Only what differs" }).click();
  await expect(beside.getByRole("row")).toHaveCount(2);
  await beside.getByLabel("First", { exact: true }).selectOption("0");
  await expect(page).toHaveURL(/then=0/);
  // A moment can be told as well: long ago, before the first entry.
  await beside.getByLabel("as of").first().fill("2020-01-01T00:00");
  await expect(page).toHaveURL(/then=0/);
  await page
    .locator("section")
    .filter({ has: page.getByRole("heading", { name: "A field over time" }) })
    .getByLabel("Field", { exact: true })
    .selectOption({ label: "Notes" });
  await expect(page.getByRole("region", { name: "A field over time" })).toContainText("First of two.");
});

test("changes are put back: one, with what others changed since told and left; and a put back again", async ({
  signedIn,
  vale,
}) => {
  const page = await signedIn("tamsin");
  await save(page, { "Station name": "Oxbow One", Notes: "Of the morning." });
  await save(page, { Notes: "Of the evening." });
  const [evening, morning] = await vale.rows<{ id: string }>(
    `SELECT id FROM quill_log.change WHERE record_key = '{"code":"MV-021"}' AND table_name = 'network.station' ORDER BY id DESC LIMIT 2`,
  );
  await page.goto(record);
  const entry = page.getByRole("listitem").filter({ hasText: `entry ${morning?.id}` });
  await entry.getByRole("button", { name: "Put back…" }).click();
  const dialog = page.getByRole("alertdialog", { name: "Put changes back" });
  await expect(dialog).toContainText("others changed it since, so it stays");
  await dialog.getByRole("button", { name: /^Restore/ }).click();
  await expect(dialog).toContainText("1 of 1 records put back.");
  await dialog.getByRole("button", { name: "Close" }).click();
  const stored = await vale.row<{ name: string; notes: string }>(
    "SELECT name, notes FROM network.station WHERE code = 'MV-021'",
  );
  expect(stored.name).not.toBe("Oxbow One");
  expect(stored.notes).toBe("Of the evening.");
  const undo = await vale.row<{ id: string; undoes: string[]; actor_name: string }>(
    "SELECT id, undoes::text[] AS undoes, actor_name FROM quill_log.change ORDER BY id DESC LIMIT 1",
  );
  expect(undo).toMatchObject({ undoes: [String(morning?.id)], actor_name: "Tamsin Okoro" });
  // Undo of the undo.
  await page
    .getByRole("listitem")
    .filter({ hasText: `entry ${undo.id}` })
    .getByRole("button", { name: "Put back…" })
    .click();
  await dialog.getByRole("button", { name: /^Restore/ }).click();
  await expect(dialog).toContainText("1 of 1 records put back.");
  await dialog.getByRole("button", { name: "Close" }).click();
  expect((await vale.row<{ name: string }>("SELECT name FROM network.station WHERE code = 'MV-021'")).name).toBe(
    "Oxbow One",
  );
  expect(evening).toBeDefined();
  await expect(page.getByRole("listitem").filter({ hasText: `puts back ${undo.id}` })).toBeVisible();
});

test("all that a person changed in a span is put back; what the page refuses is told", async ({ signedIn, vale }) => {
  const page = await signedIn("tamsin");
  const { at } = await vale.row<{ at: string }>(
    "SELECT to_char(now() AT TIME ZONE 'UTC', 'YYYY-MM-DD\"T\"HH24:MI:SS.MS\"Z\"') AS at",
  );
  const before = await vale.row(
    "SELECT notes, alert_m::text, warning_m::text FROM network.station WHERE code = 'MV-021'",
  );
  await save(page, { Notes: "Of the span." });
  await save(page, { "Alert level": "0.50", "Warning level": "7.00" });
  const person = (
    await vale.row<{ id: string }>("SELECT actor_id AS id FROM quill_log.change AS c ORDER BY c.id DESC LIMIT 1")
  ).id;
  await page.goto(`/workbench/changes?${new URLSearchParams({ person, from: at })}`);
  await page.getByRole("button", { name: "Put back all of these changes by Tamsin Okoro…" }).click();
  const dialog = page.getByRole("alertdialog", { name: "Put changes back" });
  await expect(dialog.getByRole("listitem")).toHaveCount(1);
  await dialog.getByRole("button", { name: /^Restore/ }).click();
  await expect(dialog).toContainText("1 of 1 records put back.");
  expect(
    await vale.row("SELECT notes, alert_m::text, warning_m::text FROM network.station WHERE code = 'MV-021'"),
  ).toEqual(before);
  await dialog.getByRole("button", { name: "Close" }).click();
  // A value that the page refuses now: of the two levels only one is put back, and would lie above the other.
  await save(page, { "Alert level": "8.00", "Warning level": "9.00" });
  const { id } = await vale.row<{ id: string }>("SELECT id FROM quill_log.change ORDER BY id DESC LIMIT 1");
  await page.goto(record);
  const entry = page.getByRole("listitem").filter({ hasText: `entry ${id}` });
  await entry.getByRole("button", { name: "only warning_m…" }).click();
  await dialog.getByRole("button", { name: /^Restore/ }).click();
  await expect(dialog).toContainText("The warning level must lie above the alert level.");
  await dialog.getByRole("button", { name: "Close" }).click();
  await entry.getByRole("button", { name: "Put back…" }).click();
  await dialog.getByRole("button", { name: /^Restore/ }).click();
  await expect(dialog).toContainText("1 of 1 records put back.");
});

test("moments are told in the zone that one chooses, and go on being; putting back is offered to who can", async ({
  signedIn,
  vale,
}) => {
  const page = await signedIn("tamsin");
  await save(page, { Notes: "At a certain moment." });
  const { id, at } = await vale.row<{ id: string; at: string }>(
    `SELECT id, to_char(at AT TIME ZONE 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS.MS"Z"') AS at FROM quill_log.change ORDER BY change.id DESC LIMIT 1`,
  );
  const timeIn = (timeZone: string): string =>
    new Intl.DateTimeFormat("en-GB", { timeStyle: "medium", timeZone }).format(new Date(at));
  await page.goto("/workbench/changes?page=station");
  const row = page.locator(`#change-${id}`);
  await page.getByLabel("Time zone").selectOption("UTC");
  await expect(page.getByRole("columnheader", { name: "When (UTC)" })).toBeVisible();
  await expect(row).toContainText(timeIn("UTC"));
  // The zone of the served pages is offered, beside the browser's and UTC.
  const zones = await page
    .getByLabel("Time zone")
    .locator("option")
    .evaluateAll((all) => all.map((each) => (each as HTMLOptionElement).value));
  expect(zones).toContain("Europe/London");
  // One that is chosen holds at the next place, and after loading anew; what is typed is of the same zone.
  await page.evaluate(() => localStorage.setItem("quill-zone", "Asia/Kolkata"));
  await page.goto("/workbench/changes?from=2026-11-01T00:00:00.000Z");
  await expect(page.getByLabel("From")).toHaveValue("2026-11-01T05:30");
  await expect(row).toContainText(timeIn("Asia/Kolkata"));
  await row.getByRole("link").click();
  await expect(page.getByRole("button", { name: `Put back… entry ${id}` })).toBeVisible();
  const builder = await signedIn("ines");
  await builder.goto(record);
  await expect(
    builder.getByText("You can’t put these back: no page that you can open edits this record."),
  ).toBeVisible();
  await expect(builder.getByRole("button", { name: /^Put back/ })).toHaveCount(0);
});

test("the log is verified, and what somebody did to it is found; a change past the pages is told as such", async ({
  signedIn,
  vale,
}) => {
  const page = await signedIn("silas");
  await page.goto("/workbench/changes/verification");
  await expect(page.getByText("Never verified here")).toBeVisible();
  await page.getByRole("button", { name: "Verify now" }).click();
  await expect(page.getByText("nothing is wrong with the log")).toBeVisible();
  const { id, fields } = await vale.row<{ id: string; fields: unknown }>(
    "SELECT id, fields FROM quill_log.change WHERE page = 'station' ORDER BY id LIMIT 1",
  );
  await vale.rows(`UPDATE quill_log.change SET fields = '[{"field":"notes","old":"a","new":"b"}]' WHERE id = $1`, [id]);
  await page.getByRole("button", { name: "Verify now" }).click();
  await expect(page.getByRole("row", { name: `entry ${id}` })).toContainText(
    "an entry is not what it was when it was written",
  );
  await vale.rows("UPDATE quill_log.change SET fields = $2 WHERE id = $1", [id, JSON.stringify(fields)]);
  await page.goto("/workbench/changes?way=behind");
  await expect(page.getByRole("row", { name: /number-plan/ })).toContainText("not by a page");
});

test("axe finds nothing on the places of the change log, nor on what is asked before something is put back", async ({
  signedIn,
}) => {
  const page = await signedIn("tamsin");
  await page.goto("/workbench/changes");
  await page.getByRole("table").waitFor();
  expect(await violations(page)).toEqual([]);
  await page
    .getByRole("checkbox", { name: /^Select entry/ })
    .nth(2)
    .check();
  await page.getByRole("button", { name: "Put back…" }).click();
  await page.getByText("Each record is saved through its page").waitFor();
  expect(await violations(page)).toEqual([]);
  await page.keyboard.press("Escape");
  await page.goto(record);
  await page.getByRole("heading", { name: "A field over time" }).waitFor();
  expect(await violations(page)).toEqual([]);
  await page.goto("/workbench/changes/verification");
  await page.getByRole("button", { name: "Verify now" }).waitFor();
  expect(await violations(page)).toEqual([]);
});
