import { writeFile } from "node:fs/promises";
import path from "node:path";
import { expect, test } from "../vale.js";

/** What a form has of these names is hidden by a control that is called so (HTML, 4.10.3); parsers of forms take the last ones apart. */
const tables = [
  ["action", "enctype", "target", "elements", "submit", "length", "requestSubmit", "noValidate", "prepend"],
  ["method", "constructor", "toString", "addEventListener"],
  ["dataset", "__proto__", "a[b]", "tags[]", "x.y"],
];

for (const columns of tables)
  test(`columns that are called ${columns.join(", ")} are edited like any other`, async ({ signedIn, vale }, info) => {
    const isScripted = info.project.name === "with scripts";
    const name = `names-${columns[0]}-${isScripted}`;
    const declared = columns.map((column) => `"${column}" text NOT NULL DEFAULT 'as it was'`).join(", ");
    await vale.rows("CREATE SCHEMA IF NOT EXISTS odd");
    await vale.rows(`CREATE TABLE odd."${name}" (id integer PRIMARY KEY, kind text, ${declared})`);
    await vale.rows(`INSERT INTO odd."${name}" (id) VALUES (1)`);
    await vale.rows("GRANT USAGE ON SCHEMA odd TO quill_pages");
    await vale.rows(`GRANT SELECT, UPDATE ON odd."${name}" TO quill_pages`);
    const fields = columns.map((column) => `  - ${JSON.stringify(column)}: { rules: [{ max-length: 20 }] }\n`).join("");
    await writeFile(
      path.join(vale.pages, `${name}.page.yaml`),
      `format: loyal-quill/page@1\ntitle: "Name {id}"\nplural: Names\npath: /${name}/{id}\nrecord: { table: odd.${name}, key: id }\nfields:\n${fields}`,
    );
    const page = await signedIn("tamsin");
    const wrong: string[] = [];
    page.on("pageerror", (error) => wrong.push(error.message));
    await expect.poll(async () => (await page.goto(`/${name}`))?.status()).toBe(200);
    await page.goto(`/${name}/1/edit`);
    const boxes = page.locator("form[data-send] input[type=text]");
    await expect(boxes).toHaveCount(columns.length);

    // Refused, all that was typed stays; with scripts the document does, too.
    await page.evaluate(() => document.body.setAttribute("data-first", ""));
    for (const [index] of columns.entries()) await boxes.nth(index).fill(`typed ${index}`);
    await boxes.first().fill("longer than twenty characters");
    await page.getByRole("button", { name: "Update" }).click();
    await expect(page.locator(".quill-problem")).toHaveCount(1);
    await expect(page.locator(".quill-problem")).toContainText("20");
    await expect(page.locator("body[data-first]")).toHaveCount(isScripted ? 1 : 0);
    for (const [index] of columns.entries())
      if (index > 0) await expect(boxes.nth(index)).toHaveValue(`typed ${index}`);

    await boxes.first().fill("typed 0");
    await page.getByRole("button", { name: "Update" }).click();
    await expect(page.getByRole("status")).toContainText("Name 1 is saved.");
    const stored = await vale.row<Record<string, string>>(`SELECT * FROM odd."${name}"`);
    expect(columns.map((column) => stored[column])).toEqual(columns.map((_, index) => `typed ${index}`));
    expect(wrong).toEqual([]);
  });
