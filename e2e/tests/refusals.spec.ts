import type { APIResponse, Page } from "@playwright/test";
import { enterAs, expect, signInAgain, test } from "../vale.js";

const stations = "SELECT md5(string_agg(s::text || s.xmin::text, '' ORDER BY code)) AS all FROM network.station s";

/** Sends the record's own form as the page would, with some values replaced or added, past what the browser would allow. */
async function sendForm(
  page: Page,
  path: string,
  edits: Readonly<Record<string, string>>,
  to = path,
): Promise<APIResponse> {
  const { request } = page.context();
  const html = await (await request.get(path)).text();
  const token =
    /name="quill\.token" value='([^']*)'/.exec(html)?.[1]?.replaceAll("&#39;", "'").replaceAll("&amp;", "&") ?? "";
  return request.post(to, { form: { "quill.token": token, ...edits }, maxRedirects: 0 });
}

test("what is wrong is said all at once in the page's own words, beside the fields and above", async ({
  signedIn,
  vale,
}, info) => {
  const page = await signedIn("hollis");
  const scripted = info.project.name === "with scripts";
  const before = await vale.row(stations);
  const sent: number[] = [];
  page.on("response", (response) => {
    if (response.request().method() === "POST" && response.url().endsWith("/edit")) sent.push(response.status());
  });
  await page.goto("/stations/MV-014/edit");
  await page.getByLabel("Station name").fill("");
  await page.getByLabel("Warning level").fill("three metres");
  await page.getByLabel("Alert level").fill("1,20");
  await page.getByLabel("Notes").fill("Typed and not lost");
  await page.getByRole("button", { name: "Update" }).click();
  await expect(page.getByRole("alert")).toContainText("Fix 3 errors");
  await expect(page.getByRole("alert")).toContainText("Station name is needed: enter a value.");
  await expect(page.getByLabel("Station name")).toHaveAccessibleDescription(/is needed: enter a value/);
  await expect(page.getByLabel("Warning level")).toHaveValue("three metres");
  await expect(page.getByLabel("Notes")).toHaveValue("Typed and not lost");
  await expect(page.getByLabel("Warning level")).toHaveAccessibleDescription(/must be a number/);
  await expect(page.getByLabel("Alert level")).toHaveAccessibleDescription(/written with a point/);
  await expect(page).toHaveTitle(/^Error: /);
  await page
    .getByRole("alert")
    .getByRole("link", { name: /Warning level/ })
    .click();
  await expect(page.getByLabel("Warning level")).toBeFocused();
  expect(sent).toEqual([422]);
  expect(await vale.row(stations)).toEqual(before);
  await page.getByLabel("Station name").fill("Otter Weir");
  await page.getByLabel("Alert level").fill("1.20");
  await page.getByLabel("Warning level").fill("2.20");
  await page.getByRole("button", { name: "Update" }).click();
  await expect(page).toHaveURL(/\/stations$/);
  expect(sent).toEqual([422, scripted ? 200 : 303]);
});

