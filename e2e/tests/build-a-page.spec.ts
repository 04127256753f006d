import pg from "pg";
import { test as base, expect } from "../vale.js";

/** A table of twenty columns that no page knows yet, as somebody would have it. */
const table = `CREATE TABLE office.gauge_house (
  id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  name varchar(80) NOT NULL,
  station_code text REFERENCES network.station,
  river_id integer REFERENCES network.river,
  keeper text,
  keeper_email text,
  built_on date,
  opened_on date,
  closed_on date,
  floor_m numeric(6,2),
  roof_m numeric(6,2),
  width_m numeric(5,2) CHECK (width_m > 0),
  rooms smallint NOT NULL DEFAULT 1,
  heated boolean NOT NULL DEFAULT false,
  listed boolean NOT NULL DEFAULT false,
  key_number varchar(12) UNIQUE,
  insured_for numeric(12,2),
  checked_at timestamptz,
  directions text,
  remarks text
)`;

/** The archive's owner, with the table there for as long as the test takes. */
const test = base.extend<{ archive: pg.Client }>({
  archive: async ({ vale }, use) => {
    const archive = new pg.Client(vale.archiveUrl);
    await archive.connect();
    await archive.query(table);
    await archive.query(
      `INSERT INTO office.gauge_house (name, station_code, built_on, opened_on, closed_on, key_number, floor_m, roof_m)
       SELECT 'House at ' || name, code, '1921-05-01', '1922-01-01', CASE WHEN code > 'MV-040' THEN date '1999-12-31' END, 'K' || code, 1.5, 4.75
       FROM network.station`,
    );
    await archive.query("GRANT SELECT, INSERT, UPDATE ON office.gauge_house TO quill_pages");
    await use(archive);
    // A census or a rehearsal may still look at it, and one of the two is given up.
    await expect(() => archive.query("DROP TABLE office.gauge_house")).toPass({ timeout: 60_000 });
    await archive.end();
  },
});

test("from an empty workbench and a table of twenty columns to a published page and a logged change, by keyboard only", async ({
  signedIn,
  archive,
}) => {
  test.slow();
  const page = await signedIn("ines");
  await page.goto("/workbench/at/archive");
  await expect(page.getByRole("heading", { name: "No pages yet" })).toBeVisible();
  await expect(page.getByRole("status").filter({ hasText: "live" })).toBeVisible();

  let actions = 0;
  let strokes = 0;
  const press = async (key: string): Promise<void> => {
    actions += 1;
    strokes += 1;
    await page.keyboard.press(key);
  };
  const type = async (text: string): Promise<void> => {
    actions += 1;
    strokes += text.length;
    await page.keyboard.type(text);
  };
  const editor = (label: string) => page.getByRole("textbox", { name: label, exact: true }).last();
  /** A command picked by a part of its name: one action. */
  const pick = async (words: string, found: string): Promise<void> => {
    actions += 1;
    strokes += words.length + 2;
    await page.keyboard.press("Control+k");
    await page.getByRole("textbox", { name: "Search commands" }).waitFor();
    await page.keyboard.type(words);
    await expect(page.getByRole("menuitem").first()).toContainText(found);
    await page.keyboard.press("Enter");
    await expect(page.getByRole("dialog", { name: "Search commands" })).toHaveCount(0);
  };
  /** What was typed, and the first name that completes it. */
  const complete = async (text: string, name: string): Promise<void> => {
    await type(text);
    const first = page.locator(".cm-tooltip-autocomplete li[aria-selected]");
    await expect(first).toContainText(name);
    // The list takes no key in its first moment, so that nobody picks what came up under the fingers.
    await page.waitForTimeout(120);
    await press("Enter");
  };

  // The structure is looked at every few seconds: nothing has to be restarted for a new table.
  await expect(async () => {
    await page.keyboard.press("Control+k");
    await page.getByRole("textbox", { name: "Search commands" }).waitFor();
    await page.keyboard.type("draft gauge");
    const isThere = await page.getByRole("menuitem", { name: /office\.gauge_house/ }).count();
    await page.keyboard.press("Escape");
    expect(isThere).toBe(1);
  }).toPass({ timeout: 60_000 });

  const begun = Date.now();
  await pick("draft gauge", "Create draft for office.gauge_house");
  const served = page.frameLocator("iframe");
  await expect(served.getByRole("heading", { level: 1 })).toContainText("House at Alder Bridge");
  await expect(served.getByRole("combobox", { name: "Station" })).toBeVisible();

  await pick("can open", "Can open");
  await expect(editor("Can open")).toBeFocused();
  await complete('"builder" in actor.ro', "actor.roles");
  await pick("editable when", "Editable when");
  await expect(editor("Editable when")).toBeFocused();
  await complete("row.cl", "row.closed_on");
  await type(" == null");
  await expect(page.getByText(/holds for 40 of 48 rows/)).toBeVisible();

  await pick("keeper_email e-mail", "keeper_email: add the rule E-mail address");
  await pick("name minimum length", "name: add the rule Minimum length");
  await expect(page.getByRole("textbox", { name: "Minimum length" })).toBeFocused();
  await type("3");
  await pick("rooms maximum", "rooms: add the rule Maximum");
  await expect(page.getByRole("textbox", { name: "Maximum" })).toBeFocused();
  await type("12");
  await pick("key_number pattern", "key_number: add the rule Pattern");
  await expect(page.getByRole("textbox", { name: "Pattern" })).toBeFocused();
  await type("K.*");

  await pick("add check", "Add a check across fields");
  await expect(editor("Condition")).toBeFocused();
  await complete("form.cl", "form.closed_on");
  await complete(" >= form.op", "form.opened_on");
  // What it comes to as SQL is on the way, once it is known.
  await expect(page.getByRole("list", { name: "Checks" }).getByText("As SQL")).toBeVisible();
  await press("Tab");
  await press("Tab");
  await expect(page.getByLabel("Error message")).toBeFocused();
  await page.keyboard.press("Control+a");
  await type("A house closes after it was opened.");
  await expect(page.getByText(/holds for 8 of 48 rows/)).toBeVisible();
  await expect(page.getByRole("status").filter({ hasText: "Draft, not published yet" })).toBeVisible();

  await pick("publish", "Publish this page");
  await expect(page.getByRole("button", { name: "Publish now" })).toBeFocused();
  await press("Enter");
  await expect(page.getByRole("status").filter({ hasText: "Published, no draft" })).toBeVisible();

  await pick("open record served", "Open this record on the served page");
  await expect(page.getByRole("heading", { level: 1 })).toContainText("House at");
  for (let tab = 0; tab < 20; tab++) {
    await press("Tab");
    if ((await page.locator(":focus").getAttribute("name")) === "name") break;
  }
  await page.keyboard.press("Control+a");
  await type("Upper house");
  await press("Enter");
  await expect(page).toHaveURL(/\/archive\/gauge-house\/\d+$/);
  const seconds = (Date.now() - begun) / 1000;

  const {
    rows: [entry],
  } = await archive.query("SELECT fields, actor_name FROM quill_log.change WHERE table_name = 'office.gauge_house'");
  expect(entry).toEqual({
    actor_name: "Ines Farrow",
    fields: [{ field: "name", old: "House at Alder Bridge", new: "Upper house" }],
  });
  test.info().annotations.push({
    type: "measured",
    description: `${actions} actions, ${strokes} key strokes, ${seconds.toFixed(0)} s`,
  });
  console.log(`  ${actions} actions, ${strokes} key strokes, ${seconds.toFixed(0)} s`);
  expect(actions).toBeLessThan(40);
  expect(seconds).toBeLessThan(180);
});

