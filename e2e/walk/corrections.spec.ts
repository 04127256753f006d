import { Chance, formOf } from "@loyal-quill/testing";
import type { Page, Request } from "@playwright/test";
import { enterAs, expect, type Person, test, type Vale } from "../vale.js";

/**
 * Two people correct the same few records, one of them in two tabs, as it comes: they type, save, press twice, go back, load anew, lose answers and take over what
 * another has entered. Whatever they are told is held against the change log and against the form as it is then: what is called saved is one entry, of nothing but
 * fields that were touched in that window, with the values that were sent; what is refused or lost leaves none, or is saved once.
 */

const minutes = Number(process.env.QUILL_WALK_MINUTES ?? 1);
const seed = Number(process.env.QUILL_WALK_SEED ?? 1);

/** What a page sets by itself. */
const ownFields = ["recorded_by", "recorded_at"];

interface Entry {
  readonly fields: readonly { readonly field: string }[];
}

/** What somebody sees after they have sent a form. */
interface Told {
  readonly said: string;
  readonly refused: string;
  readonly isForm: boolean;
}

/** A save: what was touched and sent, what was told, and what the log has of it. */
interface Save {
  /** The record's address. */
  readonly path: string;
  readonly touched: Set<string>;
  readonly sent: Readonly<Record<string, string>>;
  readonly told: Told;
  readonly entries: readonly Entry[];
}

/** A value as it is compared: a number may get its zeros, a moment its seconds, a text loses blanks. */
function plain(value: string | undefined): string {
  const text = (value ?? "").replaceAll(/\s+/g, " ").trim().toLowerCase();
  return /^-?\d+(\.\d+)?$/.test(text) ? String(Number(text)) : text.replace(/(t\d\d:\d\d)(:00(\.0+)?)?$/, "$1");
}

/** One window of somebody's. */
class Window {
  /** What was typed into since a form was opened or saved, by its address: back and forward bring forms again, with what was typed. */
  private readonly typed = new Map<string, Set<string>>();
  saves = 0;
  readonly steps: string[] = [];

  constructor(
    private readonly page: Page,
    readonly name: string,
    private readonly vale: Vale,
    private readonly chance: Chance,
    private readonly paths: readonly string[],
  ) {
    page.on("dialog", (dialog) => void dialog.accept().catch(() => {}));
  }

  private get path(): string {
    return new URL(this.page.url()).pathname.replace(/\/edit$/, "");
  }

  private get touched(): Set<string> {
    const found = this.typed.get(this.path) ?? new Set();
    this.typed.set(this.path, found);
    return found;
  }

  /** @returns what is wrong, or null */
  async step(): Promise<string | null> {
    const { page, chance } = this;
    const isForm = (await page.locator("form.quill-sheet").count()) > 0 && page.url().endsWith("/edit");
    const what = chance.next();
    const isRefused = (await page.locator(".quill-summary").count()) > 0;
    if (!isForm || what < (isRefused ? 0.15 : 0.05)) return await this.open();
    if (what < 0.17) return await this.note("back", page.goBack({ timeout: 5000 }));
    if (what < 0.19) return await this.note("loaded anew", page.reload({ timeout: 10_000 }));
    if (what < 0.23) return await this.note("changed past the pages", this.past());
    const theirs = page.getByRole("button", { name: /^Take theirs/ });
    if (what < 0.33 && (await theirs.count()) > 0)
      return await this.note("took theirs", theirs.first().click({ timeout: 2000 }));
    return what < 0.55 || (this.touched.size === 0 && chance.is(0.9)) ? await this.type() : await this.save();
  }

  private async note(what: string, doing: Promise<unknown>): Promise<null> {
    const isDone = await doing.then(
      () => true,
      () => false,
    );
    this.steps.push(isDone ? what : `(not done: ${what})`);
    return null;
  }

  private async open(): Promise<null> {
    const path = this.chance.one(this.paths);
    this.typed.delete(path);
    return await this.note(`opened ${path}`, this.page.goto(`${path}/edit`, { timeout: 10_000 }));
  }

