import { writeFile } from "node:fs/promises";
import path from "node:path";
import { everyTypePage, everyTypeRows, everyTypeSql } from "@loyal-quill/testing";
import { expect, test } from "../vale.js";

const all = `SELECT md5(string_agg(t::text || t.xmin::text, '|' ORDER BY id)) AS all, (SELECT count(*) FROM quill_log.change)::text AS entries FROM proof."Every Type" AS t`;

test("rows of every type, opened and sent untouched by a real browser, stay as they are", async ({
  signedIn,
  vale,
}) => {
  for (const statement of everyTypeSql) await vale.rows(statement);
  await writeFile(path.join(vale.pages, "every-type.page.yaml"), everyTypePage);
  const page = await signedIn("tamsin");
  await expect.poll(async () => (await page.goto("/every-type"))?.status()).toBe(200);
  const before = await vale.row(all);
  for (let row = 1; row <= everyTypeRows; row++) {
    await page.goto(`/every-type/${row}/edit`);
    await expect(page.getByRole("heading", { level: 1 })).toHaveText(`Row ${row}`);
    await page.getByRole("button", { name: "Update" }).click();
    await expect(page.getByRole("status")).toHaveText(`Nothing was changed in Row ${row}.`);
  }
  expect(await vale.row(all)).toEqual(before);

  await page.goto("/every-type/1/edit");
  await page.getByLabel("Ünïcode näme").fill("one\n\ntwo ");
  await page.getByRole("button", { name: "Update" }).click();
  await expect(page.getByRole("status")).toContainText("Row 1 is saved.");
  const entry = await vale.row("SELECT fields FROM quill_log.change ORDER BY id DESC LIMIT 1");
  expect(entry).toEqual({ fields: [{ field: "Ünïcode näme", old: "\n\nleading lines", new: "one\n\ntwo " }] });
});
