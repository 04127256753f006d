import type { Chance } from "@loyal-quill/testing";
import type { Page } from "@playwright/test";

/** What somebody types: nothing, too much, what is none, what means something elsewhere, and what would be right. */
const texts = [
  "",
  " ",
  "x",
  "-1",
  "0",
  "12.50",
  "1e400",
  "2026-02-30",
  "2026-03-29T02:30",
  "<b>bold</b>",
  `O'Brien "quoted" \\ %_`,
  "\u202e right to left \u0000 é",
  "z".repeat(3000),
  "station",
  'status == "live"',
  "Lower Otter",
  "[",
  "a,b\nc",
];
const keys =
  "Escape Tab Tab Shift+Tab Enter Space ArrowDown ArrowUp Home End PageDown Delete Control+z Control+Shift+z Control+k Alt+ArrowDown j k ? /";
const files = ["format: [", "", "format: loyal-quill/page@1\n", "\u0000\u0001"];

/** What ends the walk rather than going on: other origins, other accounts, documents to be read. */
const leaves = /sign-out|\/docs|my-account|\/help|^https?:|^mailto:/;
const leaving = /^(Skip to the content|Sign out|End this session|End all others|Turn off|Reset password)$/;

interface Control {
  readonly mark: string;
  readonly tag: string;
  readonly type: string;
  readonly name: string;
}

/** What can be pressed or filled in: within the dialog, where there is one. Each is marked, so that it is found again. */
const controls = (page: Page): Promise<readonly Control[]> =>
  page
    .evaluate(() => {
      const within = document.querySelector("[role=dialog], [role=alertdialog], dialog[open]") ?? document;
      const roles = "tab menuitem option switch checkbox combobox textbox gridcell slider".split(" ");
      const wanted = [
        "a[href]",
        "button",
        "input:not([type=hidden])",
        "select",
        "textarea",
        "summary",
        "[role=row][tabindex]",
      ];
      for (const each of document.querySelectorAll("[data-walk]")) each.removeAttribute("data-walk");
      return [...within.querySelectorAll([...wanted, ...roles.map((role) => `[role=${role}]`)].join())].flatMap(
        (each, at) => {
          const { width, height } = each.getBoundingClientRect();
          if (width < 2 || height < 2 || getComputedStyle(each).visibility === "hidden") return [];
          each.setAttribute("data-walk", String(at));
          const label = (each as HTMLInputElement).labels?.[0]?.textContent;
          const name = each.getAttribute("aria-label") || label || each.textContent || each.getAttribute("name") || "";
          return [
            {
              mark: String(at),
              tag: each.tagName,
              type: each.getAttribute("type") ?? "",
              name: name.trim().slice(0, 60),
              href: each.getAttribute("href") ?? "",
            },
          ];
        },
      );
    })
    .then((all) => all.filter(({ href, name }) => !leaves.test(href) && !leaving.test(name)));

/** Presses a control, or fills it in with whatever comes. @returns what was done */
async function use(page: Page, chance: Chance, control: Control): Promise<string> {
  const at = page.locator(`[data-walk="${control.mark}"]`);
  const name = `${control.tag.toLowerCase()} "${control.name}"`;
  const soon = { timeout: 2000 };
  if (control.tag === "SELECT") {
    const count = await at.locator("option").count();
    await at.selectOption({ index: chance.whole(count) }, soon);
    return `choose in ${name}`;
  }
  if (control.type === "file") {
    const buffer = Buffer.from(chance.one(files));
    await at.setInputFiles({ name: "some.page.yaml", mimeType: "text/yaml", buffer }, soon);
    return `a file for ${name}`;
  }
  const isTypedInto = control.tag === "INPUT" && !/checkbox|radio|submit|button|range|color/.test(control.type);
  if (control.tag === "TEXTAREA" || isTypedInto) {
    const text = chance.one(texts);
    await at.focus(soon);
    // The browser's own controls take keys, each of its parts for itself.
    if (/date|time|month|number/.test(control.type))
      await page.keyboard.type(text.slice(0, 16).replace(/[^\w. -]/g, ""));
    else {
      // A small change of what stands there is what is saved most often.
      const stands = await at.inputValue(soon);
      await at.fill(stands !== "" && chance.is(0.4) ? `${stands}.` : text, soon);
    }
    const isSent = chance.is(0.3);
    if (isSent) await page.keyboard.press("Enter");
    return `${JSON.stringify(text.slice(0, 30))} into ${name}${isSent ? ", and Enter" : ""}`;
  }
  await at.click({ ...soon, noWaitAfter: true });
  return `press ${name}`;
}

/**
 * One step of somebody who does whatever comes: a key, a control, back, anew, or somewhere else.
 *
 * @param starts addresses to go on from
 * @returns what was done, for whoever wants to do it again
 */
export async function step(page: Page, chance: Chance, starts: readonly string[]): Promise<string> {
  const what = chance.next();
  if (what < 0.02) return await page.goBack({ timeout: 5000 }).then(() => "back");
  if (what < 0.03) return await page.reload({ timeout: 10_000 }).then(() => "loaded anew");
  if (what < 0.05) {
    const start = chance.one(starts);
    return await page.goto(start, { timeout: 10_000 }).then(() => `to ${start}`);
  }
  if (what < 0.2) {
    const key = chance.one(keys.split(" "));
    return await page.keyboard.press(key).then(() => `key ${key}`);
  }
  const saving = page.locator('button[name="quill.save"]:visible').first();
  if (what < 0.3 && (await saving.count()) > 0) return await saving.click({ timeout: 2000 }).then(() => "save");
  const all = await controls(page);
  if (all.length === 0)
    return await page.goto(chance.one(starts), { timeout: 10_000 }).then(() => "on: nothing to be pressed");
  return await use(page, chance, chance.one(all));
}
