import { expect, test } from "../vale.js";

interface Station {
  [name: string]: string | null;
}

const stationRow = `SELECT code, name, river_id::text, region_id::text, grid_reference, status::text, alert_m::text, warning_m::text,
  telemetry::text, installed_on::text, notes, xmin::text AS version FROM network.station WHERE code = $1`;

const rest = (row: Station): Station => ({ ...row, warning_m: "", version: "" });

test("from the list to one logged change: a warning level is corrected", async ({ signedIn, vale }, info) => {
  const before = await vale.row<Station>(stationRow, ["MV-014"]);
  const entries = await vale.row<{ count: string }>("SELECT count(*) FROM quill_log.change");
  const level = (Number(before.warning_m) + 0.11).toFixed(2);
  const page = await signedIn("hollis");

  await page.getByRole("link", { name: "Stations" }).click();
  const line = page.getByRole("row").filter({ hasText: "MV-014" });
  await line.getByRole("link", { name: "Edit MV-014" }).click();

  await expect(page).toHaveURL(/\/stations\/MV-014\/edit$/);
  await expect(page).toHaveTitle(`Station MV-014, ${before.name} · Marrow Vale gauge network`);
  await expect(page.getByRole("heading", { level: 1 })).toHaveText(`Station MV-014, ${before.name}`);
  await expect(page.getByLabel("Station name")).toHaveValue(before.name ?? "");
  await expect(page.getByLabel("River")).toHaveValue(before.river_id ?? "");
  await expect(page.getByLabel("Region")).toHaveValue(before.region_id ?? "");
  await expect(page.getByLabel("Grid reference")).toHaveValue(before.grid_reference ?? "");
  await expect(page.getByLabel("Status")).toHaveValue(before.status ?? "");
  await expect(page.getByLabel("Alert level")).toHaveValue(before.alert_m ?? "");
  await expect(page.getByLabel("Warning level")).toHaveValue(before.warning_m ?? "");
  await expect(page.getByLabel("Reports by telemetry")).toBeChecked({ checked: before.telemetry === "true" });
  await expect(page.getByLabel("Installed on")).toHaveValue(before.installed_on ?? "");
  await expect(page.getByLabel("Notes")).toHaveValue(before.notes ?? "");

  await page.getByLabel("Warning level").fill(level);
  const answer = page.waitForResponse(
    (response) => response.request().method() === "POST" && response.url().endsWith("/edit"),
  );
  await page.getByRole("button", { name: "Update" }).click();
  expect((await answer).status()).toBe(info.project.name === "with scripts" ? 200 : 303);

  await expect(page).toHaveURL(/\/stations$/);
  await expect(page.getByRole("status")).toContainText(`MV-014, ${before.name}, is saved.`);
  await expect(page.getByRole("row").filter({ hasText: "MV-014" })).toContainText(level);
  await page.reload();
  await expect(page.getByRole("status")).toHaveCount(0);

  const after = await vale.row<Station>(stationRow, ["MV-014"]);
  expect(after.warning_m).toBe(level);
  expect(rest(after)).toEqual(rest(before));
  const touched = await vale.row<{ count: string }>("SELECT count(*) FROM network.station WHERE xmin::text = $1", [
    after.version,
  ]);
  expect(touched.count).toBe("1");
  const now = await vale.row<{ count: string }>("SELECT count(*) FROM quill_log.change");
  expect(Number(now.count)).toBe(Number(entries.count) + 1);
  const entry = await vale.row(
    "SELECT actor_name, page, record_key, fields FROM quill_log.change ORDER BY id DESC LIMIT 1",
  );
  expect(entry).toEqual({
    actor_name: "Hollis Brandt",
    page: "station",
    record_key: { code: "MV-014" },
    fields: [{ field: "warning_m", old: before.warning_m, new: level }],
  });
});

test("a form that is sent untouched writes nothing and says so", async ({ signedIn, vale }) => {
  await vale.rows(
    "UPDATE network.station SET notes = E'\\n\\n  <b>Leading</b> lines & \"quotes\"\\r\\nkept  \\n' WHERE code = 'MV-015'",
  );
  const before = await vale.row<Station>(stationRow, ["MV-015"]);
  const page = await signedIn("hollis");
  await page.goto("/stations/MV-015/edit");
  await expect(page.getByLabel("Notes")).toHaveValue('\n\n  <b>Leading</b> lines & "quotes"\nkept  \n');
  await page.getByRole("button", { name: "Update" }).click();
  await expect(page.getByRole("status")).toHaveText(`Nothing was changed in Station MV-015, ${before.name}.`);
  expect(await vale.row(stationRow, ["MV-015"])).toEqual(before);
});

