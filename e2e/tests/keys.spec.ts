import { writeFile } from "node:fs/promises";
import path from "node:path";
import { expect, test } from "../vale.js";
import { violations } from "../violations.js";

test("a bulletin gets a new address from its headline, and the answer leads there", async ({ signedIn, vale }) => {
  const { slug } = await vale.row<{ slug: string }>(
    "SELECT slug FROM office.bulletin WHERE team = 'duty' AND state = 'planned' ORDER BY id DESC LIMIT 1",
  );
  const headline = `Gauges rest in week ${Math.floor(Math.random() * 1e6)}`;
  const page = await signedIn("dara");
  await page.getByRole("link", { name: "Bulletins" }).click();
  await page.getByLabel("Contains").fill(slug);
  await page.getByRole("button", { name: "Find" }).click();
  await expect(page).toHaveURL(/[?&]q=/);
  await page.getByRole("link", { name: `Edit ${slug}`, exact: true }).click();
  await expect(page.getByRole("button", { name: "Update" })).toBeVisible();
  await page.getByLabel("Headline").fill(headline);
  await page.locator("[name=slug]").fill("");
  await page.getByRole("button", { name: "Update" }).click();
  const renamed = headline.toLowerCase().replaceAll(" ", "-");
  await expect(page).toHaveURL(`${vale.address}/bulletins/${renamed}/edit?q=${slug}`);
  await expect(page.getByRole("status")).toContainText(`Bulletin ${renamed} is saved.`);
  const entry = await vale.row("SELECT record_key, new_key FROM quill_log.change ORDER BY id DESC LIMIT 1");
  expect(entry).toEqual({ record_key: { slug }, new_key: { slug: renamed } });
  expect((await page.goto(`/bulletins/${slug}/edit`))?.status()).toBe(404);
});

test("keys with slashes, dots, percent signs, spaces and emoji are reached through real addresses, on a page in Arabic", async ({
  signedIn,
  vale,
}, info) => {
  const keys = ["a/b", "..", "50 %2F", "two  spaces", "🌊", "?q=1#x", "~"];
  await vale.rows("CREATE SCHEMA IF NOT EXISTS odd");
  await vale.rows(
    "CREATE TABLE IF NOT EXISTS odd.place (key text PRIMARY KEY, level numeric(4,2) NOT NULL, note text)",
  );
  await vale.rows("INSERT INTO odd.place SELECT k, 1.00, NULL FROM unnest($1::text[]) AS k ON CONFLICT DO NOTHING", [
    keys,
  ]);
  await vale.rows("GRANT USAGE ON SCHEMA odd TO quill_pages");
  await vale.rows("GRANT SELECT, UPDATE ON odd.place TO quill_pages");
  await writeFile(
    path.join(vale.pages, "place.page.yaml"),
    'format: loyal-quill/page@1\ntitle: "مكان {key}"\nplural: أماكن\nlanguage: ar\npath: /places/{key}\nrecord: { table: odd.place, key: key }\nfields: [key, { level: { label: المستوى } }, { note: { label: ملاحظة } }]\n',
  );
  const page = await signedIn("tamsin");
  await expect.poll(async () => (await page.goto("/places"))?.status()).toBe(200);
  await expect(page.locator("html")).toHaveAttribute("dir", "rtl");
  for (const key of keys) {
    await page.goto("/places");
    await page
      .getByRole("row")
      .filter({ has: page.getByRole("rowheader", { name: key, exact: true }) })
      .getByRole("link")
      .last()
      .click();
    await expect(page.getByRole("heading", { level: 1 })).toHaveText(`مكان ${key}`);
    const note = `note of ${key} ${Math.random()}`;
    await page.getByLabel("ملاحظة").fill(note);
    await page.getByRole("button", { name: "تحديث" }).click();
    await expect(page.getByRole("status")).toContainText("تم حفظ");
    expect(await vale.row("SELECT key FROM odd.place WHERE note = $1", [note])).toEqual({ key });
  }
  await page.goto("/places/a%2Fb/edit");
  await page.getByLabel("المستوى").fill("x");
  await page.getByRole("button", { name: "تحديث" }).click();
  await expect(page.getByRole("alert")).toContainText("يجب أن يكون المستوى عددًا");
  // What looks for violations is a script itself.
  if (info.project.name === "with scripts") expect(await violations(page)).toEqual([]);
});
