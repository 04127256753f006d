import type { Page } from "@playwright/test";
import { freePort } from "loyal-quill";
import { copyOf } from "../example.js";
import { expect, test } from "../vale.js";
import { violations } from "../violations.js";

/** The applications in `examples/`, each in a process of its own over the same Marrow Vale: with scripts and without. */

/** Axe is a script itself: it looks at the same pages where scripts run. */
async function accessible(page: Page, hasScripts = true): Promise<void> {
  if (hasScripts) expect(await violations(page)).toEqual([]);
}

test("thirty lines serve the demo's pages, and save", async ({ page, vale, example, javaScriptEnabled }) => {
  const { address, stop } = await example("one-page");
  await page.goto(address);
  await expect(page).toHaveURL(`${address}/records/stations`);
  await page.goto(`${address}/records/stations/MV-021/edit`);
  await page.getByLabel("Notes").fill("By thirty lines.");
  await page.getByRole("button", { name: "Update" }).click();
  await expect(page.getByRole("status").first()).toContainText("is saved");
  expect(await vale.row("SELECT notes FROM network.station WHERE code = 'MV-021'")).toEqual({
    notes: "By thirty lines.",
  });
  await accessible(page, javaScriptEnabled);
  expect(await stop()).toBe(0);
});

test.describe("an application of its own", () => {
  const station = "/records/stations/MV-022/edit";

  test("has its sign-in, layout, form, rule, control and steps around a save", async ({
    page,
    vale,
    example,
    javaScriptEnabled,
  }) => {
    const port = String(await freePort());
    const more = {
      PORT: port,
      MAP_URL: `http://127.0.0.1:${port}/hooks/map`,
      MAP_SECRET: "a secret of this test, which is long enough",
    };
    const { address, errors } = await example("own-application", more);
    const said: string[] = [];
    page.on("console", (message) => {
      if (message.type() === "error") said.push(message.text());
    });
    await vale.rows(
      "UPDATE network.station SET status = 'planned', installed_on = NULL, grid_reference = 'MV 222 222' WHERE code = 'MV-022'",
    );
    const level = async (): Promise<{ warning: string; name: string; installed: string | null; place: string }> =>
      vale.row(
        "SELECT warning_m::text AS warning, name, installed_on::text AS installed, grid_reference AS place FROM network.station WHERE code = 'MV-022'",
      );
    const before = await level();

    // Their own sign-in, and back to where one was going.
    await page.goto(address + station);
    await expect(page.getByRole("heading", { name: "Sign in" })).toBeVisible();
    await page.getByLabel("Who are you?").selectOption("Tamsin Okoro");
    await page.getByRole("button", { name: "Sign in" }).click();
    await expect(page).toHaveURL(address + station);

    // Their own navigation, and their own template: two groups that no page file has.
    await expect(
      page.getByRole("navigation", { name: "Records" }).getByRole("link", { name: "Stations" }),
    ).toHaveAttribute("aria-current", "page");
    await expect(page.getByRole("group", { name: "The levels" }).getByLabel("Warning level")).toHaveValue(
      before.warning,
    );
    await expect(page.getByLabel("Grid reference")).toHaveValue("222 222");
    await accessible(page, javaScriptEnabled);

    // Their own rule, at the field.
    await page.getByLabel("Grid reference").fill("22 222");
    await page.getByRole("button", { name: "Update" }).click();
    await expect(page.getByText("Write a grid reference as two groups of three digits").first()).toBeVisible();
    await accessible(page, javaScriptEnabled);

    // Their own check, which asks another system: beside what they typed.
    await page.getByLabel("Grid reference").fill("223 224");
    await page.getByLabel("Station name").fill("Old Sluice");
    await page.getByLabel("Status").selectOption("live");
    await page.getByLabel("Warning level").fill("7.77");
    await page.getByRole("button", { name: "Update" }).click();
    await expect(page.getByText("The register of names has “Old Sluice” for MV-090.").first()).toBeVisible();
    await expect(page.getByLabel("Warning level")).toHaveValue("7.77");
    expect(await level()).toEqual(before);
    expect(await vale.rows("SELECT FROM yard.errand WHERE station = 'MV-022'")).toEqual([]);

    // One that takes too long saves nothing either.
    await page.getByLabel("Station name").fill("Slow Sluice");
    await page.getByRole("button", { name: "Update" }).click();
    await expect(page.getByText("A custom step failed").first()).toBeVisible();
    expect(await level()).toEqual(before);
    expect(errors()).toContain("check of station.page.ts failed: it took longer than 2000 ms");

    // Then all of it: the record, the value that a step adds, the errand in the same transaction, and what the map is told.
    await page.getByLabel("Station name").fill("New Sluice");
    const today = () => new Date().toISOString().slice(0, 10);
    const days = [today()];
    await page.getByRole("button", { name: "Update" }).click();
    await expect(page.getByRole("status").first()).toContainText("New Sluice is saved");
    days.push(today());
    const { installed, ...saved } = await level();
    expect(saved).toEqual({ warning: "7.77", name: "New Sluice", place: "MV 223 224" });
    expect(days).toContain(installed);
    await expect(async () => {
      await page.goto(address);
      await expect(page.getByText("network.station/MV-022 changed")).toBeVisible({ timeout: 500 });
    }).toPass({ timeout: 60_000 });
    await expect(page.getByText("MV-022: Paint 7.77 m on the board, asked by Tamsin Okoro")).toBeVisible();
    await accessible(page, javaScriptEnabled);
    // In a small window the list scrolls by itself, and not the page.
    await page.setViewportSize({ width: 390, height: 800 });
    await page.goto(`${address}/records/stations`);
    await expect(page.getByRole("table")).toBeVisible();
    expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(390);
    expect(await vale.rows("SELECT FROM quill_log.outbox")).toEqual([]);
    const { fields } = await vale.row<{ fields: { field: string }[] }>(
      "SELECT fields FROM quill_log.change WHERE record_key->>'code' = 'MV-022' ORDER BY id DESC LIMIT 1",
    );
    expect(fields.map(({ field }) => field).sort()).toEqual([
      "grid_reference",
      "installed_on",
      "name",
      "status",
      "warning_m",
    ]);
    // Nothing of theirs or ours is stopped by their policy: the layout's own script ran too.
    expect(said.filter((each) => !each.includes("status of 4") && !each.includes("status of 5"))).toEqual([]);
    if (javaScriptEnabled !== false) {
      await page.goto(address + station);
      await expect(page.locator("html[data-scripted]")).toHaveCount(1);
    }
  });

  test("turns away whoever its roles do not let in, in its own layout", async ({
    page,
    example,
    javaScriptEnabled,
  }) => {
    const { address } = await example("own-application");
    await page.goto(`${address}/sign-in`);
    await page.getByLabel("Who are you?").selectOption("Dara Lindqvist");
    await page.getByRole("button", { name: "Sign in" }).click();
    const response = await page.goto(address + station);
    expect(response?.status()).toBe(403);
    await expect(page.getByRole("link", { name: "The yard" })).toBeVisible();
    await accessible(page, javaScriptEnabled);
  });
});