test("every control of a sensor with a composite key can be changed", async ({ signedIn, vale }) => {
  await vale.rows(`UPDATE network.sensor SET kind = 'level', offset_m = 0.0120, calibrated_at = '2026-07-01 09:30:00+00', in_service = true
    WHERE station_code = 'MV-003' AND channel = 2`);
  const page = await signedIn("tamsin");
  await page.goto("/sensors/MV-003/2/edit");
  await expect(page.getByLabel("Calibrated")).toHaveValue(/^2026-07-01T10:30(:00)?$/);
  await expect(page.getByLabel("Offset")).toHaveValue("0.0120");
  await page.getByLabel("Kind").selectOption("rainfall");
  await page.getByLabel("Offset").fill("-0.5");
  await page.getByLabel("Calibrated").fill("2026-07-02T08:15:30");
  await page.getByLabel("In service").uncheck();
  await page.getByLabel("Remarks").fill("First line\nsecond line");
  await page.locator("[name='quill.reason']").fill("Moved indoors for its repair");
  await page.getByRole("button", { name: "Update" }).click();
  await expect(page.getByRole("status")).toContainText("Sensor MV-003, channel 2 is saved.");
  const row = await vale.row(
    "SELECT kind::text, offset_m::text, calibrated_at::text, in_service, remarks FROM network.sensor WHERE station_code = 'MV-003' AND channel = 2",
  );
  expect(row).toEqual({
    kind: "rainfall",
    offset_m: "-0.5000",
    calibrated_at: "2026-07-02 07:15:30+00",
    in_service: false,
    remarks: "First line\nsecond line",
  });
  const entry = await vale.row<{ fields: { field: string }[] }>(
    "SELECT fields FROM quill_log.change ORDER BY id DESC LIMIT 1",
  );
  expect(entry.fields.map((change) => change.field).sort()).toEqual([
    "calibrated_at",
    "in_service",
    "kind",
    "offset_m",
    "remarks",
  ]);
});

test("a list can be searched and is cut into parts", async ({ signedIn }) => {
  const page = await signedIn("tamsin");
  await page.goto("/sensors");
  await expect(page.getByRole("row")).toHaveCount(51);
  await expect(page.getByText("140 records")).toBeVisible();
  const first = await page.getByRole("row").nth(1).textContent();
  const parts = page.getByRole("navigation", { name: "Parts of the list" });
  await parts.getByRole("link", { name: "Next" }).click();
  await expect(page.getByRole("row").nth(1)).not.toHaveText(first ?? "");
  await parts.getByRole("link", { name: "Last" }).click();
  await expect(parts.getByRole("link", { name: "Next" })).toHaveCount(0);
  await parts.getByRole("link", { name: "Previous" }).click();
  await parts.getByRole("link", { name: "First" }).click();
  await expect(page.getByRole("row").nth(1)).toHaveText(first ?? "");
  await page.getByLabel("Contains").fill("MV-048");
  await page.getByRole("button", { name: "Find" }).click();
  await expect(page.getByRole("row")).toHaveCount(4);
  await page.getByLabel("Contains").fill("no such thing");
  await page.getByRole("button", { name: "Find" }).click();
  await expect(page.getByText("Nothing here contains “no such thing”.")).toBeVisible();
});

test("a list is sorted by a heading, and a key leads to its record", async ({ signedIn }) => {
  const page = await signedIn("tamsin");
  await page.goto("/stations");
  const heading = page.getByRole("columnheader", { name: "Alert level" });
  await heading.getByRole("link").click();
  await expect(heading).toHaveAttribute("aria-sort", "ascending");
  const levels = async (): Promise<number[]> =>
    (await page.getByRole("row").locator('td[data-label="Alert level"]').allTextContents()).map(Number);
  const up = await levels();
  expect(up).toEqual(up.toSorted((a, b) => a - b));
  await heading.getByRole("link").click();
  await expect(heading).toHaveAttribute("aria-sort", "descending");
  expect(await levels()).toEqual(up.toReversed());
  // A list of one part needs no other way to a record; a longer one has it.
  await expect(page.getByRole("form", { name: "Go to" })).toHaveCount(0);
  await page.goto("/sensors");
  const go = page.getByRole("form", { name: "Go to" });
  await go.getByLabel("Station").fill("MV-777");
  await go.getByLabel("Channel").fill("1");
  await go.getByRole("button", { name: "Go to" }).click();
  await expect(page.getByRole("alert")).toHaveText("No record “MV-777 / 1”, or no access to it.");
  await expect(go.getByLabel("Station")).toHaveValue("MV-777");
  await go.getByLabel("Station").fill("MV-003");
  await go.getByLabel("Channel").fill(" 02");
  await go.getByRole("button", { name: "Go to" }).click();
  await expect(page).toHaveURL(/\/sensors\/MV-003\/2\/edit#field-\d$/);
  await expect(page.locator(":focus")).toHaveAttribute("name", "kind");
});

test("on a narrow screen each row of a list is a block with its way in, and nothing is off the screen", async ({
  signedIn,
}) => {
  const page = await signedIn("tamsin");
  await page.setViewportSize({ width: 320, height: 640 });
  await page.goto("/stations");
  const [row] = await page.getByRole("row").filter({ hasText: "MV-014" }).all();
  const edit = row?.getByRole("link", { name: /Edit/ });
  const box = await edit?.boundingBox();
  expect((box?.x ?? 999) + (box?.width ?? 999)).toBeLessThan(320);
  expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(320);
  await expect(page.getByRole("table")).toBeVisible();
  await expect(page.getByRole("columnheader", { name: "Alert level" })).toHaveCount(1);
});
