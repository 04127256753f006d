import { writeFile } from "node:fs/promises";
import path from "node:path";
import type { Page } from "@playwright/test";
import { expect, test } from "../vale.js";
import { violations } from "../violations.js";

/** The width to which a page may be scrolled sideways beyond the screen. */
const beyond = (page: Page): Promise<number> =>
  page.evaluate(() => document.documentElement.scrollWidth - document.documentElement.clientWidth);

for (const javaScriptEnabled of [true, false]) {
  test.describe(javaScriptEnabled ? "with scripts" : "without scripts", () => {
    test.use({ javaScriptEnabled });

    test("a search that is stopped says how far it looked, and goes on with the enter key until it has found", async ({
      signedIn,
      vale,
    }) => {
      const name = javaScriptEnabled ? "letter" : "parcel";
      // However fast the machine: each record takes a millisecond to be looked at.
      for (const statement of [
        "CREATE SCHEMA IF NOT EXISTS attic",
        `CREATE TABLE attic.${name} (id integer PRIMARY KEY, note text NOT NULL) WITH (autovacuum_enabled = false)`,
        `INSERT INTO attic.${name} SELECT n, CASE n WHEN 800 THEN 'an otter' ELSE 'nothing of it' END FROM generate_series(1, 800) AS n`,
        `ALTER TABLE attic.${name} ENABLE ROW LEVEL SECURITY`,
        `CREATE POLICY slowly ON attic.${name} USING (pg_sleep(0.001) IS NOT NULL)`,
        "GRANT USAGE ON SCHEMA attic TO quill_pages",
        `GRANT SELECT, UPDATE ON attic.${name} TO quill_pages`,
      ])
        await vale.rows(statement);
      const file = `format: loyal-quill/page@1
title: "${name} {id}"
plural: ${name}s
path: /${name}s/{id}
record: { table: attic.${name}, key: id }
list: { columns: [id], search: [note] }
fields: [note]
`;
      await writeFile(path.join(vale.pages, `${name}.page.yaml`), file);
      const page = await signedIn("tamsin");
      await expect.poll(async () => (await page.goto(`/${name}s`))?.status()).toBe(200);
      await page.getByRole("searchbox").fill("an otter");
      await page.keyboard.press("Enter");
      const said = page.getByRole("status");
      await expect(said).toContainText(/^Nothing found yet: looked through [\d,]+ records, as far as \d+\. Continue/);
      const wayOn = page.getByRole("link", { name: "Continue from there" });
      for (let turn = 0; turn < 50 && (await wayOn.count()) > 0; turn++) {
        await expect(wayOn).toBeFocused();
        const from = page.url();
        await page.keyboard.press("Enter");
        await expect(page).not.toHaveURL(from);
        await page.waitForLoadState();
      }
      await expect(page.getByRole("rowheader")).toHaveText(["800"]);
    });

    test("a list is filtered, taken as a file, and keeps its place through a form and on to the next record", async ({
      signedIn,
      vale,
    }) => {
      const page = await signedIn("tamsin");
      await page.goto("/stations");
      await page.getByText("Filters", { exact: true }).click();
      await page.getByLabel("Status").selectOption("suspended");
      await page.getByRole("group", { name: "Warning level" }).getByLabel("from").fill("1");
      await page.getByRole("button", { name: "Apply" }).click();
      await expect(page.getByText("Filters (2 used)")).toBeVisible();
      const wanted = await vale.rows<{ code: string }>(
        "SELECT code FROM network.station WHERE status = 'suspended' AND warning_m >= 1 ORDER BY code",
      );
      expect(await page.getByRole("rowheader").allTextContents()).toEqual(wanted.map(({ code }) => code));
      const waiting = page.waitForEvent("download");
      await page.getByRole("link", { name: "Download as CSV" }).click();
      const file = await waiting;
      expect(file.suggestedFilename()).toBe("stations.csv");
      await page.getByRole("link", { name: `Edit ${wanted[0]?.code}` }).click();
      await page.getByRole("link", { name: "Next" }).click();
      await expect(page.getByRole("heading", { level: 1 })).toContainText(wanted[1]?.code ?? "");
      await page.getByRole("navigation", { name: "Back" }).getByRole("link", { name: "Stations" }).click();
      await expect(page.getByText("Filters (2 used)")).toBeVisible();
      await page.getByRole("group", { name: "Warning level" }).getByLabel("from").fill("high");
      await page.getByRole("button", { name: "Apply" }).click();
      await expect(page.getByText("Warning level must be a number, like 12.50.")).toBeVisible();
    });

    test("rows are edited in their places: one is refused, another is saved, and nothing that was typed is lost", async ({
      signedIn,
      vale,
    }) => {
      const rivers = await vale.rows<{ id: number; name: string; length: string }>(
        "SELECT id, name, length_km::text AS length FROM network.river ORDER BY name, id",
      );
      const page = await signedIn("tamsin");
      await page.goto("/rivers");
      const field = (label: string, index: number) =>
        page.getByLabel(`${label}, ${rivers[index]?.id}`, { exact: true });
      await field("Length", 0).fill("9999");
      await field("Name", 2).fill("Typed and kept");
      await page.getByRole("button", { name: `Save ${rivers[0]?.id}`, exact: true }).click();
      await expect(page.getByRole("link", { name: /Length is above/ })).toBeVisible();
      await expect(field("Name", 2)).toHaveValue("Typed and kept");
      const longer = (Number(rivers[1]?.length) + 0.5).toFixed(1);
      await field("Length", 1).fill(longer);
      await page.getByRole("button", { name: `Save ${rivers[1]?.id}`, exact: true }).click();
      await expect(page.getByRole("status")).toContainText(`River ${rivers[1]?.name} is saved.`);
      await expect(field("Name", 2)).toHaveValue("Typed and kept");
      await expect(field("Length", 0)).toHaveValue("9999");
      const after = await vale.row<{ length: string }>(
        "SELECT length_km::text AS length FROM network.river WHERE id = $1",
        [rivers[1]?.id],
      );
      expect(after.length).toBe(longer);
      await page.getByRole("button", { name: "Put back (Length)" }).first().click();
      await expect(field("Length", 0)).toHaveValue(rivers[0]?.length ?? "");
    });

    test("rows are saved together, all or none", async ({ signedIn, vale }) => {
      const regions = await vale.rows<{ id: number; name: string; telephone: string }>(
        "SELECT id, name, duty_telephone AS telephone FROM network.region ORDER BY name, id",
      );
      const page = await signedIn("dara");
      await page.goto("/regions");
      const telephone = (index: number) => page.getByLabel(`Duty telephone, ${regions[index]?.id}`, { exact: true });
      const digits = String(100 + Math.floor(Math.random() * 800));
      await telephone(0).fill(`01632 960${digits}`);
      await telephone(1).fill("call us");
      await page.getByRole("button", { name: "Save all rows" }).click();
      await expect(page.getByText("One row can’t be saved, so nothing was saved.")).toBeVisible();
      await expect(page.getByRole("link", { name: /Written like 01632 960018\./ })).toBeVisible();
      await telephone(1).fill(`01632 960${digits}`);
      await page.getByRole("button", { name: "Save all rows" }).click();
      await expect(page.getByRole("status")).toHaveText("2 rows are saved.");
      const entries = await vale.rows(
        "SELECT record_key->>'id' AS region FROM quill_log.change WHERE page = 'region' ORDER BY id DESC LIMIT 2",
      );
      expect(entries.map(({ region }) => Number(region)).sort()).toEqual([regions[0]?.id, regions[1]?.id].sort());
    });

    test("a list with its form beside it: choosing a row turns Add into Update, without leaving", async ({
      signedIn,
    }) => {
      const page = await signedIn("dara");
      await page.goto("/bulletins?is.state=planned");
      await expect(page.getByRole("button", { name: "Add" })).toBeVisible();
      await page.locator("a.quill-record").first().click();
      await expect(page.getByRole("button", { name: "Update" })).toBeVisible();
      await expect(page).toHaveURL(/\/bulletins\/[^/]+\/edit\?is\.state=planned$/);
      await expect(page.locator("a.quill-record[aria-current=true]")).toHaveCount(1);
      await page.getByRole("textbox", { name: "Headline" }).fill("short");
      await page.getByRole("button", { name: "Update" }).click();
      await expect(page.getByRole("alert")).toContainText("at least 10");
      const headline = `Levels fall slowly, notice ${Math.floor(Math.random() * 1e6)}`;
      await page.getByRole("textbox", { name: "Headline" }).fill(headline);
      await page.getByRole("button", { name: "Update" }).click();
      await expect(page.getByRole("status")).toContainText("is saved");
      await expect(page.locator("tr.quill-chosen a.quill-record")).toHaveText(headline);
    });

    test("a record's page has its related records and its history, from which an old value is put back", async ({
      signedIn,
      vale,
    }) => {
      const page = await signedIn("tamsin");
      await page.goto("/stations/MV-034/edit");
      const before = await page.getByLabel("Grid reference").inputValue();
      await page.getByLabel("Grid reference").fill(`MV ${Math.floor(Math.random() * 900) + 100} 999`);
      await page.getByRole("button", { name: "Update" }).click();
      await expect(page.getByRole("status")).toContainText(", is saved.");
      await page.goto("/stations/MV-034");
      await expect(page.getByRole("region", { name: "Sensors" }).first()).toBeVisible();
      await page.getByRole("link", { name: "Changes" }).click();
      await expect(page.getByRole("heading", { level: 2 }).first()).toContainText("Changed by Tamsin Okoro");
      await page
        .getByRole("link", { name: /Open with the values before this change/ })
        .first()
        .click();
      await expect(page.getByLabel("Grid reference")).toHaveValue(before);
      await page.getByRole("button", { name: "Update" }).click();
      await expect(page.getByRole("status")).toContainText(", is saved.");
      const { grid_reference: now } = await vale.row<{ grid_reference: string }>(
        "SELECT grid_reference FROM network.station WHERE code = 'MV-034'",
      );
      expect(now).toBe(before);
      await page.goto("/stations/MV-034");
      await page.getByRole("link", { name: "New record (Visits)" }).click();
      await expect(page.locator("select[name=station_code]")).toHaveValue("MV-034");
    });

    test("nothing is off the screen at 320 pixels, nor at 400 % zoom", async ({ signedIn }) => {
      const page = await signedIn("tamsin");
      await page.setViewportSize({ width: 320, height: 640 });
      for (const path of [
        "/stations?is.status=live",
        "/rivers",
        "/regions",
        "/stations/MV-014",
        "/stations/MV-014/edit",
        "/stations/MV-014/history",
        "/notes",
        "/visits",
      ]) {
        await page.goto(path);
        expect([path, await beyond(page)]).toEqual([path, 0]);
      }
    });

    test("nothing is off the screen whose values have no place to break", async ({ signedIn, vale }) => {
      const page = await signedIn("tamsin");
      await page.setViewportSize({ width: 390, height: 800 });
      const places = [
        ["network.river", "name", "id = (SELECT river_id FROM network.station WHERE code = 'MV-014')"],
        ["network.region", "duty_telephone", "id = (SELECT region_id FROM network.station WHERE code = 'MV-014')"],
        ["network.station", "notes", "code = 'MV-014'"],
        ["network.sensor", "remarks", "station_code = 'MV-014'"],
        ["field.visit", "findings", "station_code = 'MV-014'"],
      ];
      const set = async (to: string): Promise<void> => {
        for (const [table, column, which] of places)
          await vale.rows(`UPDATE ${table} SET ${column} = ${to.replaceAll("COLUMN", column ?? "")} WHERE ${which}`);
      };
      // Put back by its own end: what was there stays behind the long word.
      await set("repeat('z', 3000) || ' ' || coalesce(COLUMN, '')");
      const paths = ["/stations", "/stations?q=MV-014", "/stations/MV-014/edit", "/stations/MV-014"];
      const word = "z".repeat(3000);
      paths.push(`/stations?q=${word}`, `/rivers?q=${word}`, `/stations?is.status=${word}`, `/stations/${word}/edit`);
      const wide: string[] = [];
      for (const path of [...paths, "/stations/new", "/rivers", "/regions", "/visits?q=MV-014", "/sensors?q=MV-014"]) {
        await page.goto(path);
        expect(await page.locator("h1").count()).toBe(1);
        if ((await beyond(page)) > 0) wide.push(path);
      }
      await set("nullif(substr(COLUMN, 3002), '')");
      expect(wide).toEqual([]);
    });
  });
}