test("two databases and the workbench, behind one sign-in", async ({ page, vale, example, javaScriptEnabled }) => {
  const network = await copyOf("two-databases/network");
  try {
    const { address, stop } = await example("two-databases", { NETWORK_PAGES: network.directory });
    await page.goto(`${address}/workbench`);
    await page.getByRole("button", { name: "Ines Castell" }).click();
    await page.goto(address);
    await page.getByRole("link", { name: "Regions of the archive" }).click();
    await expect(page.getByRole("heading", { name: "Regions of the archive" })).toBeVisible();
    await page.goto(`${address}/archive/regions/1/edit`);
    await page.getByLabel("Name").fill("Upper Vale, as it was");
    await page.getByRole("button", { name: "Update" }).click();
    await expect(page.getByRole("status").first()).toContainText("is saved");
    // The other database's is as it was.
    expect(await vale.row("SELECT name FROM network.region WHERE id = 1")).toEqual({ name: "Upper Vale" });
    await page.goto(`${address}/records/rivers/1/edit`);
    await expect(page.getByLabel("Length")).toBeVisible();
    if (javaScriptEnabled === false) return;

    // What was opened is told in the workbench, whose people are the application's.
    await page.goto(`${address}/workbench/requests`);
    await expect(page.getByRole("link", { name: "GET /rivers/1/edit" })).toBeVisible();
    await expect(page.getByRole("button", { name: "Sign out" })).toHaveCount(0);
    await accessible(page, javaScriptEnabled);
    await page.goto(`${address}/workbench/people`);
    await page.getByRole("button", { name: /Tamsin Okoro/ }).click();
    await expect(page.getByText("Accounts are those of the application")).toBeVisible();

    // A change made on the Sheet is published to the page file, and served by the application.
    await page.goto(`${address}/workbench/pages/river`);
    await expect(page.getByLabel("View as")).toContainText("Tamsin Okoro");
    await page
      .getByRole("button", { name: "Edit length_km" })
      .or(page.getByRole("button", { name: "Edit", exact: true }).last())
      .first()
      .click();
    await page.getByRole("textbox", { name: "Label" }).fill("Length of the river");
    await page.keyboard.press("Enter");
    await page.getByRole("button", { name: "Publish" }).first().click();
    await page.getByRole("dialog").getByRole("button", { name: "Publish" }).click();
    await expect(async () => {
      await page.goto(`${address}/records/rivers/1/edit`);
      await expect(page.getByLabel("Length of the river")).toBeVisible({ timeout: 500 });
    }).toPass({ timeout: 60_000 });
    // Nobody without a role of the workbench gets in.
    await page.goto(`${address}/sign-in`);
    await page.getByRole("button", { name: "Tamsin Okoro" }).click();
    expect((await page.goto(`${address}/workbench`))?.status()).toBe(403);
    // It ends though a workbench was open.
    expect(await stop()).toBe(0);
  } finally {
    await network.remove();
  }
});

