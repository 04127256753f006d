import type { Page } from "@playwright/test";
import { enterAs, expect, test } from "../vale.js";
import { violations } from "../violations.js";

/*
 * What people see when they press is what is sent, and what is answered is the same with scripts and without: the same row, the same entry of the
 * log, the same request recorded, once.
 */

const isScripted = (): boolean => test.info().project.name === "with scripts";
const update = (page: Page) => page.getByRole("button", { name: "Update", exact: true });

/** What was recorded of saves, and nothing of what was only looked at. */
const saves = (all: readonly string[]): readonly string[] =>
  all.filter((each) => /^(save|create|delete|rows) /.test(each));

test("a refused form and then a saved one are two requests, recorded as such, and one entry of the log", async ({
  signedIn,
  vale,
}) => {
  const page = await signedIn("hollis");
  const since = new Date();
  const before = await vale.row<{ count: number }>("SELECT count(*)::int FROM quill_log.change");
  const posts: string[] = [];
  page.on("request", (request) => {
    if (request.method() === "POST") posts.push(new URL(request.url()).pathname);
  });
  await page.goto("/stations/MV-019/edit");
  await page.getByLabel("Station name").fill("");
  await page.getByLabel("Notes").fill("Kept through the refusal");
  await update(page).click();
  await expect(page.getByRole("alert")).toContainText("Station name is needed: enter a value.");
  await expect(page.getByLabel("Notes")).toHaveValue("Kept through the refusal");
  await page.getByLabel("Station name").fill("Kingfisher Weir");
  await update(page).click();
  await expect(page.getByRole("status")).toContainText("is saved");
  expect(posts).toEqual(["/stations/MV-019/edit", "/stations/MV-019/edit"]);
  await expect.poll(async () => saves(await vale.recorded("station", since))).toEqual(["save invalid", "save saved"]);
  expect(await vale.row("SELECT name, notes FROM network.station WHERE code = 'MV-019'")).toEqual({
    name: "Kingfisher Weir",
    notes: "Kept through the refusal",
  });
  expect(await vale.row("SELECT count(*)::int FROM quill_log.change")).toEqual({ count: before.count + 1 });
});

test("a conflict is shown where the form was, with both values, and is solved there", async ({ signedIn, vale }) => {
  const page = await signedIn("hollis");
  const since = new Date();
  await page.goto("/stations/MV-020/edit");
  await vale.rows("UPDATE network.station SET notes = 'By the office' WHERE code = 'MV-020'");
  await page.getByLabel("Notes").fill("By hand");
  await update(page).click();
  await expect(page.getByRole("alert")).toContainText("Someone else has changed this record");
  await expect(page).toHaveURL(/\/stations\/MV-020\/edit$/);
  await page.getByRole("button", { name: "Take theirs (Notes)" }).click();
  await expect(page.getByLabel("Notes")).toHaveValue("By the office");
  await page.getByLabel("Notes").fill("By both");
  await update(page).click();
  await expect(page.getByRole("status")).toContainText("is saved");
  await expect
    .poll(async () => saves(await vale.recorded("station", since)))
    .toEqual(["save conflict", "save shown", "save saved"]);
});

