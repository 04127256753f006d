import { readFile } from "node:fs/promises";
import { parse } from "csv-parse/sync";
import { stringify } from "csv-stringify/sync";
import { expect, test } from "../vale.js";
import { violations } from "../violations.js";

for (const javaScriptEnabled of [true, false]) {
  test.describe(javaScriptEnabled ? "with scripts" : "without scripts", () => {
    test.use({ javaScriptEnabled });

    test("a list is edited in a spreadsheet: downloaded, uploaded, looked at, mended and saved", async ({
      signedIn,
      vale,
    }) => {
      const page = await signedIn("tamsin");
      await page.goto("/stations?is.river_id=3");
      const [download] = await Promise.all([
        page.waitForEvent("download"),
        page.getByRole("link", { name: "Download for editing" }).click(),
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
      if (javaScriptEnabled) expect(await violations(page)).toEqual([]);
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
  });
}