test("what is typed and not saved is marked, put back, and asked about before it is left", async ({ signedIn }) => {
  const page = await signedIn("tamsin");
  const asked: string[] = [];
  page.on("dialog", (dialog) => {
    asked.push(dialog.type());
    void dialog.accept();
  });
  // Of a new record nothing is stored.
  await page.goto("/calibrations/new");
  await page.getByRole("textbox").last().fill("Something");
  await expect(page.getByText("Put back")).toHaveCount(0);
  await page.goto("/stations");
  expect(asked).toEqual(["beforeunload"]);
  await page.goto("/stations/MV-014/edit");
  const name = page.getByLabel("Station name");
  const before = await name.inputValue();
  await name.fill("Something else");
  await expect(page.getByText(`Stored: ${before}`, { exact: false })).toBeVisible();
  await page.getByRole("button", { name: "Put back (Station name)" }).click();
  await expect(name).toHaveValue(before);
  await expect(page.getByText("Put back")).toHaveCount(0);
  await page.getByLabel("Status").selectOption("suspended");
  await page.getByRole("navigation", { name: "Back" }).getByRole("link", { name: "Stations" }).click();
  await expect(page).toHaveURL(/\/stations$/);
  expect(asked).toEqual(["beforeunload", "beforeunload"]);
});