test("one view has a station's form, a form for each sensor and its visits; each is saved and refused in its place", async ({
  page,
  vale,
  example,
  javaScriptEnabled,
}) => {
  const { address } = await example("own-view");
  const overview = `${address}/overview/MV-023`;
  await page.goto(overview);
  const station = page.getByRole("region", { name: "Station" });
  const sensor = page.getByRole("region", { name: "Sensors" }).getByRole("article").first();
  await expect(page.getByRole("region", { name: "Visits" }).getByRole("row").nth(1)).toBeVisible();
  await accessible(page, javaScriptEnabled);

  // Refused: with scripts what was typed in another form stays, too.
  await sensor.getByLabel("Remarks").fill("Begun in the other form.");
  await station.getByLabel("Station name").fill("");
  await station.getByRole("button", { name: "Update" }).click();
  await expect(station.getByText("Station name is needed: enter a value.").first()).toBeVisible();
  await expect(sensor.getByText("is needed")).toHaveCount(0);
  if (javaScriptEnabled !== false) {
    await expect(sensor.getByLabel("Remarks")).toHaveValue("Begun in the other form.");
    await expect(page).toHaveURL(overview);
  }
  await station.getByLabel("Station name").fill("Gauge of the view");
  await station.getByRole("button", { name: "Update" }).click();
  await expect(station.getByRole("status")).toContainText("Gauge of the view, is saved.");
  await expect(page).toHaveURL(overview);
  await expect(sensor.getByRole("status")).toHaveCount(0);
  await sensor.getByLabel("Remarks").fill("Saved in its place.");
  await sensor.getByRole("button", { name: "Update" }).click();
  await expect(sensor.getByRole("status")).toContainText("is saved");
  expect(await vale.row("SELECT name FROM network.station WHERE code = 'MV-023'")).toEqual({
    name: "Gauge of the view",
  });

  // Signed out in between: nothing that was typed is lost, in this form and the others, and there is a way to sign in.
  if (javaScriptEnabled !== false) {
    await page.route("**/*", (route) =>
      route.request().method() === "POST"
        ? route.fulfill({
            status: 401,
            contentType: "text/html",
            body: '<!doctype html><main data-quill=""><h1>You are signed out</h1><p><a href="/sign-in" target="_blank" rel="noopener">Sign in (opens a new tab)</a></p></main>',
          })
        : route.fallback(),
    );
    await sensor.getByLabel("Remarks").fill("Of the other form.");
    await station.getByLabel("Station name").fill("Typed while signed out");
    await station.getByRole("button", { name: "Update" }).click();
    await expect(station.getByRole("alert")).toContainText("You are signed out.");
    await expect(station.getByRole("link", { name: "Sign in (opens a new tab)" })).toBeVisible();
    await expect(sensor.getByLabel("Remarks")).toHaveValue("Of the other form.");
    await page.unroute("**/*");
    await station.getByRole("button", { name: "Update" }).click();
    await expect(station.getByRole("status")).toContainText("Typed while signed out, is saved.");
  }

  // By plain functions, from the data; and in React by JSON.
  await page.goto(`${address}/plain/MV-023`);
  await page.getByLabel("Station name").fill("By plain functions");
  const box = page.getByRole("checkbox", { name: "Reports by telemetry" });
  const wasChecked = await box.isChecked();
  await box.setChecked(!wasChecked);
  await page.getByRole("button", { name: "Save" }).click();
  await expect(page).toHaveURL(`${address}/plain/MV-023`);
  await expect(page.getByRole("status")).toContainText("By plain functions, is saved.");
  await expect(box).toBeChecked({ checked: !wasChecked });
  if (javaScriptEnabled === false) return;
  await page.goto(`${address}/react/MV-023`);
  await page.getByLabel("warning_m").fill("0.01");
  await page.getByRole("button", { name: "Save" }).click();
  await expect(page.getByText("The warning level must lie above the alert level.")).toBeVisible();
  await page.getByLabel("warning_m").fill("9.87");
  await page.getByRole("button", { name: "Save" }).click();
  await expect
    .poll(async () => vale.row("SELECT warning_m::text AS level FROM network.station WHERE code = 'MV-023'"))
    .toEqual({
      level: "9.87",
    });
  // What is wrong with no field, and a server that is away, are told as well; what was typed stays.
  await vale.rows("UPDATE network.station SET warning_m = 9.5 WHERE code = 'MV-023'");
  await page.getByLabel("warning_m").fill("9.6");
  await page.getByRole("button", { name: "Save" }).click();
  await expect(page.getByRole("alert")).toContainText("changed");
  await page.route("**/records/**", (route) => route.abort());
  await page.getByRole("button", { name: "Save" }).click();
  await expect(page.getByRole("alert")).toContainText("The server can’t be reached.");
  await expect(page.getByLabel("warning_m")).toHaveValue("9.6");
});