test.describe("a choice that is searched", () => {
  const field = (page: Page) =>
    isScripted()
      ? page.getByRole("combobox", { name: "Station", exact: true })
      : page.getByRole("searchbox", { name: "Find in Station" });
  const open = async (page: Page, id: string): Promise<void> => {
    await page.goto(`/visits/${id}/edit`);
    await expect(field(page)).toBeVisible();
  };
  const visit = (vale: { row: <T extends object>(text: string) => Promise<T> }) =>
    vale.row<{ id: string; station_code: string }>(
      "SELECT id::text, station_code FROM field.visit WHERE station_code NOT IN ('MV-014', 'MV-021') ORDER BY visited_at DESC, id LIMIT 1",
    );

  test("takes what is called so, also where nobody chose it: by Tab, and typed fast", async ({ signedIn, vale }) => {
    const page = await signedIn("tamsin");
    const { id } = await visit(vale);
    await open(page, id);
    await field(page).fill("MV-014");
    if (isScripted()) await expect(page.getByText("1 found: choose one.")).toBeVisible();
    await field(page).press("Tab");
    await update(page).click();
    await expect(page.getByRole("status").first()).toContainText("is saved");
    expect(await vale.row("SELECT station_code FROM field.visit WHERE id::text = $1", [id])).toEqual({
      station_code: "MV-014",
    });
    await open(page, id);
    // Faster than any answer, and by the button.
    await field(page).fill("mv-021");
    await update(page).click();
    await expect(page.getByRole("status").first()).toContainText("is saved");
    expect(await vale.row("SELECT station_code FROM field.visit WHERE id::text = $1", [id])).toEqual({
      station_code: "MV-021",
    });
  });

  test("keeps what is called nothing, or by which several are called, and says so: nothing is saved", async ({
    signedIn,
    vale,
  }) => {
    const page = await signedIn("tamsin");
    const { id, station_code } = await visit(vale);
    const since = new Date();
    for (const [text, said] of [
      ["MV-0", /several are found for “MV-0”/],
      ["Nowhere Weir", /nothing is called “Nowhere Weir”/],
    ] as const) {
      await open(page, id);
      await page.getByLabel("Findings").fill(`Looked for ${text}`);
      await field(page).fill(text);
      await update(page).click();
      await expect(page.getByRole("alert").first()).toContainText(said);
      await expect(field(page)).toHaveValue(text);
      await expect(page.getByLabel("Findings")).toHaveValue(`Looked for ${text}`);
      // What describes the field is there.
      if (isScripted()) expect(await violations(page)).toEqual([]);
      expect(await vale.row("SELECT station_code FROM field.visit WHERE id::text = $1", [id])).toEqual({
        station_code,
      });
    }
    await expect.poll(async () => saves(await vale.recorded("visit", since))).toEqual(["save invalid", "save invalid"]);
  });

  test("that finds nothing is no wider than a small window, however much was typed", async ({ signedIn, vale }) => {
    test.skip(!isScripted(), "without scripts the text stands in a field of its own");
    const page = await signedIn("tamsin");
    await page.setViewportSize({ width: 390, height: 800 });
    await open(page, (await visit(vale)).id);
    await field(page).fill("z".repeat(500));
    await expect(page.getByText(/^Nothing contains “z+”/)).toBeVisible();
    expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBe(390);
  });

  test("that is emptied is empty when it is sent", async ({ signedIn, vale }) => {
    test.skip(!isScripted(), "without scripts the list itself shows what is chosen");
    const page = await signedIn("tamsin");
    const { id, station_code } = await visit(vale);
    await open(page, id);
    await field(page).fill("");
    await update(page).click();
    await expect(page.getByRole("alert")).toContainText("Station is needed");
    expect(await vale.row("SELECT station_code FROM field.visit WHERE id::text = $1", [id])).toEqual({ station_code });
  });
});

test("a moment of a full minute is as it was for whoever leaves it alone: the browser writes it without its seconds", async ({
  signedIn,
  vale,
}) => {
  test.skip(!isScripted(), "what is changed is told by a script");
  const page = await signedIn("tamsin");
  const { id } = await vale.row<{ id: string }>(
    "UPDATE field.visit SET visited_at = date_trunc('minute', visited_at) WHERE id = (SELECT id FROM field.visit WHERE station_code = 'MV-021' LIMIT 1) RETURNING id::text",
  );
  const warned: string[] = [];
  const asked: string[] = [];
  page.on("console", (message) => message.type() === "warning" && warned.push(message.text()));
  page.on("dialog", (dialog) => {
    asked.push(dialog.type());
    void dialog.accept();
  });
  await page.goto(`/visits/${id}/edit`);
  const moment = page.getByLabel("Visited at");
  await expect(moment).toHaveValue(/T\d\d:\d\d$/);
  await moment.dispatchEvent("input");
  await moment.dispatchEvent("change");
  await expect(page.getByRole("button", { name: /^Put back/ })).toHaveCount(0);
  await page.getByRole("link", { name: "Cancel" }).click();
  await expect(page).toHaveURL(/\/visits$/);
  // One that is changed is asked about, and put back.
  await page.goto(`/visits/${id}/edit`);
  await moment.fill("2026-03-04T05:06:07");
  await page.getByRole("button", { name: "Put back (Visited at)" }).click();
  await expect(page.getByRole("button", { name: /^Put back/ })).toHaveCount(0);
  await page.getByRole("link", { name: "Cancel" }).click();
  await expect(page).toHaveURL(/\/visits$/);
  expect([warned, asked]).toEqual([[], []]);
});

