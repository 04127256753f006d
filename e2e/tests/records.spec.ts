import type { Page } from "@playwright/test";
import { expect, test } from "../vale.js";

/** Whether the project runs the pages' script. */
const scripted = (): boolean => test.info().project.use.javaScriptEnabled !== false;

/** Chooses a record by searching, the way that there is: as one types, or by a button and a list. */
async function search(page: Page, label: string, text: string, option: string): Promise<void> {
  if (scripted()) {
    // Not the select whose place it takes: that one is hidden as soon as the page's script has run.
    const field = page.locator("input").and(page.getByRole("combobox", { name: label }));
    await field.fill(text);
    await page.getByRole("option", { name: option }).waitFor();
    await page.keyboard.press("ArrowDown");
    while (!(await page.getByRole("option", { name: option, selected: true }).count()))
      await page.keyboard.press("ArrowDown");
    await page.keyboard.press("Enter");
    await expect(field).toHaveValue(option);
    return;
  }
  await page.getByRole("searchbox", { name: `Find in ${label}` }).fill(text);
  await page.getByRole("button", { name: `Find (${label})` }).click();
  await expect(page.getByLabel(label, { exact: true })).toBeFocused();
  await page.getByLabel(label, { exact: true }).selectOption({ label: option });
}

test("a new visit is entered, shown, edited and taken out again, and the log holds all of it", async ({
  signedIn,
  vale,
}) => {
  const page = await signedIn("tamsin");
  await page.goto("/visits");
  await page.getByRole("link", { name: "New record" }).click();
  await page.getByLabel("Findings").fill("Typed before the station was found");
  await search(page, "Station", "stonecrop w", "MV-017, Stonecrop Weir");
  await expect(page.getByLabel("Findings")).toHaveValue("Typed before the station was found");
  await page.getByLabel("Visitor", { exact: true }).selectOption({ label: "Tamsin Okoro" });
  await page.getByLabel("Visited at").fill("2026-11-20T09:30");
  await page.getByLabel("Level read").fill("1.25");
  await page.getByRole("button", { name: "Add" }).click();
  await expect(page.getByRole("status").first()).toContainText("was added");
  // In November the page's zone, Europe/London, is at UTC; what was typed is told as it was typed all the same.
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("Visit to MV-017, 2026-11-20 09:30:00");
  await expect(page.getByRole("group", { name: "Visited at" })).toHaveText("2026-11-20 09:30:00");
  const id = new URL(page.url()).pathname.split("/").at(-1) ?? "";
  expect(await vale.row("SELECT station_code, level_read_m, findings FROM field.visit WHERE id = $1", [id])).toEqual({
    station_code: "MV-017",
    level_read_m: "1.250",
    findings: "Typed before the station was found",
  });

  await page.getByRole("link", { name: "Edit" }).click();
  await search(page, "Station", "MV-018", "MV-018, Ferryman's Weir");
  await page.getByRole("button", { name: "Update" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toContainText("Visit to MV-018");

  await page.getByRole("link", { name: "Delete" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toContainText("Delete Visit to MV-018");
  await expect(page.getByText("Its values stay in the change log.")).toBeVisible();
  await page.getByRole("link", { name: "Cancel" }).click();
  expect(await vale.rows("SELECT FROM field.visit WHERE id = $1", [id])).toHaveLength(1);
  await page.getByRole("link", { name: "Delete" }).click();
  await page.getByRole("button", { name: "Delete permanently" }).click();
  await expect(page).toHaveURL(/\/visits$/);
  await expect(page.getByRole("status")).toContainText("is deleted.");
  expect(await vale.rows("SELECT FROM field.visit WHERE id = $1", [id])).toHaveLength(0);
  const log = await vale.rows<{ operation: string }>(
    "SELECT operation FROM quill_log.change WHERE record_key = jsonb_build_object('id', $1::text) ORDER BY id",
    [id],
  );
  expect(log.map((each) => each.operation)).toEqual(["insert", "update", "delete"]);
});

test("the channels on offer are those of the chosen station", async ({ signedIn, vale }) => {
  const page = await signedIn("tamsin");
  const rows = await vale.rows<{ channel: number; kind: string }>(
    "SELECT channel, kind FROM network.sensor WHERE station_code = 'MV-003' ORDER BY 1",
  );
  await page.goto("/calibrations/new");
  await page.getByLabel("Station", { exact: true }).selectOption({ label: "MV-003, Millrace Bridge" });
  if (!scripted()) await page.getByRole("button", { name: "Show choices (Channel)" }).click();
  const offered = page.getByLabel("Channel", { exact: true }).locator("option");
  await expect(offered).toHaveText(["–", ...rows.map(({ channel, kind }) => `${channel}, ${kind}`)]);
  await page.getByLabel("Channel", { exact: true }).selectOption({ index: 1 });
  await page.getByLabel("Done by", { exact: true }).selectOption({ label: "Tamsin Okoro" });
  await page.getByLabel("Deviation").fill("2");
  await page.getByRole("button", { name: "Add" }).click();
  await expect(page.getByLabel("Deviation")).toHaveAccessibleDescription(/above 0\.9999/);
  await expect(page.getByLabel("Channel", { exact: true })).toHaveValue(String(rows[0]?.channel));
  await page.getByLabel("Deviation").fill("0.012");
  await page.getByRole("button", { name: "Add" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toContainText(
    `Calibration of MV-003, channel ${rows[0]?.channel}`,
  );
  await expect(page.getByText("staff gauge")).toBeVisible();
});

test("a station that others refer to can't be deleted, and says by what", async ({ signedIn }) => {
  const page = await signedIn("tamsin");
  await page.goto("/stations?q=planned");
  await page.getByRole("row").nth(1).getByRole("link").first().click();
  await page.getByRole("link", { name: "Delete" }).click();
  await expect(page.getByText(/Sensor: \d+, which keep it from being deleted\./)).toBeVisible();
  await expect(page.getByRole("button", { name: "Delete permanently" })).toHaveCount(0);
});

test("a loan is saved by the database's own function, and its refusal stands on the form", async ({
  signedIn,
  vale,
}) => {
  const page = await signedIn("tamsin");
  await page.goto("/loans/1018/edit");
  await page.getByLabel("Borrowed by").fill("");
  await page.getByLabel("Returned").selectOption({ label: "Yes" });
  await page.getByLabel("Deposit").fill("12");
  await page.getByRole("button", { name: "Update" }).click();
  await expect(page.getByRole("alert")).toContainText("A loan that came back needs the name of who had it.");
  await expect(page.getByLabel("Deposit")).toHaveValue("12");
  await page.getByLabel("Borrowed by").fill("Lotte  Haas");
  await page.getByRole("button", { name: "Update" }).click();
  await expect(page.getByRole("status")).toContainText("is saved");
  expect(
    await vale.row(
      'SELECT "BorrowedBy", "DepositAmount", "Returned" FROM legacy."InstrumentLoan" WHERE "LoanNo" = 1018',
    ),
  ).toEqual({
    BorrowedBy: "Lotte Haas",
    DepositAmount: "0.00",
    Returned: true,
  });
});

test("a hydrologist sees neither the way to a new station nor to a deletion", async ({ signedIn }) => {
  const page = await signedIn("hollis");
  await page.goto("/visits");
  await expect(page.getByRole("link", { name: "New record" })).toHaveCount(0);
  await page.goto("/visits/new");
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("You can’t make new records here");
});
