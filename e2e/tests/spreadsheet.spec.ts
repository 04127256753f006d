import { readFile } from "node:fs/promises";
import type { Page } from "@playwright/test";
import { parse } from "csv-parse/sync";
import { stringify } from "csv-stringify/sync";
import { type CellValue, readXlsx, writeXlsx } from "hucre/xlsx";
import { expect, signInAgain, test } from "../vale.js";
import { violations } from "../violations.js";

for (const javaScriptEnabled of [true, false]) {
  test.describe(javaScriptEnabled ? "with scripts" : "without scripts", () => {
    test.use({ javaScriptEnabled });

    test("what was chosen among uploaded rows outlives the session, and is looked at once more before it is saved", async ({
      signedIn,
      vale,
    }) => {
      const page = await signedIn("tamsin");
      await page.goto("/stations?is.river_id=7");
      const [download] = await Promise.all([
        page.waitForEvent("download"),
        page.getByRole("link", { name: "Download for editing (CSV)" }).click(),
      ]);
      const [heads = [], first = [], second = []]: string[][] = parse(await readFile(await download.path(), "utf8"), {
        bom: true,
      });
      const note = `Chosen ${javaScriptEnabled ? "with" : "without"} scripts`;
      const rows = [first, second].map((row) => row.with(heads.indexOf("Notes"), note));
      const codes = rows.map(([code]) => code);
      const stored = async () =>
        (await vale.rows("SELECT notes FROM network.station WHERE code = ANY($1)", [codes])).map(({ notes }) => notes);
      await vale.rows("UPDATE network.station SET notes = 'Of the office' WHERE code = $1", [codes[1]]);
      const before = await stored();
      await page.getByRole("link", { name: "Upload edited file…" }).click();
      const file = { name: "s.csv", mimeType: "text/csv", buffer: Buffer.from(stringify([heads, ...rows])) };
      await page.getByLabel("Edited file").setInputFiles(file);
      await page.getByRole("button", { name: "Check file" }).click();
      await page.getByLabel("Those of the file").check();
      await page.context().clearCookies();
      await page.getByRole("button", { name: "Save valid rows" }).click();
      await expect(page.getByRole("heading", { level: 1 })).toHaveText("You are signed out");
      await signInAgain(page, vale, "tamsin");
      await expect(page.getByRole("link", { name: "Rows changed: 1" })).toBeVisible();
      await expect(page.getByLabel("Those of the file")).toBeChecked();
      expect(await stored()).toEqual(before);
      await page.getByRole("button", { name: "Save valid rows" }).click();
      await expect(page.getByRole("status")).toHaveText("2 rows are saved.");
      expect(await stored()).toEqual([note, note]);
    });

    test("a list is edited in a spreadsheet: downloaded, uploaded, looked at, mended and saved", async ({
      signedIn,
      vale,
    }) => {
      const page = await signedIn("tamsin");
      await page.goto("/stations?is.river_id=3");
      const [download] = await Promise.all([
        page.waitForEvent("download"),
        page.getByRole("link", { name: "Download for editing (CSV)" }).click(),
      ]);
      const rows: string[][] = parse(await readFile(await download.path(), "utf8"), { bom: true });
      const [heads = []] = rows;
      const set = (row: number, heading: string, text: string): void => {
        const line = rows[row] ?? [];
        line[heads.indexOf(heading)] = text;
      };
      const file = (): { name: string; mimeType: string; buffer: Buffer } => ({
        name: "stations.csv",
        mimeType: "text/csv",
        buffer: Buffer.from(stringify(rows, { delimiter: ";" })),
      });
      const note = `Painted, ${javaScriptEnabled ? "with" : "without"} a ladder.\nOne "coat".`;
      const [first = "", second = "", third = ""] = rows.slice(1).map(([code = ""]) => code);
      set(1, "Notes", note);
      set(2, "Alert level", "99");
      set(3, "Notes", note);
      await page.getByRole("link", { name: "Upload edited file…" }).click();
      await page.getByRole("button", { name: "Check file" }).click();
      await expect(page.getByRole("alert")).toHaveText("Choose a file first.");
      // Somebody else is at one of the records in the meantime.
      await vale.rows("UPDATE network.station SET notes = 'Somebody else''s' WHERE code = $1", [third]);
      await page.getByLabel("Edited file").setInputFiles(file());
      await page.getByRole("button", { name: "Check file" }).click();
      await expect(page.getByRole("link", { name: "Rows changed: 1" })).toBeVisible();
      await expect(page.getByRole("region", { name: "Rows refused: 1" })).toContainText(
        "The warning level must lie above the alert level.",
      );
      const conflict = page.getByRole("region", { name: "Rows that someone else has changed too: 1" });
      await expect(conflict).toContainText("Somebody else's");
      // The computed styles that axe needs are read by scripts.
      if (javaScriptEnabled) {
        expect(await violations(page)).toEqual([]);
        const filter = page.getByLabel("Show rows that contain");
        await filter.fill(second);
        await expect(conflict).toBeHidden();
        await expect(page.getByRole("region", { name: "Rows refused: 1" })).toBeVisible();
        await filter.fill("nothing of this kind");
        await expect(page.getByText("No row shown here contains that.")).toBeVisible();
        await filter.fill("");
      }
      await conflict.getByLabel("Those of the file").check();
      await page.getByRole("button", { name: "Save valid rows" }).click();
      await expect(page.getByRole("status")).toHaveText(/2 rows are saved\.|Rows saved: 2\./);
      const stored = await vale.rows("SELECT code, notes FROM network.station WHERE notes = $1 ORDER BY code", [note]);
      expect(stored.map(({ code }) => code)).toEqual([first, third]);
      const entries = await vale.rows(
        "SELECT DISTINCT request_id FROM quill_log.change WHERE page = 'station' AND record_key->>'code' = ANY($1) AND request_id = (SELECT request_id FROM quill_log.change ORDER BY id DESC LIMIT 1)",
        [[first, second, third]],
      );
      expect(entries).toHaveLength(1);
      // The same file again is what is stored, but for what was refused.
      await page.goto("/stations/~upload");
      await page.getByLabel("Edited file").setInputFiles(file());
      await page.getByRole("button", { name: "Check file" }).click();
      await expect(page.getByRole("link", { name: "Rows refused: 1" })).toBeVisible();
      await expect(page.getByRole("link", { name: /Rows changed/ })).toHaveCount(0);
    });

    test("a workbook comes back with a new record; what is refused comes back as a file, with messages", async ({
      signedIn,
      vale,
    }) => {
      const page = await signedIn("tamsin");
      await page.goto("/stations?is.river_id=2");
      const fileOf = async (name: string | RegExp, role: "link" | "button"): Promise<CellValue[][]> => {
        const [download] = await Promise.all([page.waitForEvent("download"), page.getByRole(role, { name }).click()]);
        const { sheets } = await readXlsx(await readFile(await download.path()));
        return sheets[0]?.rows ?? [];
      };
      const check = async (rows: CellValue[][]): Promise<void> => {
        const buffer = Buffer.from((await writeXlsx({ sheets: [{ name: "Sheet1", rows }] })) as Uint8Array);
        await page.getByLabel("Edited file").setInputFiles({ name: "stations.xlsx", mimeType: "", buffer });
        await page.getByRole("button", { name: "Check file" }).click();
      };
      const rows = await fileOf("Download for editing (.xlsx)", "link");
      const [heads = [], first = [], second = []] = rows;
      const at = (heading: string): number => heads.findIndex((head) => String(head).startsWith(heading));
      const note = `From a workbook, ${javaScriptEnabled ? "with" : "without"} scripts.`;
      first[at("Notes")] = note;
      const levels = [at("Alert level"), at("Warning level")] as const;
      const was = second[levels[0]] ?? null;
      second[levels[0]] = 99;
      const code = javaScriptEnabled ? "MV-901" : "MV-902";
      const added = first.map((cell, index) => {
        if (index === at("Code")) return code;
        if (index === at("Name")) return `New from a sheet ${code}`;
        if (index === at("Grid")) return `MV ${code.slice(-3)} 000`;
        if (index === heads.indexOf("quill.row")) return null;
        return /^(Telemetry|Last|Version|Photo)/.test(String(heads[index])) ? null : cell;
      });
      await page.getByRole("link", { name: "Upload edited file…" }).click();
      await page.getByLabel("Add rows without a mark as new records").check();
      await check([...rows, added]);
      await expect(page.getByRole("region", { name: "Rows added: 1" })).toContainText(code);
      await expect(page.getByRole("region", { name: "Rows refused: 1" })).toBeVisible();
      if (javaScriptEnabled) expect(await violations(page)).toEqual([]);
      const left = await fileOf("Download these rows with messages", "button");
      expect(left).toHaveLength(2);
      expect(String(left[1]?.at(-1))).toContain("The warning level must lie above the alert level.");
      await page.getByRole("button", { name: "Save valid rows" }).click();
      await expect(page.getByRole("status")).toHaveText(/2 rows are saved\./);
      expect(await vale.row("SELECT notes FROM network.station WHERE code = $1", [first[0]])).toEqual({ notes: note });
      expect(await vale.rows("SELECT code FROM network.station WHERE code = $1", [code])).toHaveLength(1);
      // The rows that were refused are put right in their own file.
      const [, refused = []] = left;
      refused[levels[0]] = was;
      refused[at("Notes")] = note;
      await page.getByRole("link", { name: "Upload edited file…" }).click();
      await check(left);
      await page.getByRole("button", { name: "Save valid rows" }).click();
      await expect(page.getByRole("status")).toHaveText(/is saved|1 row/);
      expect(await vale.row("SELECT notes FROM network.station WHERE code = $1", [second[0]])).toEqual({ notes: note });
      await vale.rows("DELETE FROM network.station WHERE code = $1", [code]);
    });
  });
}