  /** Somebody changes the same record by SQL. */
  private async past(): Promise<void> {
    const [, page, key] = this.path.split("/");
    const text = this.chance.one(["Seen by the office", "A gauge", ""]);
    // A retired station can't be corrected any more.
    const station = "UPDATE network.station SET notes = nullif($2, ''), status = 'live', region_id = 2 WHERE code = $1";
    await (page === "stations"
      ? this.vale.rows(station, [key, text])
      : this.vale.rows("UPDATE field.visit SET findings = nullif($2, '') WHERE id = $1", [key, text]));
  }

  private async type(): Promise<null> {
    const { page, chance } = this;
    const of = "form.quill-sheet :is(input:not([type=hidden], [type=file], [role=combobox]), select, textarea)";
    const all = page.locator(`${of}:not([readonly], [disabled], [name^=quill])`);
    const at = all.nth(chance.whole(await all.count()));
    const { name, kind } = await at
      .evaluate(
        (each: HTMLInputElement) => ({ name: each.name, kind: each.inputMode === "decimal" ? "number" : each.type }),
        undefined,
        { timeout: 2000 },
      )
      .catch(() => ({ name: "", kind: "" }));
    if (name === "") return await this.note("a control", Promise.reject(new Error("none")));
    this.touched.add(name);
    const number = chance.whole(900);
    const texts: Readonly<Record<string, string>> = {
      // A warning level lies above the alert level.
      number: ((number % 300) / 100 + (name === "warning_m" ? 3 : 0)).toFixed(2),
      date: `2026-0${1 + chance.whole(9)}-1${chance.whole(9)}`,
      "datetime-local": `2025-0${1 + chance.whole(9)}-1${chance.whole(9)}T1${chance.whole(9)}:30`,
    };
    if (kind === "checkbox") return await this.note(`ticked ${name}`, at.click({ timeout: 2000 }));
    if (kind === "select-one") {
      const index = chance.whole(await at.locator("option").count());
      return await this.note(`chose ${name}`, at.selectOption({ index }, { timeout: 2000 }));
    }
    const text = chance.is(0.05) ? "" : (texts[kind] ?? `Text ${number}`);
    return await this.note(`${JSON.stringify(text)} into ${name}`, at.fill(text, { timeout: 2000 }));
  }

  private async sent(): Promise<Save["sent"]> {
    return await this.page.evaluate(() => {
      const form = document.querySelector<HTMLFormElement>("form.quill-sheet");
      const all = form ? [...new FormData(form)] : [];
      return Object.fromEntries(all.flatMap(([name, value]) => (typeof value === "string" ? [[name, value]] : [])));
    });
  }

  private async told(): Promise<Told> {
    return await this.page.evaluate(() => {
      const text = (of: string): string => document.querySelector<HTMLElement>(of)?.innerText ?? "";
      return {
        said: text(".quill-said"),
        refused: text(".quill-summary:not(.quill-asking)"),
        isForm: /\/edit$/.test(location.pathname),
      };
    });
  }

  private async save(): Promise<string | null> {
    const { page, chance } = this;
    const before = await this.newest();
    const { path, touched } = this;
    const sent = await this.sent();
    const update = page.getByRole("button", { name: "Update", exact: true });
    const isForm = (each: Request): boolean => each.method() === "POST";
    const answer = Promise.any([
      page.waitForResponse((each) => isForm(each.request()), { timeout: 5000 }).then(() => true),
      page.waitForEvent("requestfailed", { predicate: isForm, timeout: 5000 }).then(() => false),
    ]).catch(() => false);
    const how = chance.one(["once", "twice", "Enter"] as const);
    if (how === "Enter")
      await page
        .locator("form.quill-sheet input:is([type=text], [type=number], [inputmode])")
        .first()
        .press("Enter", { timeout: 1000 })
        .catch(() => {});
    else await update[how === "once" ? "click" : "dblclick"]({ timeout: 2000, noWaitAfter: true }).catch(() => {});
    const isAnswered = await answer;
    await page.waitForLoadState("load").catch(() => {});
    // A form that was sent twice has two answers.
    await page.waitForTimeout(how === "twice" ? 800 : 300);
    const told = await this.told().catch(() => null);
    const entries = await this.entriesAfter(before);
    this.steps.push(
      `saved (${how}): ${told?.said || told?.refused.split("\n")[0] || (isAnswered ? "nothing told" : "no answer")}`,
    );
    return told ? await this.wrongWith({ path, touched, sent, told, entries }) : null;
  }