test("a date that was begun and not finished is refused at its field, and not stored as none", async ({
  signedIn,
  vale,
}) => {
  test.skip(!isScripted(), "without scripts a browser sends nothing of it, and says nothing");
  const page = await signedIn("hollis");
  await vale.rows("UPDATE network.station SET installed_on = '2020-05-04' WHERE code = 'MV-022'");
  await page.goto("/stations/MV-022/edit");
  await page.getByLabel("Station name").fill("");
  await page.getByLabel("Installed on").focus();
  await page.keyboard.press("Delete");
  await update(page).click();
  await expect(page.getByRole("alert")).toContainText("Fix 2 errors");
  await expect(page.getByLabel("Installed on")).toHaveAccessibleDescription(/must be a date/);
  expect(await page.getByLabel("Installed on").evaluate((input: HTMLInputElement) => input.validity.badInput)).toBe(
    true,
  );
  await page.getByLabel("Station name").fill("Heron Lock");
  await page.getByLabel("Installed on").fill("2021-06-07");
  await update(page).click();
  await expect(page.getByRole("status")).toContainText("is saved");
  expect(await vale.row("SELECT installed_on::text FROM network.station WHERE code = 'MV-022'")).toEqual({
    installed_on: "2021-06-07",
  });
});

test("a file that was chosen stays chosen where the form is refused", async ({ signedIn, vale }) => {
  test.skip(!isScripted(), "without scripts no server can put a file back into a form");
  const page = await signedIn("tamsin");
  const { id } = await vale.row<{ id: string }>(
    "SELECT id::text FROM field.visit ORDER BY visited_at DESC, id LIMIT 1",
  );
  await page.goto(`/visits/${id}/edit`);
  const photo = Buffer.from("89504e470d0a1a0a0000000d49484452", "hex");
  await page.locator("input[type=file]").setInputFiles({ name: "gauge.png", mimeType: "image/png", buffer: photo });
  await page.getByLabel("Level read").fill("high");
  await update(page).click();
  await expect(page.getByRole("alert")).toContainText("must be a number");
  await page.getByLabel("Level read").fill("1.5");
  await update(page).click();
  await expect(page.getByRole("status").first()).toContainText("is saved");
  expect(await vale.row("SELECT encode(photo, 'hex') AS photo FROM field.visit WHERE id::text = $1", [id])).toEqual({
    photo: photo.toString("hex"),
  });
});

test("without a network nothing that was typed is lost, and the form is sent when somebody says so", async ({
  signedIn,
  vale,
}) => {
  test.skip(!isScripted(), "without scripts the browser itself shows that there is no network");
  const page = await signedIn("hollis");
  await page.goto("/stations/MV-023/edit");
  await page.getByLabel("Notes").fill("Typed in a cellar");
  await page.context().setOffline(true);
  await update(page).click();
  await expect(page.getByRole("alert")).toContainText("The server can’t be reached.");
  await expect(page.getByLabel("Notes")).toHaveValue("Typed in a cellar");
  await page.context().setOffline(false);
  await update(page).click();
  await expect(page.getByRole("status")).toContainText("is saved");
  expect(await vale.row("SELECT notes FROM network.station WHERE code = 'MV-023'")).toEqual({
    notes: "Typed in a cellar",
  });
});

test("what was typed stays where its person has lost the access meanwhile", async ({ signedIn, vale, browser }) => {
  test.skip(!isScripted(), "without scripts the browser goes back to the form as it was");
  const page = await signedIn("dara");
  await page.goto("/bulletins/new");
  await page.getByLabel("Headline").fill("Typed before the role went");
  const context = await browser.newContext({ baseURL: vale.address });
  const people = await context.newPage();
  await people.goto("/sign-in");
  await enterAs(people, vale, "rhea");
  await people.goto("/workbench/people");
  await people.getByRole("button", { name: /Dara Lindqvist/ }).click();
  const form = people.locator("form", { has: people.getByLabel("Roles") });
  const give = async (role: string): Promise<void> => {
    await form.getByLabel("Roles").fill(role);
    await form.getByRole("button", { name: "Save", exact: true }).click();
    await expect(form.getByRole("status")).toContainText("Saved");
  };
  const add = page.getByRole("button", { name: "Add", exact: true });
  await give("reader");
  try {
    await add.click();
    await expect(page.getByRole("alert")).toHaveText("You have no access to this page. What you typed is still here.");
    await expect(page.getByLabel("Headline")).toHaveValue("Typed before the role went");
  } finally {
    await people.reload();
    await give("duty-officer");
    await context.close();
  }
  // Given back, it goes on from there.
  await add.click();
  await expect(page.getByRole("alert")).not.toContainText("no access");
  await expect(page.getByLabel("Headline")).toHaveValue("Typed before the role went");
});