/** The stations of a river, downloaded for editing as a CSV. */
async function stationsOf(page: Page, river: number): Promise<string[][]> {
  await page.goto(`/stations?is.river_id=${river}`);
  const [download] = await Promise.all([
    page.waitForEvent("download"),
    page.getByRole("link", { name: "Download for editing (CSV)" }).click(),
  ]);
  return parse(await readFile(await download.path(), "utf8"), { bom: true });
}

test("an upload that waits tells how far it has come, and is stopped: nothing of it is saved", async ({
  signedIn,
  vale,
}) => {
  const page = await signedIn("tamsin");
  const [heads = [], ...rows] = await stationsOf(page, 3);
  const at = heads.indexOf("Notes");
  const buffer = Buffer.from(stringify([heads, ...rows.map((row) => row.with(at, "Never to be saved."))]));
  await page.getByRole("link", { name: "Upload edited file…" }).click();
  await page.getByLabel("Edited file").setInputFiles({ name: "stations.csv", mimeType: "text/csv", buffer });
  await page.getByRole("button", { name: "Check file" }).click();
  await expect(page.getByRole("button", { name: "Save valid rows" })).toBeVisible();
  await vale.rows("BEGIN");
  await vale.rows("SELECT 1 FROM network.station WHERE code = $1 FOR UPDATE", [rows[0]?.[0]]);
  try {
    await page.getByRole("button", { name: "Save valid rows" }).click();
    await expect(page.getByText(/^Saving row 0 of \d+ …$/)).toBeVisible();
    const asked = () => page.waitForResponse((answer) => answer.request().method() === "GET");
    await page.getByRole("button", { name: "Stop" }).click();
    // Not before the server knows: the page asks it how this has ended, after it has hung up.
    for (let turn = 0; turn < 2; turn++) await asked();
  } finally {
    await vale.rows("ROLLBACK");
  }
  await expect(page.getByRole("alert")).toHaveText("Stopped. Nothing was saved.");
  expect(await violations(page)).toEqual([]);
  expect(await vale.rows("SELECT 1 FROM network.station WHERE notes = 'Never to be saved.'")).toEqual([]);
  // What was looked at is there still: it is saved when somebody says so.
  await page.getByRole("button", { name: "Save valid rows" }).click();
  await expect(page.getByRole("status")).toHaveText(/rows are saved\./);
});