test("the same page is built with at most 25 actions by pointer, publishing included", async ({
  signedIn,
  archive,
}) => {
  test.slow();
  expect(archive).toBeDefined();
  const page = await signedIn("ines");
  await page.setViewportSize({ width: 1280, height: 800 });
  page.setDefaultTimeout(20_000);
  await page.goto("/workbench/at/archive/database");
  let actions = 0;
  /** One press of the pointer. */
  const press = async (what: ReturnType<typeof page.locator>): Promise<void> => {
    actions += 1;
    await what.click();
  };
  /** One text, typed where the pointer is pressed. */
  const fill = async (label: string, text: string): Promise<void> => {
    actions += 1;
    const box = page.getByRole("textbox", { name: label, exact: true }).last();
    await box.click();
    await page.keyboard.press("Control+a");
    await page.keyboard.type(text);
    // What completes a name as it is typed is not taken.
    if ((await page.locator(".cm-tooltip-autocomplete").count()) > 0) await page.keyboard.press("Escape");
  };
  const create = page.getByRole("button", { name: "Create draft for office.gauge_house" });
  await expect(create).toBeVisible();
  await press(create);
  await expect(page.frameLocator("iframe").getByRole("heading", { level: 1 })).toContainText("House at");

  await press(page.getByRole("button", { name: /^Access, / }).first());
  await fill("Can open", '"builder" in actor.roles');
  await fill("Editable when", "row.closed_on == null");
  const rule = async (field: string, name: string, value?: string): Promise<void> => {
    await press(page.locator(`[data-field-button="${field}"]`));
    await press(page.getByRole("group", { name: `Settings of ${field}` }).getByRole("button", { name: "Add a rule" }));
    await press(page.getByRole("menuitem", { name, exact: true }));
    if (value !== undefined) await fill(name, value);
  };
  await rule("keeper_email", "E-mail address");
  await rule("name", "Minimum length", "3");
  await rule("rooms", "Maximum", "12");
  await rule("key_number", "Pattern", "K.*");
  await press(page.getByRole("button", { name: /^Check, / }).first());
  await press(page.getByRole("button", { name: "Add a check across fields" }));
  await fill("Condition", "form.closed_on >= form.opened_on");
  await fill("Error message", "A house closes after it was opened.");
  await expect(page.getByRole("status").filter({ hasText: "Draft, not published yet" })).toBeVisible();
  await expect(page.getByRole("button", { name: /^\d+ error/ })).toHaveCount(0);
  await press(page.getByRole("button", { name: "Publish…" }));
  await press(page.getByRole("button", { name: "Publish now" }));
  await expect(page.getByRole("status").filter({ hasText: "Published, no draft" })).toBeVisible();
  // What is served now, where, and what comes next.
  await expect(page.getByRole("link", { name: /^\/archive\/gauge-house/ })).toBeVisible();
  await expect(page.getByRole("link", { name: "Add a person" })).toBeVisible();
  console.log(`  ${actions} actions by pointer`);
  expect(actions).toBeLessThanOrEqual(25);
  await page.getByRole("tab", { name: "File", exact: true }).click();
  for (const text of ['"builder" in actor.roles', "row.closed_on == null", "e-mail", "min-length: 3", "max: 12", "K.*"])
    await expect(page.getByRole("textbox", { name: "Page file" })).toContainText(text);
});