  private async wrongWith({ path, touched, sent, told, entries }: Save): Promise<string | null> {
    const isSaved = /\b(is|are) saved\./.test(told.said);
    const strange = entries.flatMap(({ fields }) =>
      fields.map(({ field }) => field).filter((field) => !touched.has(field) && !ownFields.includes(field)),
    );
    if (strange.length > 0) return `Changed, and never touched: ${strange.join(", ")}`;
    if (entries.length > 1) return `${entries.length} entries of one save`;
    if (told.isForm && told.refused !== "" && !isSaved && entries.length > 0)
      return `Refused, and in the log: ${told.refused}`;
    if (/Nothing was changed/.test(told.said) && entries.length > 0)
      return `Nothing was changed, and in the log: ${told.said}`;
    if (!isSaved) return null;
    this.saves += 1;
    if (entries.length === 0) return `Called saved, and not in the log: ${told.said}`;
    const html = await (await this.page.request.get(`${path}/edit`)).text();
    // A station that was retired, or went to another region, is open no more.
    if (!html.includes('<form class="quill-sheet"')) return null;
    const stands = formOf(html);
    const others = [...touched].filter((name) => plain(stands.get(name)) !== plain(sent[name]));
    touched.clear();
    return others.length === 0
      ? null
      : `Called saved, and other than sent: ${others.map((name) => `${name}: ${sent[name]} sent, ${stands.get(name)} stands`).join("; ")}`;
  }

  private async newest(): Promise<string> {
    return (await this.vale.row<{ id: string }>("SELECT coalesce(max(id), 0)::text AS id FROM quill_log.change")).id;
  }

  private async entriesAfter(id: string): Promise<readonly Entry[]> {
    return await this.vale.rows<Entry>(
      "SELECT fields FROM quill_log.change WHERE way = 'page' AND id > $1 ORDER BY id",
      [id],
    );
  }
}

async function losing(page: Page, chance: Chance): Promise<void> {
  await page.route("**/edit", async (route) => {
    if (route.request().method() !== "POST" || !chance.is(0.15)) return await route.continue();
    if (chance.is(0.5)) await route.fetch().catch(() => {});
    await route.abort();
  });
}

async function another(page: Page, vale: Vale, who: Person, hasScripts: boolean): Promise<Page> {
  const browser = page.context().browser();
  if (!browser) throw new Error("no browser");
  const opened = await (await browser.newContext({ baseURL: vale.address, javaScriptEnabled: hasScripts })).newPage();
  await opened.goto("/sign-in");
  await enterAs(opened, vale, who);
  await expect(opened).toHaveURL(`${vale.address}/`);
  return opened;
}

for (const hasScripts of [true, false]) {
  test.describe(`two people correct the same records, ${hasScripts ? "with scripts" : "without scripts"}`, () => {
    test.use({ javaScriptEnabled: hasScripts });

    test(`${minutes} minutes`, async ({ signedIn, vale }) => {
      const chance = new Chance(seed * 2 + Number(hasScripts));
      const visits = await vale.rows<{ id: string }>(
        "SELECT id::text FROM field.visit ORDER BY visited_at DESC LIMIT 2",
      );
      const paths = ["/stations/MV-014", "/stations/MV-022", ...visits.map(({ id }) => `/visits/${id}`)];
      const first = await signedIn("tamsin");
      const pages = [first, await first.context().newPage(), await another(first, vale, "hollis", hasScripts)];
      const windows = pages.map(
        (page, at) => new Window(page, ["tamsin", "tamsin's other tab", "hollis"][at] ?? "", vale, chance, paths),
      );
      for (const page of pages) await losing(page, chance);
      const found: string[] = [];
      for (const end = Date.now() + minutes * 60_000; Date.now() < end && found.length < 5; ) {
        const one = chance.one(windows);
        const wrong = await one.step();
        if (wrong) found.push(`${one.name}: ${wrong}\n    ${one.steps.slice(-10).join("\n    ")}`);
      }
      const sum = (of: (each: Window) => number): number => windows.reduce((total, each) => total + of(each), 0);
      process.stdout.write(
        `corrections: ${sum(({ steps }) => steps.length)} steps, ${sum(({ saves }) => saves)} saves told\n`,
      );
      expect(found.join("\n\n")).toBe("");
    });
  });
}