test("an upload is put back whole, from the list of changes", async ({ signedIn, vale }) => {
  const page = await signedIn("tamsin");
  const before = await vale.rows("SELECT code, notes FROM network.station ORDER BY code");
  const [heads = [], ...rows] = await stationsOf(page, 4);
  const at = heads.indexOf("Notes");
  const editable = rows.filter((row) => row.at(-1)?.startsWith("row:")).length;
  const buffer = Buffer.from(stringify([heads, ...rows.map((row) => row.with(at, "A mistake in each row."))]));
  await page.getByRole("link", { name: "Upload edited file…" }).click();
  await page.getByLabel("Edited file").setInputFiles({ name: "stations.csv", mimeType: "text/csv", buffer });
  await page.getByRole("button", { name: "Check file" }).click();
  await page.getByRole("button", { name: "Save valid rows" }).click();
  await expect(page.getByRole("status")).toHaveText(`${editable} rows are saved.`);
  await page.goto("/workbench/changes");
  await page.getByRole("link", { name: "saved with others" }).first().click();
  await expect(page.getByText("Saved at once, by one request")).toBeVisible();
  expect(await violations(page)).toEqual([]);
  await page.getByRole("button", { name: "Put back all of these changes…" }).click();
  const question = page.getByRole("alertdialog", { name: "Put changes back" });
  await question.getByRole("button", { name: `Restore ${editable} records` }).click();
  await expect(question.getByRole("status")).toHaveText(`${editable} of ${editable} records put back.`);
  expect(await vale.rows("SELECT code, notes FROM network.station ORDER BY code")).toEqual(before);
});
