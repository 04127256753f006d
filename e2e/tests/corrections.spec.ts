import { readFile, writeFile } from "node:fs/promises";
import path from "node:path";
import type { Page } from "@playwright/test";
import { expect, test } from "../vale.js";
import { violations } from "../violations.js";

/** Who corrects many records a day, by keyboard only; and the pages in every language, with and without scripts. */

/** Counts what is pressed. */
function keyboard(page: Page) {
  let count = 0;
  return {
    press: async (key: string): Promise<void> => {
      count += 1;
      await page.keyboard.press(key);
    },
    type: async (text: string): Promise<void> => {
      count += text.length;
      await page.keyboard.type(text);
    },
    pressing: async (press: () => Promise<void>): Promise<void> => {
      count += 1;
      await press();
    },
    count: () => count,
  };
}

/** Presses an access key (HTML, 6.8.2), as the browser gets it from a keyboard: what it stands for without Alt is what it goes by. */
async function pressAccessKey(page: Page, key: string): Promise<void> {
  const session = await page.context().newCDPSession(page);
  const event = {
    modifiers: 1,
    key,
    code: `Key${key.toUpperCase()}`,
    unmodifiedText: key,
    windowsVirtualKeyCode: key.toUpperCase().charCodeAt(0),
  };
  await session.send("Input.dispatchKeyEvent", { type: "keyDown", text: key, ...event });
  await session.send("Input.dispatchKeyEvent", { type: "keyUp", ...event });
  await session.detach();
}

/** A live station of the middle vale, which a technician may edit. */
const liveStation = async (
  vale: { row: <T extends object>(text: string) => Promise<T> },
  place: number,
): Promise<string> =>
  (
    await vale.row<{ code: string }>(
      `SELECT code FROM network.station WHERE status = 'live' ORDER BY code OFFSET ${place} LIMIT 1`,
    )
  ).code;

const focused = (page: Page): Promise<string> =>
  page.evaluate(() => {
    const { activeElement } = document;
    return (activeElement as HTMLInputElement | null)?.name || activeElement?.tagName || "";
  });

for (const javaScriptEnabled of [true, false]) {
  test.describe(javaScriptEnabled ? "with scripts" : "without scripts", () => {
    test.use({ javaScriptEnabled });

    test("one corrected figure costs 18 keys from the list, and 12 with the next record", async ({
      signedIn,
      vale,
    }) => {
      const file = path.join(vale.pages, "station.page.yaml");
      const text = await readFile(file, "utf8");
      // A list longer than a page has Go to: stations are 48, so there are more of them for this test.
      await vale.rows(
        `INSERT INTO network.station (code, name, river_id, region_id, grid_reference, status, alert_m, warning_m, telemetry)
         SELECT 'MV-' || (900 + i), 'Spare gauge ' || i, 1, 1, 'MV 9' || lpad(i::text, 2, '0') || ' 001', 'live', 1, 2, false FROM generate_series(1, 5) AS i ON CONFLICT DO NOTHING`,
      );
      const page = await signedIn("tamsin");
      const keys = keyboard(page);
      await page.goto("/stations");
      expect(javaScriptEnabled ? await focused(page) : "H1").toBe("H1");
      await keys.pressing(() => pressAccessKey(page, "g"));
      await keys.type("MV-902");
      await keys.press("Enter");
      await expect(page).toHaveURL(/stations\/MV-902\/edit/);
      await expect(page.getByLabel("Station name")).toBeFocused();
      // River, region, grid reference, status, and there it is.
      for (let tabs = 0; tabs < 5; tabs++) await keys.press("Tab");
      await expect(page.getByLabel("Alert level")).toBeFocused();
      await keys.type("1.25");
      await keys.press("Enter");
      await expect(page.getByRole("status").first()).toContainText("MV-902");
      expect(keys.count()).toBeLessThanOrEqual(18);
      expect(
        (await vale.row<{ level: string }>("SELECT alert_m::text AS level FROM network.station WHERE code = 'MV-902'"))
          .level,
      ).toBe("1.25");

      await writeFile(file, text.replace("answer: { saved: list,", "answer: { saved: next,"));
      try {
        await expect.poll(async () => (await page.request.get("/stations/MV-902/edit")).status()).toBe(200);
        await page.waitForTimeout(500);
        await page.goto("/stations/MV-903/edit#field-7");
        const next = keyboard(page);
        await expect(page.getByLabel("Alert level")).toBeFocused();
        await next.press("Control+a");
        await next.type("1.35");
        await next.press("Enter");
        await expect(page).toHaveURL(/stations\/MV-904\/edit/);
        await expect(page.getByLabel("Alert level")).toBeFocused();
        await next.press("Control+a");
        await next.type("1.45");
        await next.press("Enter");
        await expect(page).toHaveURL(/stations\/MV-905\/edit/);
        // Two records.
        expect(next.count() / 2).toBeLessThanOrEqual(12);
      } finally {
        await writeFile(file, text);
        await vale.rows("DELETE FROM network.station WHERE code LIKE 'MV-9%'");
      }
    });

    test("what was saved is undone from the row that says so", async ({ signedIn, vale }) => {
      const page = await signedIn("tamsin");
      const code = await liveStation(vale, 9);
      await page.goto(`/stations/${code}/edit`);
      await page.getByLabel("Notes").fill("A slip of the pen.");
      await page.getByRole("button", { name: "Update" }).click();
      await expect(page.getByRole("row", { name: new RegExp(`^${code}`) })).toContainText("saved just now");
      await page
        .getByRole("row", { name: new RegExp(`^${code}`) })
        .getByRole("link", { name: "Undo" })
        .click();
      await expect(page.getByRole("status").first()).toContainText("These are the values before your change.");
      await expect(page.getByText("A slip of the pen.")).toBeVisible();
      await page.getByRole("button", { name: "Update" }).click();
      await expect(page.getByRole("row", { name: new RegExp(`^${code}`) })).toContainText("saved just now");
      const { notes } = await vale.row<{ notes: string | null }>("SELECT notes FROM network.station WHERE code = $1", [
        code,
      ]);
      expect(notes).not.toBe("A slip of the pen.");
    });
  });
}