test("exported code serves a page by itself, on the same table and log", async ({
  page,
  vale,
  example,
  javaScriptEnabled,
}) => {
  const { address, stop, errors } = await example("plain-code");
  await page.goto(`${address}/stations/MV-023/edit`);
  await page.getByLabel("Who are you?").selectOption("Tamsin Okoro");
  await page.getByRole("button", { name: "Sign in" }).click();
  await expect(page).toHaveURL(`${address}/stations/MV-023/edit`);
  const stored = await vale.row<{ warning: string; notes: string | null }>(
    "SELECT warning_m::text AS warning, notes FROM network.station WHERE code = 'MV-023'",
  );
  await expect(page.getByLabel("Warning level")).toHaveValue(stored.warning);
  await accessible(page, javaScriptEnabled);

  // What is wrong is told at its field, with what was typed.
  await page.getByLabel("Warning level").fill("0.5");
  await page.getByLabel("Notes").fill("By exported code.\n<b>");
  await page.getByRole("button", { name: "Update" }).click();
  await expect(page.getByRole("alert")).toContainText("The warning level must lie above the alert level.");
  await expect(page.getByRole("alert")).toBeFocused();
  await expect(page.getByLabel("Notes")).toHaveValue("By exported code.\n<b>");
  await accessible(page, javaScriptEnabled);

  // Somebody else saves meanwhile, by whatever way.
  await vale.rows("UPDATE network.station SET notes = 'Theirs.', name = 'Renamed' WHERE code = 'MV-023'");
  await page.getByLabel("Warning level").fill(stored.warning);
  await page.getByRole("button", { name: "Update" }).click();
  await expect(page.getByRole("alert")).toContainText("Someone else has changed this record");
  await expect(page.getByText("Theirs.", { exact: true })).toBeVisible();
  await accessible(page, javaScriptEnabled);
  // The enter key saves: it doesn't press the button that stands first, which takes theirs.
  await page.getByLabel("Warning level").press("Enter");
  await expect(page).toHaveURL(`${address}/stations`);
  // The list is the application's own, and says what the save has left for it: once.
  await expect(page.getByRole("status")).toHaveText("MV-023, Renamed, is saved.");
  await page.reload();
  await expect(page.getByRole("status")).toHaveCount(0);
  expect(await vale.row("SELECT name, notes FROM network.station WHERE code = 'MV-023'")).toEqual({
    name: "Renamed",
    notes: "By exported code.\n<b>",
  });
  expect(
    await vale.row(
      `SELECT actor_name AS by, page, fields->0->>'field' AS field FROM quill_log.change
       WHERE table_name = 'network.station' AND record_key = '{"code": "MV-023"}' AND way = 'page' ORDER BY id DESC LIMIT 1`,
    ),
  ).toEqual({ by: "Tamsin Okoro", page: "station", field: "notes" });
  expect(errors()).toBe("");
  expect(await stop()).toBe(0);
});