test("a list with long names scrolls by itself, and the page stays as wide as its window", async ({
  signedIn,
  vale,
}) => {
  const { name } = await vale.row<{ name: string }>("SELECT name FROM network.station WHERE code = 'MV-014'");
  await vale.rows("UPDATE network.station SET name = repeat('M', 60) WHERE code = 'MV-014'");
  const page = await signedIn("tamsin");
  for (const width of [1280, 1000, 700, 390]) {
    await page.setViewportSize({ width, height: 800 });
    await page.goto("/");
    await page.getByRole("main").getByRole("link", { name: "Stations" }).click();
    await expect(page.getByRole("rowheader", { name: "MV-014" })).toBeVisible();
    expect(await beyond(page)).toBeLessThanOrEqual(0);
  }
  await vale.rows("UPDATE network.station SET name = $1 WHERE code = 'MV-014'", [name]);
});

test("an answer that comes after a later one is not shown", async ({ signedIn }) => {
  const page = await signedIn("dara");
  await page.goto("/bulletins?is.state=planned");
  let release = (): void => {};
  const held = new Promise<void>((resolve) => {
    release = resolve;
  });
  await page.route(/[?&]q=/, async (route) => {
    await held;
    await route.continue();
  });
  await page.getByLabel("Contains").fill("notice");
  await page.getByRole("button", { name: "Find" }).click();
  await page.locator("a.quill-record").first().click();
  await expect(page.getByRole("button", { name: "Update" })).toBeVisible();
  const address = page.url();
  const late = page.waitForResponse(/[?&]q=/);
  release();
  await late;
  // Long enough for it to have been shown.
  await page.waitForTimeout(500);
  await expect(page.getByRole("button", { name: "Update" })).toBeVisible();
  expect(page.url()).toBe(address);
});