test("Put back is not in the way of Tab, and has keys of its own", async ({ signedIn, vale }) => {
  const page = await signedIn("tamsin");
  await page.goto(`/stations/${await liveStation(vale, 10)}/edit`);
  const name = page.getByLabel("Station name");
  const before = await name.inputValue();
  await name.fill("Typed");
  await expect(page.getByRole("button", { name: "Put back (Station name)" })).toBeVisible();
  await page.keyboard.press("Tab");
  await expect(page.getByLabel("River")).toBeFocused();
  await page.keyboard.press("Shift+Tab");
  await page.keyboard.press("Alt+Backspace");
  await expect(name).toHaveValue(before);
  await expect(page.getByRole("button", { name: "Put back (Station name)" })).toHaveCount(0);
});

for (const language of ["en", "de", "ar"] as const) {
  test(`every page in ${language} is as wide as its window, has one kind of date, and axe finds nothing`, async ({
    signedIn,
    vale,
  }) => {
    test.setTimeout(240_000);
    const names = ["station", "visit", "sensor", "river", "calibration", "loan"];
    const files = await Promise.all(
      names.map(async (name) => {
        const file = path.join(vale.pages, `${name}.page.yaml`);
        return { file, text: await readFile(file, "utf8") };
      }),
    );
    const inLanguage = (text: string): string =>
      text.replace(/^language: .*\n/m, "").replace(/^path:/m, `language: ${language}\npath:`);
    await Promise.all(files.map(({ file, text }) => writeFile(file, inLanguage(text))));
    const wrong: string[] = [];
    try {
      const page = await signedIn("tamsin");
      await expect
        .poll(async () => {
          await page.goto("/loans");
          return page.locator("html").getAttribute("lang");
        })
        .toBe(language);
      const { id } = await vale.row<{ id: string }>("SELECT id FROM field.visit LIMIT 1");
      const addresses = [
        "/stations",
        "/stations/MV-014",
        "/stations/MV-014/edit",
        "/stations/MV-014/history",
        "/stations/new",
        "/visits",
        `/visits/${id}`,
        `/visits/${id}/edit`,
        "/sensors",
        "/sensors/MV-014/1/edit",
        "/rivers",
        "/calibrations",
        "/loans",
      ];
      for (const address of addresses) {
        for (const width of [320, 1280]) {
          await page.setViewportSize({ width, height: 800 });
          await page.goto(address);
          const isWide = await page.evaluate(
            () => document.documentElement.scrollWidth > document.documentElement.clientWidth,
          );
          if (isWide) wrong.push(`${address} at ${width} is wider than its window`);
        }
        // One kind of date in what is read: no other beside it.
        // The legacy table keeps days as texts of its own.
        if (address === "/loans") continue;
        const text = await page.locator("main").innerText();
        const iso = /\b\d{4}-\d\d-\d\d\b/.test(text);
        const byDay = /\b\d\d\.\d\d\.\d{4}\b/.test(text);
        if (language === "de" ? iso : byDay) wrong.push(`${address} has a date of another kind`);
      }
      for (const address of ["/stations", "/stations/MV-014/edit", "/stations/new"]) {
        await page.goto(address);
        for (const found of await violations(page)) wrong.push(`${address}: ${found}`);
      }
    } finally {
      await Promise.all(files.map(({ file, text }) => writeFile(file, text)));
    }
    expect(wrong).toEqual([]);
  });
}