test("exported code finds a station by searching, and takes a picture", async ({
  page,
  vale,
  example,
  javaScriptEnabled,
}) => {
  const { address, stop, errors } = await example("plain-code");
  const { id } = await vale.row<{ id: string }>(
    "UPDATE field.visit SET photo = NULL WHERE id = (SELECT id FROM field.visit ORDER BY id LIMIT 1) RETURNING id",
  );
  await page.goto(`${address}/visits/${id}/edit`);
  await page.getByLabel("Who are you?").selectOption("Tamsin Okoro");
  await page.getByRole("button", { name: "Sign in" }).click();
  await accessible(page, javaScriptEnabled);

  // The enter key in the text to find looks for it, and saves nothing.
  await page.getByLabel("Findings").fill("Seen from the bank.");
  await page.getByLabel("Find in Station").fill("mv-02");
  await page.getByLabel("Find in Station").press("Enter");
  await expect(page.getByRole("status")).toContainText("found: choose one.");
  await expect(page.getByLabel("Findings")).toHaveValue("Seen from the bank.");
  await accessible(page, javaScriptEnabled);
  await page.getByLabel("Station", { exact: true }).selectOption({ value: "MV-021" });

  // What is refused comes back with what was typed; the picture has to be chosen again, as browsers have it.
  const photo = page.getByLabel("Choose a file");
  await photo.setInputFiles({ name: "notes.txt", mimeType: "text/plain", buffer: Buffer.from("no picture") });
  await page.getByRole("button", { name: "Update" }).click();
  await expect(page.getByRole("alert")).toContainText("Photo must be a file of one of these types");
  await expect(page.getByLabel("Station", { exact: true })).toHaveValue("MV-021");
  await accessible(page, javaScriptEnabled);
  const bytes = Buffer.from([137, 80, 78, 71]);
  await photo.setInputFiles({ name: "weir.png", mimeType: "image/png", buffer: bytes });
  await page.getByRole("button", { name: "Update" }).click();
  await expect(page.getByRole("status")).toContainText("is saved.");
  expect(
    await vale.row("SELECT station_code, findings, encode(photo, 'hex') AS photo FROM field.visit WHERE id = $1", [id]),
  ).toEqual({ station_code: "MV-021", findings: "Seen from the bank.", photo: bytes.toString("hex") });

  const download = page.waitForEvent("download");
  await page.getByRole("link", { name: "Download (4 byte)" }).click();
  expect((await download).suggestedFilename()).toBe(`visit-${id}-photo`);
  await page.getByLabel("Remove the stored file").check();
  await page.getByRole("button", { name: "Update" }).click();
  await expect(page.getByRole("link", { name: "Download" })).toHaveCount(0);
  expect(await vale.row("SELECT photo FROM field.visit WHERE id = $1", [id])).toEqual({ photo: null });
  expect(errors()).toBe("");
  expect(await stop()).toBe(0);
});