test("all of a row is done by the keyboard", async ({ signedIn, vale }) => {
  const [river] = await vale.rows<{ id: number; name: string }>(
    "SELECT id, name FROM network.river ORDER BY name LIMIT 1 OFFSET 4",
  );
  const page = await signedIn("tamsin");
  await page.goto("/rivers");
  await page.getByLabel(`Length, ${river?.id}`, { exact: true }).focus();
  const length = (20 + Math.random() * 10).toFixed(1);
  await page.keyboard.press("Control+a");
  await page.keyboard.type(length);
  await page.keyboard.press("Enter");
  await expect(page.getByRole("status")).toContainText(`River ${river?.name} is saved.`);
  expect(await vale.row("SELECT length_km::text AS length FROM network.river WHERE id = $1", [river?.id])).toEqual({
    length,
  });
});

test("an administrator makes a token, which opens its page as JSON, and revokes it", async ({ signedIn, vale }) => {
  const page = await signedIn("rhea");
  await page.goto("/workbench/people");
  await page.getByRole("button", { name: /Tamsin Okoro/ }).click();
  const tokens = page.getByRole("region", { name: "API tokens" }).first();
  await tokens.getByLabel("Name").fill("nightly import");
  await tokens.getByLabel("Stations").check();
  await tokens.getByRole("button", { name: "Create token" }).click();
  const token = (await tokens.locator("code").textContent()) ?? "";
  const ask = (path: string) =>
    page.request.get(`${vale.address}${path}`, {
      headers: { authorization: `Bearer ${token}`, accept: "application/json" },
    });
  const station = (await (await ask("/stations/MV-014")).json()) as { values: { code: string } };
  expect(station.values.code).toBe("MV-014");
  expect((await ask("/sensors")).status()).toBe(403);
  await tokens.getByRole("button", { name: "Revoke nightly import" }).click();
  await page
    .getByRole("alertdialog", { name: "Revoke nightly import" })
    .getByRole("button", { name: "Revoke" })
    .click();
  await expect(tokens.getByRole("row", { name: /nightly import/ })).toHaveCount(0);
  expect((await ask("/stations/MV-014")).status()).toBe(401);
});