test("an answer that is none of the page's own leaves the form as it was typed", async ({ signedIn }) => {
  test.skip(!isScripted(), "without scripts the browser shows whatever has answered");
  const page = await signedIn("hollis");
  await page.goto("/stations/MV-023/edit");
  await page.getByLabel("Notes").fill("Typed behind a proxy");
  await page.route("**/stations/MV-023/edit", (route) =>
    route.fulfill({ status: 502, contentType: "text/html", body: "<h1>Bad gateway</h1>" }),
  );
  await update(page).click();
  await expect(page.getByRole("alert")).toContainText("(502)");
  await expect(page.getByLabel("Notes")).toHaveValue("Typed behind a proxy");
});

test("a form that is sent twice, before its answer was seen, saves once and says when", async ({ signedIn, vale }) => {
  test.skip(!isScripted(), "without scripts the browser asks before it sends a form again");
  const page = await signedIn("hollis");
  const before = await vale.row<{ count: number }>("SELECT count(*)::int FROM quill_log.change");
  await page.goto("/stations/MV-024/edit");
  await page.getByLabel("Notes").fill(`Saved unseen ${Math.random()}`);
  let isLost = true;
  await page.route("**/stations/MV-024/edit", async (route) => {
    if (!isLost) return route.continue();
    isLost = false;
    await route.fetch();
    await route.abort("connectionreset");
  });
  await update(page).click();
  await expect(page.getByRole("alert")).toContainText("The server can’t be reached.");
  await update(page).click();
  await expect(page.getByRole("status")).toContainText(/was saved at \d{4}-\d\d-\d\d/);
  expect(await vale.row("SELECT count(*)::int FROM quill_log.change")).toEqual({ count: before.count + 1 });
});

test("what is typed while something else is on its way is asked about before that takes its place, and nothing can be typed that is not sent", async ({
  signedIn,
  vale,
}) => {
  test.skip(!isScripted(), "without scripts the browser itself loads what comes");
  const [one, other] = await vale.rows<{ slug: string; headline: string }>(
    "SELECT slug, headline FROM office.bulletin WHERE team = 'duty' AND state = 'planned' ORDER BY publish_at DESC LIMIT 2",
  );
  const page = await signedIn("dara");
  await page.goto(`/bulletins?key=${one?.slug}`);
  const headline = page.getByLabel("Headline");
  await expect(headline).toHaveValue(one?.headline ?? "");
  let go = (): void => {};
  const slowly = async (): Promise<void> => {
    const came = new Promise<void>((resolve) => {
      go = resolve;
    });
    await page.route(
      (url) => url.pathname.startsWith("/bulletins"),
      async (route) => {
        const response = await route.fetch({ maxRedirects: 0 });
        await came;
        await route.fulfill({ response });
      },
    );
  };
  const edit = page.getByRole("link", { name: `Edit ${other?.slug}`, exact: true });
  const answers = [false, true];
  const asked: string[] = [];
  page.on("dialog", (dialog) => {
    asked.push(dialog.message());
    void (answers.shift() ? dialog.accept() : dialog.dismiss());
  });
  for (const leaves of [false, true]) {
    await slowly();
    await edit.click();
    await headline.fill(`Typed on the way ${leaves}`);
    go();
    await expect.poll(() => asked).toHaveLength(leaves ? 2 : 1);
    await expect(headline).toHaveValue(leaves ? (other?.headline ?? "") : "Typed on the way false");
    await page.unrouteAll({ behavior: "wait" });
    if (!leaves) await page.keyboard.press("Alt+Backspace");
  }
  expect(asked).toEqual(["What you typed is not saved. Leave it?", "What you typed is not saved. Leave it?"]);
  await slowly();
  await headline.fill("Low flow everywhere");
  await page.keyboard.press("Enter");
  await expect(page.getByText("Saving …")).toBeVisible();
  await page.keyboard.type(", and lost");
  await expect(headline).toHaveValue("Low flow everywhere");
  go();
  await expect(page.getByRole("status")).toContainText("is saved");
  await page.unrouteAll({ behavior: "wait" });
  await expect(headline).toHaveValue("Low flow everywhere");
  // It can be typed in again, also where nothing came of it.
  await headline.fill("Too short".slice(0, 3));
  await page.getByRole("button", { name: "Update" }).click();
  await expect(page.getByRole("alert")).toContainText("Headline has 3 characters");
  await page.route(
    (url) => url.pathname.startsWith("/bulletins"),
    (route) => route.abort(),
  );
  await headline.fill("Low flow nowhere");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("alert")).toContainText("The server can’t be reached.");
  // What was said before is over: whether this one is saved nobody knows here.
  await expect(page.getByText("Nothing was saved.")).toHaveCount(0);
  await expect(headline).toBeFocused();
  await page.keyboard.press("End");
  await page.keyboard.type(", again");
  await expect(headline).toHaveValue("Low flow nowhere, again");
});
