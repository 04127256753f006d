// Measures the workbench in the browser: `npm run measure`, after `npm run setup`. What it prints stands in docs/benchmarks.md.
import { writeFile } from "node:fs/promises";
import path from "node:path";
import { gzipSync } from "node:zlib";
import type { Browser, Page } from "@playwright/test";
import type { Started } from "loyal-quill";
import { Client } from "pg";
import { signedIn, withDemo } from "./demo.js";

const at = (sorted: readonly number[], part: number): number => sorted[Math.floor((sorted.length - 1) * part)] ?? 0;

/** The JavaScript that a place loads the first time, gzip, in kB. */
async function firstLoad(browser: Browser, started: Started, address: string, there: string): Promise<number> {
  const page = await signedIn(browser, started, "ines");
  let bytes = 0;
  const sizes: Promise<void>[] = [];
  page.on("response", (response) => {
    if (!/\.js$/.test(new URL(response.url()).pathname)) return;
    sizes.push(
      response.body().then((body) => {
        bytes += gzipSync(body).length;
      }),
    );
  });
  await page.goto(address);
  await page.getByText(there).first().waitFor();
  await page.waitForTimeout(1500);
  await Promise.all(sizes);
  await page.context().close();
  return bytes / 1000;
}

/** A table of many columns with one record, and its page: every fifth field has a help and a rule. */
async function widePage(started: Started, fields: number): Promise<void> {
  const owner = new Client({ connectionString: started.ownerUrl });
  await owner.connect();
  const names = Array.from({ length: fields }, (_, index) => `reading_${String(index + 1).padStart(3, "0")}`);
  await owner.query(`CREATE TABLE network.wide (id integer PRIMARY KEY, ${names.map((name) => `${name} text`).join(", ")});
    INSERT INTO network.wide (id, ${names[0]}) VALUES (1, 'first');
    GRANT SELECT, INSERT, UPDATE, DELETE ON network.wide TO quill_pages`);
  await owner.end();
  const lines = names.map((name, index) =>
    index % 5 === 0 ? `  - ${name}: { help: As it was read., rules: [{ max-length: 80 }] }` : `  - ${name}`,
  );
  await writeFile(
    path.join(started.pages, "wide.page.yaml"),
    `format: loyal-quill/page@1\ntitle: Wide {id}\nplural: Wide ones\npath: /wide/{id}\nrecord: { table: network.wide, key: id }\nfields:\n${lines.join("\n")}\n`,
  );
}

/** From a key in a field's setting to the page that shows it, in milliseconds, as the browser's clock has it. */
async function keyToPage(page: Page, address: string, field: string, times: number): Promise<number[]> {
  await page.goto(address);
  await page.getByRole("button", { name: `Edit ${field}`, exact: true }).click();
  await page.getByRole("group", { name: `Settings of ${field}` }).waitFor();
  await page.waitForTimeout(1000);
  return page.evaluate(
    async ([count, name]) => {
      const input = document.querySelector<HTMLInputElement>(`[data-settings-of=${name}] input`);
      const served = document.querySelector("iframe")?.contentDocument;
      const control = served?.querySelector<HTMLElement>(`[data-field=${name}] label`);
      const set = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, "value")?.set;
      if (!input || !control || !set) throw new Error("the Sheet is not as it was");
      const taken: number[] = [];
      for (let turn = 0; turn < count; turn++) {
        const value = `Name ${turn}`;
        const shown = new Promise<void>((resolve) => {
          const observer = new MutationObserver(() => {
            if (control.textContent !== value) return;
            observer.disconnect();
            resolve();
          });
          observer.observe(control, { childList: true, characterData: true, subtree: true });
        });
        const begun = performance.now();
        set.call(input, value);
        input.dispatchEvent(new Event("input", { bubbles: true }));
        await shown;
        taken.push(performance.now() - begun);
        await new Promise((resolve) => setTimeout(resolve, 400));
      }
      return taken;
    },
    [times, field] as const,
  );
}

await withDemo(async (browser, started) => {
  const pages = await firstLoad(browser, started, "/workbench", "Latest requests");
  const sheet = await firstLoad(browser, started, "/workbench/pages/station?key=MV-014", "Statements");
  console.log(`JavaScript of the first load, gzip: Pages ${pages.toFixed(0)} kB, a Sheet ${sheet.toFixed(0)} kB`);
  await widePage(started, 300);
  for (const [fields, address, field] of [
    [11, "/workbench/pages/station?key=MV-014", "name"],
    [300, "/workbench/pages/wide?key=1", "reading_002"],
  ] as const) {
    const page = await signedIn(browser, started, "ines");
    const taken = (await keyToPage(page, address, field, 60)).sort((a, b) => a - b);
    console.log(
      `An edit of a label shows in the page, ${fields} fields, ${taken.length} edits: median ${at(taken, 0.5).toFixed(0)} ms, 95th percentile ${at(taken, 0.95).toFixed(0)} ms`,
    );
    await page.context().close();
  }
});