test("what was typed outlives the session: through the sign-in, back to the filled form, and saved", async ({
  signedIn,
  vale,
}, info) => {
  const page = await signedIn("hollis");
  await page.goto("/stations/MV-018/edit");
  await expect(page.getByRole("button", { name: "Sign out" })).toBeVisible();
  await page.getByLabel("Notes").fill("An hour of work,\nin two lines");
  await page.context().clearCookies();
  await page.getByRole("button", { name: "Update" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("You are signed out");
  await expect(page.getByText("An hour of work,")).toBeVisible();
  if (info.project.name === "with scripts") await expect(page.getByRole("heading", { level: 1 })).toBeFocused();
  await expect(page.getByRole("button", { name: "Sign out" })).toBeHidden();
  await signInAgain(page, vale, "hollis");
  await expect(page.getByLabel("Notes")).toHaveValue("An hour of work,\nin two lines");
  await page.getByRole("button", { name: "Update" }).click();
  await expect(page).toHaveURL(/\/stations$/);
  expect(await vale.row("SELECT notes FROM network.station WHERE code = 'MV-018'")).toEqual({
    notes: "An hour of work,\nin two lines",
  });
});

test("a form with a file outlives the session as well, and says that the file has to be chosen again", async ({
  signedIn,
  vale,
}) => {
  const page = await signedIn("tamsin");
  const { id } = await vale.row<{ id: string }>(
    "SELECT id::text FROM field.visit ORDER BY visited_at DESC, id OFFSET 1 LIMIT 1",
  );
  const photo = Buffer.from("89504e470d0a1a0a0000000d49484452", "hex");
  const choose = () =>
    page
      .getByRole("group", { name: "Photo" })
      .getByLabel("Choose a file")
      .setInputFiles({ name: "gauge.png", mimeType: "image/png", buffer: photo });
  await page.goto(`/visits/${id}/edit`);
  await choose();
  await page.getByLabel("Findings").fill("An hour of work,\nin two lines");
  await page.context().clearCookies();
  await page.getByRole("button", { name: "Update" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("You are signed out");
  await expect(page.getByText("gauge.png. A file can’t be kept: choose it again")).toBeVisible();
  await signInAgain(page, vale, "tamsin");
  await expect(page.getByLabel("Findings")).toHaveValue("An hour of work,\nin two lines");
  await choose();
  await page.getByRole("button", { name: "Update" }).click();
  await expect(page.getByRole("status").first()).toContainText("is saved");
  const stored = "SELECT findings, encode(photo, 'hex') AS photo FROM field.visit WHERE id::text = $1";
  expect(await vale.row(stored, [id])).toEqual({
    findings: "An hour of work,\nin two lines",
    photo: photo.toString("hex"),
  });
});

test("what the form's check and the table's constraint refuse stands at its field", async ({ signedIn, vale }) => {
  const page = await signedIn("hollis");
  await page.goto("/stations/MV-014/edit");
  await page.getByLabel("Warning level").fill("0.10");
  await page.getByRole("button", { name: "Update" }).click();
  await expect(page.getByLabel("Warning level")).toHaveAccessibleDescription(
    /The warning level must lie above the alert level\./,
  );
  const { grid_reference } = await vale.row<{ grid_reference: string }>(
    "SELECT grid_reference FROM network.station WHERE code = 'MV-013'",
  );
  await page.goto("/stations/MV-014/edit");
  await page.getByLabel("Grid reference").fill(grid_reference);
  await page.getByRole("button", { name: "Update" }).click();
  await expect(page.getByLabel("Grid reference")).toHaveAccessibleDescription(/already used by another record/);
});

test("a missing record and a malformed key are answered with a way back", async ({ signedIn }) => {
  const page = await signedIn("tamsin");
  expect((await page.goto("/stations/MV-999/edit"))?.status()).toBe(404);
  await page.getByRole("link", { name: "To the list: Stations" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("Stations");
  expect((await page.goto("/sensors/MV-001/first/edit"))?.status()).toBe(400);
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("The key in the address can't be right");
  expect((await page.goto("/sensors/MV-001/99999999999/edit"))?.status()).toBe(400);
});

test("another region's record is not open to a hydrologist", async ({ signedIn, vale }) => {
  const page = await signedIn("hollis");
  const before = await vale.row(stations);
  expect((await page.goto("/stations/MV-001/edit"))?.status()).toBe(404);
  expect(
    (await sendForm(page, "/stations/MV-014/edit", { name: "Taken over" }, "/stations/MV-001/edit")).status(),
  ).toBe(403);
  expect(await vale.row(stations)).toEqual(before);
});

test("a forged key and extra fields change nothing", async ({ signedIn, vale }) => {
  const page = await signedIn("hollis");
  const before = await vale.row(stations);
  const answer = await sendForm(page, "/stations/MV-014/edit", {
    code: "MV-013",
    id: "1",
    xmin: "1",
    "network.station": "x",
  });
  expect(answer.status()).toBe(303);
  expect(await vale.row(stations)).toEqual(before);
});

test("a form without its token, or with another one, is refused", async ({ signedIn, vale }) => {
  const page = await signedIn("hollis");
  const before = await vale.row(stations);
  for (const token of ["", "forged", 'AAAA.{"page":"station"}']) {
    const answer = await sendForm(page, "/stations/MV-014/edit", { "quill.token": token, name: "Forged Weir" });
    expect(answer.status()).toBe(403);
    expect(await answer.text()).toContain("Forged Weir");
  }
  expect(await vale.row(stations)).toEqual(before);
});

test("a stranger is sent to sign in, and on to the record", async ({ page, vale }) => {
  await page.goto("/stations/MV-014/edit");
  await expect(page).toHaveURL(/\/sign-in\?next=%2Fstations%2FMV-014%2Fedit$/);
  await page.getByLabel("E-mail address").fill(vale.email("hollis"));
  await page.getByLabel("Password").fill("not this one");
  await page.getByRole("button", { name: "Sign in" }).click();
  await expect(page.getByRole("alert")).toContainText("The e-mail address or the password is not right.");
  await page.getByLabel("Password").fill(vale.password("hollis"));
  await page.getByRole("button", { name: "Sign in" }).click();
  await expect(page).toHaveURL(/\/stations\/MV-014\/edit$/);
  await page.getByRole("button", { name: "Sign out" }).click();
  await expect(page).toHaveURL(/\/sign-in$/);
});

test("a switched-off account can't sign in, a duty officer can't open the stations", async ({
  page,
  vale,
  signedIn,
}) => {
  await page.goto("/sign-in");
  await enterAs(page, vale, "piers");
  await expect(page.getByRole("alert")).toContainText("This account is disabled");
  await signedIn("dara");
  await expect(page.getByRole("link", { name: "Bulletins" })).toBeVisible();
  await expect(page.getByRole("link", { name: "Stations" })).toHaveCount(0);
  expect((await page.goto("/stations"))?.status()).toBe(403);
});

test("a retired station is shown and can't be edited", async ({ signedIn }) => {
  const page = await signedIn("hollis");
  await page.goto("/stations/MV-016/edit");
  await expect(page.getByText("A retired station is kept as it was.")).toBeVisible();
  await expect(page.getByRole("button", { name: "Update" })).toHaveCount(0);
});

test("two people change the same field: the second sees both values", async ({ signedIn, vale }) => {
  const page = await signedIn("hollis");
  await page.goto("/stations/MV-017/edit");
  await vale.rows("UPDATE network.station SET name = 'Renamed by the office' WHERE code = 'MV-017'");
  await page.getByLabel("Station name").fill("Renamed by hand");
  await page.getByRole("button", { name: "Update" }).click();
  await expect(page.getByRole("alert")).toContainText("Someone else has changed this record");
  await expect(page.getByLabel("Station name")).toHaveAccessibleDescription(/Stored now: .*Renamed by the office/);
  await page.getByRole("button", { name: "Update" }).click();
  await expect(page.getByRole("status")).toContainText("Renamed by hand");
});