test("the Sheet shows the page's list and its way, and takes its settings", async ({ signedIn }) => {
  const page = await signedIn("ines");
  await page.goto("/workbench/pages/river?key=1");
  await page.getByRole("tab", { name: "List", exact: true }).click();
  const list = page.frameLocator('iframe[title="The list as it would be served"]');
  await expect(list.getByRole("heading", { level: 1 })).toHaveText("Rivers");
  await list.getByLabel("Contains").fill("beck");
  await list.getByRole("button", { name: "Find" }).click();
  await expect(list.getByRole("row")).toHaveCount(3);
  await expect(page.getByRole("heading", { level: 3, name: /^list, / })).toBeVisible();
  await page.getByRole("button", { name: /^Load/ }).first().click();
  const settings = page.getByRole("region", { name: /settings and values/ });
  await settings.getByLabel("All rows together, or none").check();
  await expect(list.getByRole("button", { name: "Save all rows" })).toBeVisible();
  // Other tests begin on what is published.
  await page.getByRole("button", { name: "Discard draft" }).click();
  await expect(page.getByRole("status").filter({ hasText: "Published, no draft" })).toBeVisible();
});

test("a row whose record somebody has deleted keeps none of the others from being saved, and what was typed is shown", async ({
  signedIn,
  vale,
}) => {
  await vale.rows(
    "INSERT INTO network.region (id, name, duty_telephone) OVERRIDING SYSTEM VALUE VALUES (90, 'Aber', '01632 960111'), (91, 'Abney', '01632 960112')",
  );
  const page = await signedIn("tamsin");
  await page.goto("/regions");
  await page.getByLabel("Name, 90").fill("Aber Vale");
  await page.getByLabel("Name, 91").fill("Abney Vale");
  await vale.rows("DELETE FROM network.region WHERE id = 91");
  const save = page.getByRole("button", { name: "Save all rows" });
  await save.click();
  await expect(page.getByRole("alert").first()).toContainText("Region Abney Vale: This record is no longer there");
  await expect(page.getByRole("definition").filter({ hasText: "Abney Vale" })).toBeVisible();
  expect(await violations(page)).toEqual([]);
  await save.click();
  await expect(page.getByText("Region Aber Vale is saved.")).toBeVisible();
  expect(await vale.rows("DELETE FROM network.region WHERE id >= 90 RETURNING name")).toEqual([{ name: "Aber Vale" }]);
});
